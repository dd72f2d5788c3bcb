"""Before and after a change: for people, as JSON, and as a note for a ticket."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from vetrina.core.changes.effects import Effects, Example, Shift, Tally
from vetrina.core.changes.outcome import Kept, Outcome, a_day, verdict
from vetrina.core.checking import Finding
from vetrina.core.in_force import InForce
from vetrina.core.levels import Scale
from vetrina.core.quantities import show_size, show_span
from vetrina.core.traffic import ending_of
from vetrina.views.screen import Column, Line, Span, counted, level_style, number, shorten, span, table, wrapped

_MOST = 12


def as_json(outcomes: Sequence[Outcome], shown: Sequence[Sequence[str]], unreadable: int, scale: Scale) -> dict[str, Any]:
    """Return the document of `whatif --json`: the first candidate whole, and all in one table."""
    first = outcomes[0]
    effects = first.effects
    return {
        "events": effects.events,
        "unreadable": unreadable,
        "change": list(first.words),
        "verdict": list(verdict(first)),
        "appenders": [
            {
                "appender": name,
                "before": _tally(shift.before),
                "after": _tally(shift.after),
                "gained": shift.gained.events,
                "lost": shift.lost.events,
            }
            for name, shift in effects.appenders.items()
        ],
        "loggers": [
            {
                "logger": logger,
                "level": scale.name(severity),
                "appender": name,
                "gained": _tally(shift.gained),
                "lost": _tally(shift.lost),
            }
            for (logger, severity, name), shift in _loud(effects)
        ],
        "days": [
            {"day": day.isoformat(), "appender": name, "before": _tally(shift.before), "after": _tally(shift.after)}
            for (day, name), shift in effects.days.items()
        ],
        "files": [{"appender": one.appender, "before": _kept(one.before), "after": _kept(one.after)} for one in first.rolled],
        "twice": [{"logger": logger, "sink": place, "events": count} for (logger, place), count in effects.twice.items()],
        "silenced": _by_level(effects.silenced, scale),
        "newly_seen": _by_level(effects.seen, scale),
        "unheard": [{"logger": one.logger, "from": scale.name(one.low), "to": scale.name(one.high)} for one in first.unheard],
        "findings": {
            "appeared": [_finding(one) for one in first.appeared],
            "vanished": [_finding(one) for one in first.vanished],
        },
        "candidates": [
            {
                "change": list(one.words),
                "gained": sum(shift.gained.events for shift in one.effects.appenders.values()),
                "lost": sum(shift.lost.events for shift in one.effects.appenders.values()),
                "bytes_a_day": one.added_a_day,
                "shows": list(shown[at]) if shown else None,
            }
            for at, one in enumerate(outcomes)
        ],
    }


def _tally(one: Tally) -> dict[str, int]:
    return {"events": one.events, "bytes": one.bytes}


def _kept(one: Kept | None) -> dict[str, Any] | None:
    if one is None:
        return None
    return {
        "files": one.files,
        "peak_disk_bytes": one.peak,
        "history_seconds": one.history.total_seconds(),
        "removed": one.removed,
    }


def _by_level(counts: dict[tuple[str, int], int], scale: Scale) -> list[dict[str, Any]]:
    return [{"logger": logger, "level": scale.name(severity), "events": count} for (logger, severity), count in counts.items()]


def _finding(one: Finding) -> dict[str, Any]:
    return {"code": one.code, "severity": one.severity, "message": one.message, "subject": one.subject}


def _loud(effects: Effects) -> list[tuple[tuple[str, int, str], Shift]]:
    """Return what each logger gains and loses, the loudest gain first."""
    changed = [(key, shift) for key, shift in effects.cells.items() if shift.gained.events or shift.lost.events]
    return sorted(changed, key=lambda one: (-one[1].gained.bytes, -one[1].lost.bytes, one[0]))


def outcome_lines(
    outcomes: Sequence[Outcome],
    shown: Sequence[Sequence[str]],
    before: InForce,
    afters: Sequence[InForce],
    width: int,
    wanted: str,
) -> list[Line]:
    """Return the verdict on the first candidate and all that stands behind it; several candidates begin with their table."""
    lines: list[Line] = []
    if len(outcomes) > 1 or shown:
        lines += [*_candidates(outcomes, shown, width, wanted), []]
    first, after = outcomes[0], afters[0]
    heading = f"{'1: ' if len(outcomes) > 1 else ''}{' '.join(first.words)}"
    lines += [*wrapped(safe_words(heading), width, 2, "title")]
    for sentence in verdict(first):
        lines += wrapped(sentence, width, 2)
    for one in first.unheard:
        scale = before.plan.scale
        levels = scale.name(one.low) if one.low == one.high else f"{scale.name(one.low)} to {scale.name(one.high)}"
        text = (
            f"warning: these events hold nothing at {levels} from {one.logger} and below it, so they cannot tell what the change "
            f"would add; use a recording made at {scale.name(one.low)}, or --rate '{one.logger} {scale.name(one.low)} 10/second'"
        )
        lines += wrapped(safe_words(text), width, 2, "raised")
    lines += _sinks(first, width)
    lines += _loggers(first, before.plan.scale, width)
    lines += _days(first.effects, width)
    lines += _files(first, width)
    lines += _new_lines(first.effects, after, width)
    lines += _notes(first, before.plan.scale, width)
    return lines


def safe_words(text: str) -> str:
    """Return a text of the user's made harmless."""
    return span(text).text


