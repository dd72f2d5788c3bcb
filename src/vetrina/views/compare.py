"""What two plans do differently: for people, and as JSON."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from vetrina.core.base.events import compact_json
from vetrina.core.base.levels import HIGHEST, LOWEST, Scale
from vetrina.core.base.wording import counted
from vetrina.core.changes.comparing import MOST_PATHS, Compared, MessageClass
from vetrina.core.changes.logger_tree import ALL, BOTH, ITSELF
from vetrina.core.changes.sinks_compared import SinkDifference
from vetrina.core.plan.conditions import Ask, ChannelIs, ErrorIs, MessageMatches
from vetrina.core.plan.model import Plan
from vetrina.views.screen import Line, Span, most, span, whole, wrapped

_MOST = 40
_WORDS = {
    "is": ("is not", "is"), "one-of": ("is none of", "is one of"), "matches": ("does not match", "matches"),
    "at-least": ("is not at least", "is at least"), "at-most": ("is not at most", "is at most"),
}  # fmt: skip
_TITLES = {
    "moved": "looks like the same appender at another place",
    "lines": "other lines",
    "rush": "something else in the rush hour",
    "groups": "other groups",
    "files": "other files",
    "sink": "another sink",
}


def levels(one: MessageClass, scale: Scale) -> str:
    """Return a stretch of severities as a range of levels."""
    if one.low == one.high:
        return scale.name(one.low)
    high = "" if one.high == HIGHEST else scale.name(one.high)
    low = "" if one.low == LOWEST and high else scale.name(one.low)
    return f"{low}..{high}"


def question(ask: Ask, *, answer: bool) -> str:
    """Return a question with its answer in words."""
    if isinstance(ask, ErrorIs):
        return "with an error" if ask.present == answer else "without an error"
    if isinstance(ask, MessageMatches):
        return f"the message {'matches' if answer else 'does not match'} {compact_json(ask.expression.text)}"
    if isinstance(ask, ChannelIs):
        return f"it {'came' if answer else 'did not come'} by {' or '.join(ask.names)}"
    if ask.operator == "present":
        return f"the field {ask.name} is {'there' if ask.value == answer else 'not there'}"
    value = compact_json(ask.value.text if ask.operator == "matches" else ask.value)
    return f"the field {ask.name} {_WORDS[ask.operator][answer]} {value}"


def compared_lines(found: Compared, sinks: Sequence[SinkDifference], first: Plan, width: int) -> list[Line]:
    """Return the sentence that counts, then each difference with its example."""
    lines: list[Line] = [_verdict(found, sinks)]
    if found.differences:
        lines += [[], [Span("Messages that the two treat differently", "title")]]
    for one in found.differences[: most(width, _MOST)]:
        lines += _difference(one, first, width)
    if len(found.differences) > _MOST and not whole(width):
        lines.append([Span(f"  … and {counted(len(found.differences) - _MOST, 'difference')} more (--wide, --json)", "quiet")])
    if found.undecided:
        lines += [[], [Span("Undecided: no event was found that would show it", "title")]]
        for one in found.undecided[: most(width, _MOST)]:
            lines += wrapped(span(_head(one, first.scale)).text, width - 2, 4, "raised")
        if len(found.undecided) > _MOST and not whole(width):
            lines.append([Span(f"  … and {len(found.undecided) - _MOST} more undecided (--wide, --json)", "quiet")])
    if found.bounded:
        text = f"the rules' questions multiply beyond {MOST_PATHS} ways at {', '.join(found.bounded[: most(width, 6)])}: not all were followed"
        lines += wrapped(text, width, 2, "raised")
    if sinks:
        lines += [[], [Span("Appenders that do something else with the same events", "title")]]
        for before, difference in zip([None, *sinks], sinks, strict=False):
            same = before is not None and (before.first, before.second, before.kind) == (
                difference.first,
                difference.second,
                difference.kind,
            )
            lines += _sink(difference, width)[1 if same else 0 :]
    return lines


def _verdict(found: Compared, sinks: Sequence[SinkDifference]) -> Line:
    compared = f"{counted(found.classes, 'class')} compared"
    if not found.differences and not found.undecided:
        text = f"equal: {compared}, none differs"
        return [
            Span(text, "good"),
            Span(f"; {counted(len({(one.first, one.second) for one in sinks}), 'appender')} differ otherwise" if sinks else ""),
        ]
    parts = [f"{counted(len(found.differences), 'difference')}" if found.differences else ""]
    parts.append(f"{len(found.undecided)} undecided" if found.undecided else "")
    return [Span(" and ".join(part for part in parts if part), "bad"), Span(f"; {compared}")]


def _head(one: MessageClass, scale: Scale) -> str:
    who = {
        ITSELF: f"{one.logger} itself",
        BOTH: f"{one.logger} and what is not named below it",
        ALL: f"{one.logger} and all below it",
    }.get(one.scope, f"what is not named below {one.logger}")
    if one.logger == "root" and one.scope != ITSELF:
        who = "every logger" if one.scope == ALL else "any logger that is not named"
    when = [question(ask, answer=answer) for ask, answer in one.answers]
    who += f" by the channel {one.channel}" if one.channel else ""
    return f"{who}, {_stretch(one, scale)}" + (f", when {' and '.join(when)}" if when else "")


def _stretch(one: MessageClass, scale: Scale) -> str:
    """Return a stretch of severities in words; an end without a name is told by the level after it."""
    if one.low == one.high:
        return f"at {scale.name(one.low)}"
    if one.high == HIGHEST:
        return "at any level" if one.low == LOWEST else f"from {scale.name(one.low)}"
    nameless = scale.name(one.high).isdigit() and not scale.name(one.high + 1).isdigit()
    end = f"below {scale.name(one.high + 1)}" if nameless else f"up to {scale.name(one.high)}"
    return end if one.low == LOWEST else f"from {scale.name(one.low)}, {end}"


def _difference(one: MessageClass, first: Plan, width: int) -> list[Line]:
    lines = wrapped(span(_head(one, first.scale)).text, width - 2, 4)
    lines = [[Span("  "), *line] for line in lines]
    for words, places in (("only in the first", one.only_in_first), ("only in the second", one.only_in_second)):
        if places:
            lines.append([Span(f"      {words}: ", "quiet"), span(_counted(places), "bad" if "first" in words else "good")])
    if one.example is not None:
        event = one.example
        more = {"channel": event.channel, "fields": event.fields, "error": event.error}
        extra = "".join(f" {name} {compact_json(value)}" for name, value in more.items() if value)
        text = f"{event.logger or 'root'} {event.level} {compact_json(event.message)}{extra}"
        lines.append([Span("      for example: ", "quiet"), span(text)])
    return lines


def _counted(places: Sequence[str]) -> str:
    counts = Counter(places)
    return ", ".join(place if count == 1 else f"{place} ×{count}" for place, count in counts.items())


def _sink(one: SinkDifference, width: int) -> list[Line]:
    who = one.first if one.first == one.second else f"{one.first} and {one.second}"
    lines: list[Line] = [[Span("  "), span(who), Span(f": {_TITLES[one.kind]}", "" if one.decided else "raised")]]
    for words in one.words:
        lines += [[Span("    "), *line] for line in wrapped(span(words).text, width - 4, 2)]
    if one.outputs:
        for side, text in zip(("first", "second"), one.outputs, strict=True):
            for at, line in enumerate(text.splitlines() or [""]):
                lines.append([Span(f"      {side if not at else '':<7} ", "quiet"), span(line)])
    return lines
