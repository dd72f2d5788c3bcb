"""Times read back: from what a template's time placeholder wrote to the instant.

Here: the expression of a time's text, what it means, and what looks like a time of anybody's. Not here: cutting lines
(reading_back.py), showing times (clocks.py).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta, timezone, tzinfo
from typing import Any

from vetrina.core.base import clocks
from vetrina.core.base.memo import Memo
from vetrina.core.templates.language import Placeholder

Values = dict[str, Any]
_MONTHS = {name[:3]: at for at, name in enumerate(clocks.MONTHS, start=1)}
ISO = r"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:\d\d(?:\.\d+)?(?:[Zz]|[+-]\d\d:\d\d)"
_DIGITS = {
    "%Y": r"\d{4}", "%m": r"\d\d", "%d": r"\d\d", "%H": r"\d\d", "%M": r"\d\d", "%S": r"\d\d", "%y": r"\d\d", "%j": r"\d{3}", "%I": r"\d\d",
    "%V": r"\d\d", "%u": r"\d", "%G": r"\d{4}", "%3f": r"\d{3}", "%6f": r"\d{6}", "%p": "AM|PM", "%z": r"[+-]\d{4}", "%b": "[A-Z][a-z]{2}", "%B": "[A-Z][a-z]+",
    "%a": "[A-Z][a-z]{2}", "%A": "[A-Z][a-z]+", "%Z": r"[A-Za-z+\-0-9]+",
}  # fmt: skip
USUAL = re.compile(r".{0,32}?(?<![\d.])(?:\d\d:\d\d:\d\d|\d{4}([-/.])\d\d\1\d\d)(?!\d)|\W{0,2}\d\d:\d\d\b")
"""A line that begins with a usual time of day or date, maybe after a few words of its own."""
_CLEAR = {"%H", "%I", "%Y", "%m", "%d", "%b", "%B", "%j"}
_FINENESS = (("%6f", 1), ("%3f", 1000), ("%S", 1_000_000), ("%M", 60_000_000))


def expression(one: Placeholder) -> str:
    """Return the expression of what a time placeholder writes; nothing where further steps change it past reading."""
    names = [step.name for step in one.steps if step.name != "in"]
    if not names or names == ["iso"]:
        return ISO
    if names in (["epoch"], ["epoch-ms"]):
        return r"(?:0|-?[1-9]\d{0,17})"
    if names == ["%"]:
        return "".join(
            f"(?:{_DIGITS[piece]})" if piece in _DIGITS else re.escape("%" if piece == "%%" else piece)
            for piece in clocks.directives(pattern_of(one) or "")
        )
    return ""


def pattern_of(one: Placeholder) -> str | None:
    """Return a time placeholder's pattern, None where it has none."""
    return next((step.argument or "" for step in one.steps if step.name == "%"), None)


def dated(one: Placeholder) -> bool:
    """Tell whether a time placeholder shows the day."""
    pattern = pattern_of(one)
    if pattern is None:
        return True
    found = set(clocks.directives(pattern))
    return bool(found & {"%Y", "%y"}) and (
        {"%m", "%d"} <= found or {"%b", "%d"} <= found or {"%B", "%d"} <= found or "%j" in found
    )


def yearless(one: Placeholder) -> bool:
    """Tell whether a time placeholder shows month and day, and no year."""
    found = set(clocks.directives(pattern_of(one) or ""))
    return "%d" in found and bool(found & {"%m", "%b", "%B"}) and not dated(one)


def telling(one: Placeholder) -> bool:
    """Tell whether what a time placeholder writes is hardly met by chance: an hour and a minute, or a day."""
    pattern = pattern_of(one)
    if pattern is None:
        return not any(step.name.startswith("epoch") for step in one.steps)
    found = clocks.directives(pattern)
    return len(_CLEAR & set(found)) > (0 if "%M" in found else 1) and any(len(piece) == 1 for piece in found)


def _put_time(values: Values, time: datetime, resolution: int) -> None:
    """Keep the finest of several times in one line; ``resolution`` is in microseconds."""
    if resolution <= values.get("resolution", resolution):
        values["time"], values["resolution"] = time, resolution


def time_reader(one: Placeholder, zone_: tzinfo) -> Callable[[str, Values], None]:
    """Return what puts the time of a placeholder's text into an event's values; it raises ValueError for no time.

    A time without a day is put under `clock`, as a span since midnight with its zone.
    """
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
            whole, point, fraction = text.partition(".")
            time = datetime(1970, 1, 1, tzinfo=UTC) + int(whole) * unit
            if point:
                further = timedelta(microseconds=int(f"{fraction:0<6}"[:6]))
                time += -further if whole.startswith("-") else further
            _put_time(values, time, 1 if point else unit // timedelta(microseconds=1))

        return since
    return _pattern_reader(pattern_of(one) or "", zone_)


_ISO_ORDER = ("%Y", "%m", "%d", "%H", "%M", "%S")


def _pattern_reader(pattern: str, zone_: tzinfo) -> Callable[[str, Values], None]:
    pieces = clocks.directives(pattern)
    named = [piece for piece in pieces if piece in _DIGITS]
    resolution = next((fine for directive, fine in _FINENESS if directive in named), 3_600_000_000)
    quick = quick_reader(pieces)
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
        day, hour = _day(parts), _hour(parts)
        minute, second = int(parts.get("%M", 0)), int(parts.get("%S", 0))
        if hour > 23 or minute > 59 or second > 59:
            message = "no such time of day"
            raise ValueError(message)
        fraction = int(parts["%6f"]) if "%6f" in parts else int(parts.get("%3f", 0)) * 1000
        clock = timedelta(hours=hour, minutes=minute, seconds=second, microseconds=fraction)
        offset = parts.get("%z")
        own = zone_ if offset is None else timezone(_offset(offset))
        if day is None:
            values["clock"] = (clock, own)
            month = _month(parts)
            if month is not None and "%d" in parts:
                values["month-day"] = (month, int(parts["%d"]))
            return
        time = datetime(day.year, day.month, day.day, tzinfo=own) + clock
        if clocks.by_pattern(pattern, own)(time) != text and "%Z" not in named:
            message = "its parts contradict each other"
            raise ValueError(message)
        _put_time(values, time, resolution)

    return read


def quick_reader(pieces: list[str]) -> Callable[[str], str] | None:
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
        day = date(year, 1, 1) + timedelta(days=int(parts["%j"]) - 1)
        if day.year != year:
            message = "no day of that year"
            raise ValueError(message)
        return day
    month = _month(parts)
    if month is None or "%d" not in parts:
        return None
    return date(year, month, int(parts["%d"]))


def _month(parts: dict[str, str]) -> int | None:
    word = parts.get("%b", parts.get("%B", ""))[:3]
    if word and word not in _MONTHS:
        message = "no month's name"
        raise ValueError(message)
    return int(parts["%m"]) if "%m" in parts else _MONTHS.get(word)


def offsets(zone_: tzinfo) -> Memo[str, str]:
    """Return the offset of a second of the wall clock in a zone, as RFC 3339 writes it, remembered."""
    return Memo(lambda second: datetime.fromisoformat(second).replace(tzinfo=zone_).isoformat()[19:])


def zone_and_pattern(one: Placeholder, zone_: tzinfo) -> tuple[tzinfo, str | None]:
    """Return the zone that a time placeholder shows, and its pattern (None where it has none)."""
    for step in one.steps:
        if step.name == "in":
            zone_ = clocks.zone(step.argument or "UTC")
    return zone_, pattern_of(one)
