"""Times as text: RFC 3339, epochs and directives, in the zone of a plan or another.

Names of days and months are English whatever the machine's language. Fractions are cut, never rounded.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta, timezone, tzinfo
from zoneinfo import ZoneInfo

Show = Callable[[datetime], str]
UTC_NAMES = frozenset({"UTC", "Etc/UTC", "Etc/UCT", "UCT", "Zulu", "Etc/Zulu", "Universal", "Etc/Universal"})
MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]
_DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"]
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_DIRECTIVE = re.compile(r"%(?:[36]f|.)?", re.DOTALL)


def zone(name: str) -> tzinfo:
    """Return the zone of an IANA name; one that is UTC under another name is UTC itself."""
    return UTC if name in UTC_NAMES else ZoneInfo(name)


def local(time: datetime, zone_: tzinfo) -> datetime:
    """Return ``time`` in a zone; at the ends of the calendar, where that overflows, the time in UTC or as it is."""
    try:
        return time.astimezone(zone_)
    except (OverflowError, ValueError):
        try:
            return time.astimezone(UTC)
        except (OverflowError, ValueError):
            return time.replace(tzinfo=UTC)


def iso(zone_: tzinfo) -> Show:
    """Return a function that shows a time by RFC 3339 with milliseconds, `Z` in UTC and an offset elsewhere."""
    if zone_ is UTC:

        def in_utc(time: datetime) -> str:
            if time.tzinfo is not UTC:
                time = local(time, UTC)
            return time.isoformat(timespec="milliseconds")[:-6] + "Z"

        return in_utc

    def elsewhere(time: datetime) -> str:
        there = local(time, zone_)
        offset = there.utcoffset() or timedelta(0)
        if offset.seconds % 60:
            there = local(time, timezone(timedelta(minutes=offset // timedelta(minutes=1))))
        return there.isoformat(timespec="milliseconds")

    return elsewhere


def epoch(time: datetime) -> str:
    """Return whole seconds since 1970."""
    return str((time - _EPOCH) // timedelta(seconds=1))


def epoch_ms(time: datetime) -> str:
    """Return whole milliseconds since 1970."""
    return str((time - _EPOCH) // timedelta(milliseconds=1))


def _offset(time: datetime) -> str:
    whole = int((time.utcoffset() or timedelta(0)).total_seconds())
    hours, rest = divmod(abs(whole), 3600)
    return f"{'-' if whole < 0 else '+'}{hours:02}{rest // 60:02}"


DIRECTIVES: dict[str, Show] = {
    "%Y": lambda t: f"{t.year:04}",
    "%m": lambda t: f"{t.month:02}",
    "%d": lambda t: f"{t.day:02}",
    "%H": lambda t: f"{t.hour:02}",
    "%M": lambda t: f"{t.minute:02}",
    "%S": lambda t: f"{t.second:02}",
    "%y": lambda t: f"{t.year % 100:02}",
    "%j": lambda t: f"{t.timetuple().tm_yday:03}",
    "%b": lambda t: MONTHS[t.month - 1][:3],
    "%B": lambda t: MONTHS[t.month - 1],
    "%a": lambda t: _DAYS[t.weekday()][:3],
    "%A": lambda t: _DAYS[t.weekday()],
    "%p": lambda t: "AM" if t.hour < 12 else "PM",
    "%I": lambda t: f"{(t.hour - 1) % 12 + 1:02}",
    "%z": _offset,
    "%Z": lambda t: t.tzname() or "",
    "%V": lambda t: f"{t.isocalendar().week:02}",
    "%u": lambda t: str(t.isoweekday()),
    "%G": lambda t: f"{t.isocalendar().year:04}",
    "%3f": lambda t: f"{t.microsecond // 1000:03}",
    "%6f": lambda t: f"{t.microsecond:06}",
}
_ISO_SLICES = {
    "%Y": (0, 4), "%m": (5, 7), "%d": (8, 10), "%H": (11, 13), "%M": (14, 16), "%S": (17, 19), "%3f": (20, 23), "%6f": (20, 26), "%y": (2, 4),
}  # fmt: skip
"""Where a directive's digits stand in `2026-11-13 09:41:07.312000`."""
_ISO_LAYOUT = "0000-00-00 00:00:00.000000"


_WIDTHS = {"%Y": 4, "%j": 3, "%b": 3, "%a": 3, "%z": 5, "%u": 1, "%G": 4, "%3f": 3, "%6f": 6, "%%": 1}
_VARYING = {"%B", "%A", "%Z"}


def pattern_width(pattern: str) -> int | None:
    """Return how many bytes every time shown by ``pattern`` takes in UTF-8, None where that varies."""
    width = 0
    for piece in directives(pattern):
        if piece in _VARYING:
            return None
        width += _WIDTHS.get(piece, 2) if piece in DIRECTIVES or piece == "%%" else len(piece.encode())
    return width


def pattern_faults(pattern: str) -> list[tuple[int, str]]:
    """Return (offset, directive) for every directive of ``pattern`` that is none."""
    return [
        (match.start(), match.group())
        for match in _DIRECTIVE.finditer(pattern)
        if match.group() not in DIRECTIVES and match.group() != "%%"
    ]


def directives(pattern: str) -> list[str]:
    """Return the directives and literal stretches of a pattern, in order."""
    found, position = [], 0
    for match in _DIRECTIVE.finditer(pattern):
        if match.start() > position:
            found.append(pattern[position : match.start()])
        found.append(match.group())
        position = match.end()
    if position < len(pattern):
        found.append(pattern[position:])
    return found