def _candidates(outcomes: Sequence[Outcome], shown: Sequence[Sequence[str]], width: int, wanted: str) -> list[Line]:
    heads = [
        Column(""),
        Column("candidate", least=24),
        Column("gained", right=True),
        Column("lost", right=True),
        Column("bytes a day", right=True),
    ]
    if shown:
        heads.append(Column("shows it in", least=10))
    good = [at for at, arrivals in enumerate(shown) if arrivals]
    cheapest = min(good, key=lambda at: (outcomes[at].added_a_day, at)) if good else None
    rows = []
    for at, one in enumerate(outcomes):
        row = [
            span(str(at + 1), "quiet"),
            span(" ".join(one.words)),
            span(number(sum(shift.gained.events for shift in one.effects.appenders.values()))),
            span(number(sum(shift.lost.events for shift in one.effects.appenders.values()))),
            span(signed_size(one.added_a_day)),
        ]
        if shown:
            row.append(span(", ".join(shown[at]) or "nothing", "good" if shown[at] else "bad"))
        rows.append(row)
    lines: list[Line] = [[Span("Candidates", "title")], *table(heads, rows, width, 2)]
    if shown:
        text = f"cheapest that shows {wanted}: {cheapest + 1}" if cheapest is not None else f"no candidate shows {wanted}"
        lines.append([span(f"  {text}", "good" if cheapest is not None else "bad")])
    return lines


def signed_size(count: int) -> str:
    """Return a difference of bytes with its sign."""
    return f"{'+' if count > 0 else '-' if count < 0 else '±'}{show_size(abs(count))}"


def _sinks(outcome: Outcome, width: int) -> list[Line]:
    effects = outcome.effects
    heads = [
        Column("appender", least=10), Column("events before", right=True), Column("after", right=True), Column("gained", right=True),
        Column("lost", right=True), Column("bytes a day before", right=True), Column("a day after", right=True),
    ]  # fmt: skip
    if width < 90:
        heads[1], heads[5], heads[6] = Column("before", right=True), Column("a day", right=True), Column("after", right=True)
    rows = []
    for name, shift in effects.appenders.items():
        style = "" if shift.changes else "quiet"
        rows.append([
            span(name, style),
            span(number(shift.before.events), style),
            span(number(shift.after.events), style),
            span(f"+{number(shift.gained.events)}" if shift.gained.events else "·", "raised" if shift.gained.events else "quiet"),
            span(f"-{number(shift.lost.events)}" if shift.lost.events else "·", "bad" if shift.lost.events else "quiet"),
            span(show_size(a_day(shift.before.bytes, effects.span)), style),
            span(show_size(a_day(shift.after.bytes, effects.span)), style),
        ])  # fmt: skip
    title = f"Before and after, over {show_span(effects.span)} and {counted(effects.events, 'event')}"
    return [[], [Span(title, "title")], *table(heads, rows, width, 2)]


