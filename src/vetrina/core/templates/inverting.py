"""Templates read backwards: from a line to the values of its placeholders.

A text template becomes one function that cuts a line at the template's literals, left to right; its cost is linear in
the line. A placeholder is *closed* when it tells by itself where it ends (a time, a level), else *open*: it ends where the
next literal begins. Two open ones without a literal between them collide, and the template cannot be inverted.

Law: for events whose open values do not hold the literal that ends them, reading what a template wrote and writing it again gives
the same text. What a template leaves out (or cuts) is not given back.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta, timezone, tzinfo
from typing import Any

from msgspec import Struct

from vetrina.core.events import Event
from vetrina.core.levels import HIGHEST, LOWEST
from vetrina.core.templates import clocks
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.language import Placeholder
from vetrina.core.templates.steps import TEXT_STEPS

Values = dict[str, Any]
_MONTHS = {name[:3]: at for at, name in enumerate(clocks.MONTHS, start=1)}
_ISO = r"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:\d\d(?:\.\d+)?(?:[Zz]|[+-]\d\d:\d\d)"
_DIGITS = {
    "%Y": r"\d{4}", "%m": r"\d\d", "%d": r"\d\d", "%H": r"\d\d", "%M": r"\d\d", "%S": r"\d\d", "%y": r"\d\d", "%j": r"\d{3}", "%I": r"\d\d",
    "%V": r"\d\d", "%u": r"\d", "%G": r"\d{4}", "%3f": r"\d{3}", "%6f": r"\d{6}", "%p": "AM|PM", "%z": r"[+-]\d{4}", "%b": "[A-Z][a-z]{2}", "%B": "[A-Z][a-z]+",
    "%a": "[A-Z][a-z]{2}", "%A": "[A-Z][a-z]+", "%Z": r"[A-Za-z+\-0-9]+",
}  # fmt: skip


class Collision(Exception):
    """Why a template cannot be inverted: which placeholders collide, and what would help."""

    def __init__(self, what: str, fix: str) -> None:
        super().__init__(what)
        self.what, self.fix = what, fix


class Inverse(Struct, frozen=True):
    """A template read backwards.

    ``cut`` returns the raw texts of a whole record by placeholder, None where it does not fit. ``further`` is where
    lines that begin no record belong: `error`, `message`, or nothing (they do not fit). ``has_date`` tells whether
    its times are complete. ``quick`` makes an event of a line in one go, where the template has only usual parts.
    """

    cut: Callable[[str], tuple[str, ...] | None]
    placeholders: tuple[Placeholder, ...]
    readers: tuple[Callable[[str, Values], None], ...]
    further: str
    has_time: bool
    has_date: bool
    stops_fitting: Callable[[str], int]
    quick: Callable[[str], Event | None] | None = None

    def values(self, record: str) -> Values | None:
        """Return the event's values in a record, None where it does not fit; a time is under `clock` until dated."""
        texts = self.cut(record)
        if texts is None:
            return None
        found: Values = {}
        try:
            for text, read in zip(texts, self.readers, strict=True):
                read(text, found)
        except ValueError:
            return None
        return found


def invert(template: TextTemplate) -> Inverse:
    """Return the inverse of a text template; raise Collision where it has none."""
    parts = list(template.parts)
    further = "message" if any(isinstance(one, Placeholder) and one.source in {"message", "text"} for one in parts) else ""
    if parts and isinstance(parts[-1], Placeholder) and _newline_before(parts[-1]):
        parts.pop()
        further = "error"
    pieces = _pieces(parts, template)
    placeholders = tuple(one for one in parts if isinstance(one, Placeholder))
    times = [one for one in placeholders if one.source == "time"]
    return Inverse(
        _compile(pieces),
        placeholders,
        tuple(_reader(one, template) for one in placeholders),
        further,
        bool(times),
        any(_dated(one) for one in times),
        _fitting(pieces),
        _quick_events(pieces, placeholders, template),
    )


def _newline_before(one: Placeholder) -> bool:
    return one.source == "error" and any(
        step.name == "before" and (step.argument or "").startswith(("\n", "\r")) for step in one.steps
    )


def _dated(one: Placeholder) -> bool:
    pattern = next((step.argument or "" for step in one.steps if step.name == "%"), None)
    if pattern is None:
        return True
    found = set(clocks.directives(pattern))
    return ("%Y" in found or "%y" in found) and (
        {"%m", "%d"} <= found or {"%b", "%d"} <= found or {"%B", "%d"} <= found or "%j" in found
    )