def by_pattern(pattern: str, zone_: tzinfo) -> Show:
    """Return a function that shows a time by the directives of ``pattern`` in a zone, compiled to one expression.

    Digits are slices of the time's ISO form, which the datetime module makes in one go; neighbouring slices that stand
    there as they are wanted are one.
    """
    names: dict[str, object] = {"local": local, "zone": zone_}
    parts: list[str | tuple[int, int]] = []
    for piece in directives(pattern):
        if piece in _ISO_SLICES:
            parts.append(_ISO_SLICES[piece])
        elif piece in DIRECTIVES:
            name = f"show{len(names)}"
            names[name] = DIRECTIVES[piece]
            parts.append(f"{name}(t)")
        else:
            name = f"text{len(names)}"
            names[name] = "%" if piece == "%%" else piece
            parts.append(name)
    expression = (
        " + ".join(f"s[{part[0]}:{part[1]}]" if isinstance(part, tuple) else part for part in _joined(parts, names)) or "''"
    )
    code = f"def show(t):\n    if t.tzinfo is not zone: t = local(t, zone)\n    s = t.isoformat(' ', 'microseconds')\n    return {expression}\n"
    exec(compile(code, "<time pattern>", "exec"), names)  # noqa: S102  (only our own names and slices go in)
    show: Show = names["show"]  # type: ignore[assignment]
    return show


_Second = tuple[str, str, datetime, datetime]
"""What stands before and after the fraction of a second's text, its first instant and the first one after it."""


class Seconds:
    """How times are shown whose text hangs on the whole second, but for the digits of one fraction at most.

    Each second is shown once and remembered by day and second of the day (UTC, from 1970-01-01) as what stands before
    and after the fraction; the digits come from ``digits`` by microseconds // ``step``.
    """

    __slots__ = ("_cut", "days", "digits", "step")

    def __init__(self, cut: Callable[[datetime], tuple[str, str]], places: int) -> None:
        self._cut = cut
        self.step = {0: 1_000_000, 3: 1000, 6: 1}[places]
        self.digits: tuple[str, ...] | _Digits = _THOUSAND if places == 3 else _MILLION
        self.days: dict[int, dict[int, _Second]] = _Days()

    def look(self, time: datetime, since: timedelta) -> _Second:
        """Return a second not met so far, and remember it; near the calendar's ends it is one that holds no time."""
        before, after = self._cut(time)
        found = before, after, _EPOCH, _EPOCH
        if _FIRST_SAFE_DAY < since.days < _LAST_SAFE_DAY:
            begun = _EPOCH + timedelta(days=since.days, seconds=since.seconds)
            found = before, after, begun, begun + timedelta(seconds=1)
            day = self.days[since.days]
            if len(day) >= _KEPT:
                day.clear()
            day[since.seconds] = found
        return found


class _Days(dict[int, dict[int, _Second]]):
    """Day to its seconds; emptied when there are too many."""

    def __missing__(self, day: int) -> dict[int, _Second]:
        if len(self) >= _DAYS_KEPT:
            self.clear()
        found: dict[int, _Second] = {}
        self[day] = found
        return found


class _Digits(dict[int, str]):
    """Microseconds to their six digits, each made when it is asked for."""

    def __missing__(self, count: int) -> str:
        return f"{count:06}"


_THOUSAND = tuple(f"{count:03}" for count in range(1000))
_MILLION = _Digits()
_KEPT, _DAYS_KEPT = 4096, 16
_FIRST_SAFE_DAY, _LAST_SAFE_DAY = -719_000, 2_932_000
"""Near the ends of the calendar a zone's time can overflow, and one instant has several looks."""
EPOCH = _EPOCH


def iso_by_seconds(zone_: tzinfo) -> Seconds:
    """Return `iso` in the form that remembers seconds."""
    show = iso(zone_)

    def cut(time: datetime) -> tuple[str, str]:
        text = show(time)
        return text[:20], text[23:]

    return Seconds(cut, 3)


def pattern_by_seconds(pattern: str, zone_: tzinfo) -> Seconds | None:
    """Return `by_pattern` in the form that remembers seconds; None where the pattern shows two fractions."""
    pieces = directives(pattern)
    fractions = [at for at, piece in enumerate(pieces) if piece in {"%3f", "%6f"}]
    if len(fractions) > 1:
        return None
    at = fractions[0] if fractions else len(pieces)
    before, after = by_pattern("".join(pieces[:at]), zone_), by_pattern("".join(pieces[at + 1 :]), zone_)
    places = int(pieces[at][1]) if fractions else 0
    if len(pieces) <= at + 1:
        return Seconds(lambda time: (before(time), ""), places)
    return Seconds(lambda time: (before(time), after(time)), places)


def _joined(parts: list[str | tuple[int, int]], names: dict[str, object]) -> list[str | tuple[int, int]]:
    """Join slices whose literal between them stands in the ISO form as well."""
    joined: list[str | tuple[int, int]] = []
    for part in parts:
        if isinstance(part, tuple) and len(joined) > 1:
            before, between = joined[-2], joined[-1]
            if (
                isinstance(before, tuple)
                and isinstance(between, str)
                and between in names
                and names[between] == _ISO_LAYOUT[before[1] : part[0]]
            ):
                joined[-2:] = [(before[0], part[1])]
                continue
        joined.append(part)
    return joined