def _loggers(outcome: Outcome, scale: Scale, width: int) -> list[Line]:
    loud = _loud(outcome.effects)
    if not loud:
        return []
    heads = [
        Column("logger", least=16), Column("level"), Column("appender", least=10), Column("gained", right=True),
        Column("bytes", right=True), Column("lost", right=True),
    ]  # fmt: skip
    rows = [
        [
            span(logger),
            span(scale.name(severity), level_style(severity)),
            span(name),
            span(f"+{number(shift.gained.events)}" if shift.gained.events else "·"),
            span(show_size(shift.gained.bytes) if shift.gained.events else "·"),
            span(f"-{number(shift.lost.events)}" if shift.lost.events else "·", "bad" if shift.lost.events else "quiet"),
        ]
        for (logger, severity, name), shift in loud[:_MOST]
    ]
    lines: list[Line] = [[], [Span("Whose messages, the loudest first", "title")], *table(heads, rows, width, 2)]
    if len(loud) > _MOST:
        lines.append([Span(f"  … and {counted(len(loud) - _MOST, 'line')} more (--json has all)", "quiet")])
    return lines


def _days(effects: Effects, width: int) -> list[Line]:
    names = [name for name, shift in effects.appenders.items() if shift.changes]
    days = sorted({day for day, _ in effects.days})
    if len(days) < 2 or not names:
        return []
    room = max(1, (width - 12) // 22)
    lines: list[Line] = [[], [Span("Bytes day by day, before > after", "title")]]
    heads = [Column("day"), *(Column(name if len(name) <= 18 else name[:17] + "…", right=True) for name in names[:room])]
    rows = []
    for day in days if len(days) <= 31 else days[-31:]:
        row = [span(f"{day:%a %d %b}")]
        for name in names[:room]:
            shift = effects.days.get((day, name), Shift())
            same = shift.before.bytes == shift.after.bytes
            row.append(
                span(
                    f"{show_size(shift.before.bytes)} > {show_size(shift.after.bytes)}"
                    if not same
                    else show_size(shift.after.bytes),
                    "quiet" if same else "",
                )
            )
        rows.append(row)
    lines += table(heads, rows, width, 2)
    if len(names) > room or len(days) > 31:
        lines.append([Span("  … --json has every day and appender", "quiet")])
    return lines


def _files(outcome: Outcome, width: int) -> list[Line]:
    if not outcome.rolled:
        return []
    heads = [Column("file of", least=10), Column("files"), Column("disk at most"), Column("history left", least=30)]
    rows = []
    for one in outcome.rolled:
        was, now = one.before, one.after
        if was is None or now is None:
            rows.append([span(one.appender), span("rolls only " + ("before" if was else "after")), span(""), span("")])
            continue
        shrinks = now.history < was.history
        rows.append([
            span(one.appender),
            span(f"{number(was.files)} > {number(now.files)}"),
            span(f"{show_size(was.peak)} > {show_size(now.peak)}"),
            span(f"{_history(was)} > {_history(now)}", "bad" if shrinks else ""),
        ])  # fmt: skip
    return [[], [Span("Files that roll, before > after", "title")], *table(heads, rows, width, 2)]


def _history(one: Kept) -> str:
    return f"{'all ' if one.whole else ''}{show_span(one.history)}"


def _new_lines(effects: Effects, after: InForce, width: int) -> list[Line]:
    lines: list[Line] = []
    for name, examples in effects.examples.items():
        kinds: dict[int, tuple[Example, list[str]]] = {}
        for word, example in (("first", examples.first), ("typical", examples.typical()), ("longest", examples.longest)):
            if example is not None:
                kinds.setdefault(example.number, (example, []))[1].append(word)
        for one, words in kinds.values():
            head = f"  {name} ({', '.join(words)}, {one.size} bytes)  "
            lines.append([span(head, "quiet")])
            lines += [
                [Span("    "), span(shorten(span(line).text, width - 4))] for line in rendered(after, name, one).split("\n")[:4]
            ]
    return [[], [Span("New lines, as they will look", "title")], *lines] if lines else []


def rendered(found: InForce, appender: str, one: Example) -> str:
    """Return the text that an appender writes for an example, without what ends it."""
    template = found.plan.appenders[appender].template
    ending = ending_of(found.plan.appenders[appender])
    return template.compile(ending)(one.event, one.number).removesuffix(ending)


def _notes(outcome: Outcome, scale: Scale, width: int) -> list[Line]:
    effects = outcome.effects
    notes = [
        f"twice from now on: {logger} at {place}, {counted(count, 'event')}" for (logger, place), count in effects.twice.items()
    ]
    notes += [
        f"silent from now on: {logger} at {scale.name(severity)}, {counted(count, 'event')}"
        for (logger, severity), count in effects.silenced.items()
    ]
    notes += [f"check finds it new: {one.code}: {one.message}" for one in outcome.appeared]
    notes += [f"check finds it no more: {one.code}: {one.message}" for one in outcome.vanished]
    if not notes:
        return []
    more = len(notes) - _MOST
    lines: list[Line] = [[], [Span("Worth a look", "title")]]
    for one in notes[:_MOST]:
        lines += [[Span("  - " if not at else "    "), *part] for at, part in enumerate(wrapped(safe_words(one), width - 4))]
    return [*lines, [Span(f"  … and {more} more (--json has all)", "quiet")]] if more > 0 else lines


def note(
    outcomes: Sequence[Outcome],
    shown: Sequence[Sequence[str]],
    before: InForce,
    afters: Sequence[InForce],
    plan: str,
    wanted: str,
) -> str:
    """Return a change note in Markdown: what to change, what it will show, what it costs, how to put it back."""
    at = next((at for at, arrivals in enumerate(shown) if arrivals), 0)
    one, after = outcomes[at], afters[at]
    effects = one.effects
    shows, costs, risks = verdict(one)
    text = [
        f"# Change of {plan}: {' '.join(one.words)}",
        "",
        shows,
        costs,
        risks,
        "",
        "## What to change",
        "",
        "```diff",
        *one.lines,
        "```",
        "",
    ]
    text += ["## What it will show", ""]
    if shown:
        text += [f"{wanted} arrives in {', '.join(shown[at]) or 'nothing'}.", ""]
    for name, examples in effects.examples.items():
        typical = examples.typical()
        if typical is not None:
            fence = "```" if "```" not in rendered(after, name, typical) else "````"
            text += [
                f"{name}, {number(examples.met)} new lines such as",
                "",
                fence,
                safe_lines(rendered(after, name, typical)),
                fence,
                "",
            ]
    text += [
        "## What it costs",
        "",
        "| appender | events before | after | bytes a day before | after |",
        "|---|---|---|---|---|",
    ]
    for name, shift in effects.appenders.items():
        if shift.changes:
            sizes = [show_size(a_day(size, effects.span)) for size in (shift.before.bytes, shift.after.bytes)]
            text.append(f"| {name} | {number(shift.before.events)} | {number(shift.after.events)} | {sizes[0]} | {sizes[1]} |")
    for rolled in one.rolled:
        if rolled.before and rolled.after:
            text += ["", f"{rolled.appender}: history {_history(rolled.before)} before, {_history(rolled.after)} after."]
    scale = before.plan.scale
    text += [
        f"\nThe events hold nothing at {scale.name(gap.low)} from {gap.logger}: the counts above say too little."
        for gap in one.unheard
    ]
    text += ["", "## How to put it back", ""]
    if all(word.startswith(("--tune", "--set")) for word in one.words):
        text += [f"Applied with `vetrina apply {plan}`, it is taken back with `vetrina undo {plan}`. By hand:", ""]
    text += ["```diff", *one.back, "```", ""]
    return "\n".join(text)


def safe_lines(text: str) -> str:
    """Return a text made harmless line by line."""
    return "\n".join(span(line).text for line in text.split("\n"))