class _Piece(Struct, frozen=True):
    """A literal, a closed placeholder (with its pattern) or an open one (with its least width and pad's side)."""

    literal: str = ""
    closed: str = ""
    least: int = 0
    name: str = ""


def _pieces(parts: list[str | Placeholder], template: TextTemplate) -> list[_Piece]:
    pieces: list[_Piece] = []
    for part in parts:
        if isinstance(part, str):
            pieces.append(_Piece(literal=part))
            continue
        closed = _closed(part, template)
        before = pieces[-1] if pieces else None
        if before is not None and not before.literal and not before.closed and not closed:
            raise Collision(
                f"{{{before.name}}} and {{{part.source}}} collide: nothing between them tells where the one ends",
                f'put a literal between them, such as "{{{before.name}}} | {{{part.source}}}"',
            )
        least = max((int(step.argument or 0) for step in part.steps if step.name in {"pad", "pad-left"}), default=0)
        pieces.append(_Piece(closed=closed, least=least, name=part.source))
    return pieces


def _closed(one: Placeholder, template: TextTemplate) -> str:
    """Return the pattern of a placeholder that tells by itself where it ends, nothing for an open one."""
    if one.source == "time":
        names = [step.name for step in one.steps if step.name != "in"]
        if not names or names == ["iso"]:
            return _ISO
        if names in (["epoch"], ["epoch-ms"]):
            return r"-?\d+"
        if names == ["%"]:
            pattern = next(step.argument or "" for step in one.steps if step.name == "%")
            return "".join(
                f"(?:{_DIGITS[piece]})" if piece in _DIGITS else re.escape("%" if piece == "%%" else piece)
                for piece in clocks.directives(pattern)
            )
        raise Collision("{time} is changed by further steps and cannot be read back", "let its pattern be its last step")
    if one.source in {"level", "severity"}:
        texts = sorted(_levels(one, template), key=len, reverse=True)
        return "|".join(map(re.escape, texts))
    if one.source in {"sequence", "line"} and not one.steps:
        return r"\d*"
    return ""


def _levels(one: Placeholder, template: TextTemplate) -> dict[str, int]:
    """Return the text of every level through the placeholder's steps; a named level wins over a nameless one."""
    scale = template.setting.scale
    found: dict[str, int] = {}
    named = sorted(range(LOWEST, HIGHEST + 1), key=lambda severity: scale.name(severity).isdigit())
    for severity in named:
        text = scale.name(severity) if one.source == "level" else str(severity)
        for step in one.steps:
            known = TEXT_STEPS.get(step.name)
            if known is not None and known.on == "text":
                text = known.make(
                    *(
                        []
                        if not known.takes
                        else [int(step.argument or 0)]
                        if known.takes == "number"
                        else [step.argument or ""]
                    )
                )(text)
        found.setdefault(text, severity)
    return found


_USUAL = {"time", "level", "severity", "logger", "message", "text", "thread", "process", "host"}


def _quick_events(
    pieces: list[_Piece], placeholders: tuple[Placeholder, ...], template: TextTemplate
) -> Callable[[str], Event | None] | None:
    """Return a function from a line to its event, None for a template with unusual, repeated or undated parts."""
    kinds = [{"severity": "level", "text": "message"}.get(one.source, one.source) for one in placeholders]
    if not {one.source for one in placeholders} <= _USUAL or len(set(kinds)) != len(kinds) or "time" not in kinds:
        return None
    names: dict[str, Any] = {"Event": Event, "parsed": datetime.fromisoformat}
    made = {"time": "", "level": "'info'", "logger": "''", "message": "''", "thread": "None", "process": "None", "host": "None"}
    cut = [f"v{at}" for at in range(len(placeholders))]
    for name, kind, one in zip(cut, kinds, placeholders, strict=True):
        if kind == "time":
            zone_, pattern = _zone_and_pattern(one, template)
            order = str.upper if pattern is None else _quick_reader(clocks.directives(pattern))
            if order is None or any(step.name.startswith("epoch") for step in one.steps):
                return None
            names["order"] = order
            ordered = name if order is str else f"order({name})"
            offset = "" if pattern is None else " + '+00:00'" if zone_ is UTC else f" + offsets[{ordered}[:19]]"
            made["time"] = f"parsed({ordered}{offset})"
            names["offsets"] = _Offsets(zone_)
        elif kind == "level":
            names["levels"] = {text: template.setting.scale.name(severity) for text, severity in _levels(one, template).items()}
            made["level"] = f"levels[{name}]"
        else:
            names[f"undo_{kind}"] = _undoing(one)
            text = f"undo_{kind}({name})" if one.steps else name
            if [step.name for step in one.steps] == ["or"]:
                text = f"('' if {name} == {one.steps[0].argument!r} else {name})"
            made[kind] = {"logger": f"('' if {name} == 'root' else {text})", "message": text}.get(kind, f"({text} or None)")
    event = "Event({time}, {level}, {logger}, {message}, None, None, {thread}, None, {process}, {host})".format(**made)
    names["match"] = re.compile(_expression(pieces), re.DOTALL).fullmatch
    code = f"def quick(s):\n    m = match(s)\n    if m is None: return None\n    {', '.join(cut)}, = m.groups()\n    return {event}\n"
    exec(compile(code, "<inverse>", "exec"), names)  # noqa: S102  (only our own code and bound names go in)
    quick: Callable[[str], Event | None] = names["quick"]
    return quick


