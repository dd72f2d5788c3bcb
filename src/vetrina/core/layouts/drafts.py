"""Drafts of a log's layout, from its lines: text templates, JSON members, CSV columns, RFC 5424; the likeliest first."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection, Iterator, Sequence
from typing import Any

from msgspec import Struct

from vetrina.core.layouts.naming import named, share, source_of_key
from vetrina.core.layouts.rows import AGREE, PAIRS, SEGMENTED, Cut, Part, Slot, cut_lines
from vetrina.core.layouts.times import Met, agreed, first_time

_STACK = re.compile(
    r"\s+(?:at |in |File |\.\.\.|from |[\w./\\]+[:(]\d)|(?:[\w$]+[.:])*\w*(?:Error|Exception|Fault|Failure)\b|Traceback|Caused by|panic:|goroutine "
)
_PAIRS = re.compile(PAIRS)
_PAIRS_LAST = re.compile(rf".* {PAIRS}")
_LAST = re.compile(r"(.*\S) ([\[(<])([^\[\](){}<>]{1,80})([\])>])")


class Draft(Struct):
    """A layout that may be a log's.

    ``form`` is `text`, `json`, `csv` or `syslog`; ``text`` the template (of the message, for `syslog`); ``members`` of
    `json` and ``columns`` of `csv` are names with their templates (`{"raw": SOURCE}` for a JSON value as it is).
    ``levels`` are words that a plan has to name, ``doubts`` what stays doubtful, ``weight`` how much it tells apart.
    """

    form: str
    text: str = ""
    members: dict[str, Any] = {}
    columns: dict[str, str] = {}
    header: bool = True
    levels: dict[str, int] = {}
    doubts: tuple[str, ...] = ()
    weight: int = 0
    separator: str = "."


def text_drafts(lines: Sequence[str]) -> list[Draft]:
    """Return text templates that may have written lines, the likeliest first; none where no time stands in them."""
    met = [(line, time) for line in lines if (time := first_time(line)) is not None]
    steps = agreed(time for _, time in met)
    found: list[Draft] = []
    for step in steps:
        rows = _alike([(line, time) for line, time in met if step in time.steps])
        if len(rows) < 1:
            continue
        cut = cut_lines([line for line, _ in rows], [(time.begun, time.ended) for _, time in rows], step)
        below = _below(lines, {line for line, _ in met})
        found += _templates(cut, below, _doubts_of_time(step))
    return found


_STANDARD = re.compile(r"<\d{1,3}>1 \S+ \S+ \S+ \S+ \S+ (?:-|(?:\[[^\]]*\])+)(?: (.*))?")


def standard_draft(lines: Sequence[str]) -> Draft | None:
    """Return the draft of messages by RFC 5424, None where most lines are none."""
    met = [match for line in lines if (match := _STANDARD.fullmatch(line))]
    if len(met) < 0.5 * len(lines):
        return None
    said = [match.group(1) or "" for match in met]
    cut = cut_lines(said, [(-1, -1)] * len(said), "")
    slots = [one for one in cut.parts if isinstance(one, Slot)]
    names = _named(slots)
    text = "{message}"
    if "logger" in names.values() and all(
        share(one.values, SEGMENTED) > 0.3 for one in slots if names.get(id(one)) == "logger"
    ):
        text = "".join(template_part(one, names) for one in cut.parts) + text
    return Draft("syslog", text, weight=5 + len(slots), separator=separator_of(slots, names))


def _alike(rows: list[tuple[str, Met]]) -> list[tuple[str, Met]]:
    """Return the lines whose time stands where it does in most of them: near the beginning, after as many signs."""
    if not rows:
        return rows
    kinds: dict[str, list[tuple[str, Met]]] = {}
    for line, time in rows:
        kinds.setdefault(re.sub(r"[\w. ]+", "", line[: time.begun])[:8], []).append((line, time))
    return max(kinds.values(), key=len)


def _below(lines: Sequence[str], timed: set[str]) -> str:
    """Return where lines without a time belong: to the `error` above, if they look like a stack, else to the `message`."""
    firsts = [
        line
        for before, line in zip(("", *lines), lines, strict=False)
        if line.strip() and line not in timed and (before in timed)
    ]
    if not firsts:
        return ""
    return "error" if sum(_STACK.match(one) is not None for one in firsts) > 0.5 * len(firsts) else "message"


def _doubts_of_time(step: str) -> tuple[str, ...]:
    found = []
    directives = set(re.findall(r"%\d?[A-Za-z]", step))
    if directives and not directives & {"%Y", "%y"}:
        found.append("its times have no year" if directives & {"%b", "%B"} else "its times have no day")
    if "%Z" in step and not step.startswith("in "):
        found.append("its times name a zone in letters, which may be several: they are read in --zone")
    return tuple(found)


def _templates(cut: Cut, below: str, doubts: tuple[str, ...]) -> Iterator[Draft]:
    """Yield templates for lines that are cut: with what stands behind the message told apart, then without that."""
    levels = cut.levels
    if not any(isinstance(one, Slot) and one.kind == "time" for one in cut.parts):
        return
    for tail in _tails(cut, below):
        parts = [*cut.parts, *tail]
        slots = [one for one in parts if isinstance(one, Slot)]
        names = _named(slots)
        text = "".join(template_part(one, names) for one in parts)
        further = (*doubts, *_doubts_of_columns(slots, names))
        yield Draft("text", text, levels=levels, doubts=further, weight=len(slots), separator=separator_of(slots, names))


def _named(slots: Sequence[Slot]) -> dict[int, str]:
    """Return the source of each slot, by its identity."""
    apart = any(one.kind == "message" for one in slots)
    return {id(slots[at]): name for at, name in named(slots, message_apart=apart).items()}


def _tails(cut: Cut, below: str) -> Iterator[list[Part]]:
    """Yield what may stand behind the parts that lines share."""
    rest = [one for one in cut.rest if one]
    if any(isinstance(one, Slot) and source_of_key(one.key) == "message" for one in cut.parts):
        if _most(rest, lambda one: _PAIRS.fullmatch(one.lstrip(" "))) and len(rest) > 0:
            yield [Slot("fields", [], steps='|before " "' if rest[0].startswith(" ") else "")]
        elif rest:
            yield [Slot("field rest", rest)]
        yield []
        return
    message = Slot("message", [])
    if _most(cut.rest, _PAIRS_LAST.fullmatch):
        yield [message, " ", Slot("fields", [])]
    last = [match for one in cut.rest if (match := _LAST.fullmatch(one))]
    signs = {(match.group(2), match.group(4)) for match in last}
    if len(last) >= AGREE * len(cut.rest) and len(signs) == 1:
        ((begun, ended),) = signs
        yield [message, f" {begun}", Slot("", [match.group(3) for match in last], opened=begun, after=ended), ended]
    below_it: list[Part] = [Slot("error", [], steps='|before "\\n"')] if below == "error" else []
    if rest or not cut.parts:
        yield [message, *below_it]
    else:
        yield below_it


def _most(texts: Sequence[str], holds: Callable[[str], object]) -> bool:
    return bool(texts) and sum(1 for one in texts if holds(one)) >= AGREE * len(texts)


def template_part(part: Part, names: dict[int, str]) -> str:
    """Return a part as a template writes it."""
    if isinstance(part, str):
        return part.replace("{", "{{").replace("}", "}}")
    source = names.get(id(part), part.kind)
    steps = f"|{part.steps}" if part.kind == "time" and part.steps else part.steps
    if part.quoted:
        steps += "|json"
    if part.pad:
        steps += f"|{'pad-left' if part.pads_left else 'pad'} {part.pad}"
    name = source.split(" ", 1)
    if len(name) == 2 and not re.fullmatch(r"[\w.@-]+", name[1]):
        source = f"{name[0]} {json.dumps(name[1])}"
    return "{" + source + steps + "}"


def doubts_of_missing(known: Collection[str]) -> Iterator[str]:
    """Yield what the lack of a level and of a logger among the sources that are known means."""
    if "level" not in known:
        yield "no level stands in it: its events count as info"
    if "logger" not in known:
        yield "no logger's name stands in it: its events count as root's"


def _doubts_of_columns(slots: Sequence[Slot], names: dict[int, str]) -> Iterator[str]:
    yield from doubts_of_missing({*names.values(), *(one.kind for one in slots)})
    for one in slots:
        name = names.get(id(one), "")
        if name.startswith("field column"):
            yield f'what "{(one.values or [""])[0][:40]}" is, is not known: {{{name}}}'
        if name == "logger" and not one.key and share(one.values, SEGMENTED) < 0.3:
            yield f'"{(one.values or [""])[0][:40]}" is taken for a logger: names there have no segments'


def separator_of(slots: Sequence[Slot], names: dict[int, str]) -> str:
    """Return what stands between the segments of loggers' names."""
    values = next((one.values for one in slots if names.get(id(one)) == "logger"), [])
    votes = {sign: sum(sign in value for value in values) for sign in (".", "::", "/", "\\", ":")}
    best = max(votes, key=lambda sign: votes[sign])
    return best if votes[best] else "."