class _Offsets(dict[str, str]):
    """A second of the wall clock to its offset in a zone, as RFC 3339 writes it; emptied when there are too many."""

    def __init__(self, zone_: tzinfo) -> None:
        super().__init__()
        self._zone = zone_

    def __missing__(self, second: str) -> str:
        if len(self) >= _SECONDS_KEPT:
            self.clear()
        found = self[second] = datetime.fromisoformat(second).replace(tzinfo=self._zone).isoformat()[19:]
        return found


_SECONDS_KEPT = 4096


def _zone_and_pattern(one: Placeholder, template: TextTemplate) -> tuple[tzinfo, str | None]:
    zone_ = template.setting.zone
    for step in one.steps:
        if step.name == "in":
            zone_ = clocks.zone(step.argument or "UTC")
    return zone_, next((step.argument or "" for step in one.steps if step.name == "%"), None)


def _compile(pieces: list[_Piece]) -> Callable[[str], tuple[str, ...] | None]:
    """Return a function that cuts a record into the texts of its placeholders."""
    match = re.compile(_expression(pieces), re.DOTALL).fullmatch

    def cut(record: str) -> tuple[str, ...] | None:
        found = match(record)
        return found.groups() if found else None

    return cut


def _expression(pieces: list[_Piece]) -> str:
    """Return the expression of a record, a group for each placeholder.

    Every group is atomic, so a record is cut at the first place that ends a placeholder, and nothing is tried twice.
    """
    found = []
    for at, piece in enumerate(pieces):
        after = pieces[at + 1] if at + 1 < len(pieces) else None
        if piece.literal:
            found.append(re.escape(piece.literal))
        elif piece.closed:
            found.append(f"((?>{piece.closed}))")
        elif after is None:
            found.append("(.*)")
        else:
            end = re.escape(after.literal) if after.literal else f"(?:{after.closed})"
            found.append(f"(?>(.{{{piece.least},}}?)(?={end}))")
    return "".join(found)


def _fitting(pieces: list[_Piece]) -> Callable[[str], int]:
    """Return a function that tells at which character a line stops fitting."""

    def where(line: str) -> int:
        position = 0
        for at, piece in enumerate(pieces):
            if piece.literal:
                if not line.startswith(piece.literal, position):
                    return position
                position += len(piece.literal)
            elif piece.closed:
                match = re.compile(piece.closed).match(line, position)
                if match is None:
                    return position
                position = match.end()
            else:
                after = pieces[at + 1] if at + 1 < len(pieces) else None
                end = len(line) if after is None or not after.literal else line.find(after.literal, position)
                if end < 0:
                    return position
                position = end
        return position

    return where


def _reader(one: Placeholder, template: TextTemplate) -> Callable[[str, Values], None]:  # noqa: C901  (one way back for each source)
    """Return the function that takes a placeholder's text back into an event's values."""
    if one.source == "time":
        return _time_reader(one, template.setting.zone)
    if one.source in {"level", "severity"}:
        levels = _levels(one, template)

        def level(text: str, values: Values) -> None:
            values["level"] = template.setting.scale.name(levels[text])

        return level
    undo = _undoing(one)
    place = _PLACES.get(one.source)
    if one.source in {"fields", "other-fields"}:
        return lambda text, values: values.setdefault("fields", {}).update(read_pairs(undo(text)))
    if one.source == "field":
        name = one.argument or ""

        def field(text: str, values: Values) -> None:
            got = undo(text)
            if got:
                values.setdefault("fields", {})[name] = typed_text(got)

        return field
    if one.source == "sequence":
        return lambda _text, _values: None

    def plain(text: str, values: Values) -> None:
        got = undo(text)
        if got and place is not None:
            values[place] = got

    return plain


_PLACES = {
    "logger": "logger", "message": "message", "text": "message", "error": "error", "thread": "thread", "process": "process", "host": "host",
    "file": "source.file", "line": "source.line", "function": "source.function",
}  # fmt: skip


def _undoing(one: Placeholder) -> Callable[[str], str]:  # noqa: C901  (one undoing for each step)
    """Return the function that undoes a placeholder's steps, the last first; what they cut stays cut."""
    undo: list[Callable[[str], str]] = []
    for step in reversed(one.steps):
        argument = step.argument or ""
        if step.name == "pad":
            undo.append(lambda text: text.rstrip(" "))
        elif step.name == "pad-left":
            undo.append(lambda text: text.lstrip(" "))
        elif step.name == "zeros":
            undo.append(lambda text: text.lstrip("0") or text[:1])
        elif step.name == "or":
            undo.append(lambda text, argument=argument: "" if text == argument else text)  # type: ignore[misc]
        elif step.name == "before":
            undo.append(lambda text, argument=argument: text.removeprefix(argument))  # type: ignore[misc]
        elif step.name == "after":
            undo.append(lambda text, argument=argument: text.removesuffix(argument))  # type: ignore[misc]
        elif step.name == "json":
            undo.append(_from_json)
        elif step.name == "indent":
            undo.append(lambda text, pad=" " * int(argument or 0): re.sub(rf"(\r\n|\n|\r){pad}", r"\1", text))  # type: ignore[misc]

    def all_of_them(text: str) -> str:
        for one_step in undo:
            text = one_step(text)
        return text

    return all_of_them if undo else lambda text: text


def _from_json(text: str) -> str:
    found = json.loads(f'"{text}"', strict=False)
    return str(found)


_PAIR = re.compile(r'([^=\s]+)=("(?:[^"\\]|\\.)*"|[^\s"]*)(?: |$)')


def read_pairs(text: str) -> dict[str, Any]:
    """Return the fields of `k=v k=v`; raise ValueError where that is none."""
    fields: dict[str, Any] = {}
    position = 0
    while position < len(text):
        match = _PAIR.match(text, position)
        if match is None:
            message = "no pairs of names and values"
            raise ValueError(message)
        name, value = match.groups()
        fields[name] = json.loads(value) if value.startswith('"') else typed_text(value)
        position = match.end()
    return fields


def typed_text(text: str) -> Any:
    """Return a value that stands as ``text`` in a hole: a number, true, false or null where it can be one, else text."""
    if text in {"true", "false", "null"}:
        return {"true": True, "false": False, "null": None}[text]
    if text[:1] in "-0123456789" and text:
        try:
            value = json.loads(text)
        except ValueError:
            return text
        return value if isinstance(value, int | float) and repr(value) == text else text
    if text[:1] in {"{", "["}:
        try:
            return json.loads(text)
        except ValueError:
            return text
    return text


_FINENESS = (("%6f", 1), ("%3f", 1000), ("%S", 1_000_000), ("%M", 60_000_000))


def _put_time(values: Values, time: datetime, resolution: int) -> None:
    """Keep the finest of several times in one line; ``resolution`` is in microseconds."""
    if resolution <= values.get("resolution", resolution):
        values["time"], values["resolution"] = time, resolution


def _time_reader(one: Placeholder, zone_: tzinfo) -> Callable[[str, Values], None]:
    for step in one.steps:
        if step.name == "in":
            zone_ = clocks.zone(step.argument or "UTC")
    kind = next((step.name for step in one.steps if step.name != "in"), "iso")
    if kind == "iso":

        def iso(text: str, values: Values) -> None:
            _put_time(values, datetime.fromisoformat(text.upper()), 1)

        return iso
    if kind in {"epoch", "epoch-ms"}:
        unit = timedelta(seconds=1) if kind == "epoch" else timedelta(milliseconds=1)

        def since(text: str, values: Values) -> None:
            _put_time(values, datetime(1970, 1, 1, tzinfo=UTC) + int(text) * unit, unit // timedelta(microseconds=1))

        return since
    pattern = next(step.argument or "" for step in one.steps if step.name == "%")
    return _pattern_reader(pattern, zone_)


_ISO_ORDER = ("%Y", "%m", "%d", "%H", "%M", "%S")


def _pattern_reader(pattern: str, zone_: tzinfo) -> Callable[[str, Values], None]:
    pieces = clocks.directives(pattern)
    named = [piece for piece in pieces if piece in _DIGITS]
    resolution = next((fine for directive, fine in _FINENESS if directive in named), 3_600_000_000)
    quick = _quick_reader(pieces)
    if quick is not None:

        def read_quickly(text: str, values: Values) -> None:
            _put_time(values, datetime.fromisoformat(quick(text)).replace(tzinfo=zone_), resolution)

        return read_quickly
    expression = "".join(
        f"({_DIGITS[piece]})" if piece in _DIGITS else re.escape("%" if piece == "%%" else piece) for piece in pieces
    )
    match = re.compile(expression).fullmatch

    def read(text: str, values: Values) -> None:
        found = match(text)
        if found is None:
            message = "no time of this pattern"
            raise ValueError(message)
        parts = dict(zip(named, found.groups(), strict=True))
        day = _day(parts)
        clock = timedelta(
            hours=_hour(parts),
            minutes=int(parts.get("%M", 0)),
            seconds=int(parts.get("%S", 0)),
            milliseconds=int(parts.get("%3f", 0) if "%6f" not in parts else 0),
            microseconds=int(parts.get("%6f", 0)),
        )
        offset = parts.get("%z")
        own = zone_ if offset is None else timezone(_offset(offset))
        if day is None:
            values["clock"] = (clock, own)
        else:
            _put_time(values, datetime(day.year, day.month, day.day, tzinfo=own) + clock, resolution)

    return read


def _quick_reader(pieces: list[str]) -> Callable[[str], str] | None:
    """Return a function that puts a time of fixed digits into ISO order, None where a pattern has other parts."""
    spots: dict[str, tuple[int, int]] = {}
    position = 0
    for piece in pieces:
        width = clocks.pattern_width(piece) or 0
        if piece in _DIGITS:
            if piece not in {*_ISO_ORDER, "%3f", "%6f"} or piece in spots:
                return None
            spots[piece] = (position, position + width)
        position += len(piece) if piece not in _DIGITS and piece != "%%" else width
    if not set(_ISO_ORDER) <= set(spots) or {"%3f", "%6f"} <= set(spots):
        return None
    names = [*_ISO_ORDER, *(name for name in ("%3f", "%6f") if name in spots)]
    slices = [f"s[{spots[name][0]}:{spots[name][1]}]" for name in names]
    joints = ["-", "-", " ", ":", ":", "."]
    expression = slices[0] + "".join(f" + {joint!r} + {one}" for joint, one in zip(joints, slices[1:], strict=False))
    if "".join(pieces) in {"%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M:%S.%3f", "%Y-%m-%d %H:%M:%S.%6f"}:
        return str
    scope: dict[str, Any] = {}
    exec(compile(f"def order(s):\n    return {expression}\n", "<time>", "exec"), scope)  # noqa: S102  (only our own slices go in)
    order: Callable[[str], str] = scope["order"]
    return order


def _offset(text: str) -> timedelta:
    whole = timedelta(hours=int(text[1:3]), minutes=int(text[3:5]))
    return -whole if text[0] == "-" else whole


def _hour(parts: dict[str, str]) -> int:
    if "%H" in parts:
        return int(parts["%H"])
    hour = int(parts.get("%I", 0)) % 12
    return hour + 12 if parts.get("%p") == "PM" else hour


def _day(parts: dict[str, str]) -> date | None:
    if "%Y" not in parts and "%y" not in parts:
        return None
    year = int(parts["%Y"]) if "%Y" in parts else 2000 + int(parts["%y"])
    if "%j" in parts:
        return date(year, 1, 1) + timedelta(days=int(parts["%j"]) - 1)
    month = parts.get("%m") or _MONTHS.get(parts.get("%b", parts.get("%B", ""))[:3])
    if month is None or "%d" not in parts:
        return None
    return date(year, int(month), int(parts["%d"]))
