"""Times as text: RFC 3339, epochs and directives, in the zone of a plan or another.

Names of days and months are English whatever the machine's language. Fractions are cut, never rounded.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime, timedelta, timezone, tzinfo
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

from vetrina.core.base.memo import Memo

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
_MICROSECOND = timedelta(microseconds=1)
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
    """Return a function that shows a time by the directives of ``pattern`` in a zone, compiled to one expression."""
    show: Show = _compiled([pattern], zone_, "{}")
    return show


def _compiled(patterns: Sequence[str], zone_: tzinfo, form: str) -> Callable[[datetime], Any]:
    """Return the function from a time to ``form``, its braces filled with the time shown by each of ``patterns``.

    Digits are slices of the time's ISO form, which the datetime module makes in one go; neighbouring slices that stand
    there as they are wanted are one.
    """
    names: dict[str, object] = {"local": local, "zone": zone_}
    expressions = []
    for pattern in patterns:
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
        shown = [f"s[{part[0]}:{part[1]}]" if isinstance(part, tuple) else part for part in _joined(parts, names)]
        expressions.append(" + ".join(shown) or "''")
    code = f"def show(t):\n    if t.tzinfo is not zone: t = local(t, zone)\n    s = t.isoformat(' ', 'microseconds')\n    return {form.format(*expressions)}\n"
    exec(compile(code, "<time pattern>", "exec"), names)  # noqa: S102  (only our own names and slices go in)
    return names["show"]  # type: ignore[return-value]


_Cut = tuple[str, str, str, str]
"""A time's text: what stands before the second, its two digits, what stands between them and the fraction's, and after."""
_Minute = tuple[str, Sequence[str], str, datetime, datetime]
"""What stands before the second, its digits with what follows them by the second, what stands after the fraction; the
minute's first instant and the first one after it."""


class Minutes:
    """How times are shown whose text hangs on the minute, but for one second's and one fraction's digits at most.

    Each minute is shown once and remembered by day and minute of the day (UTC, from 1970-01-01); the fraction's digits
    come from ``digits`` by microseconds // ``step``. ``has_seconds`` and ``has_rest`` tell whether there is a second, and
    anything after the fraction, at all.
    """

    __slots__ = ("_cut", "days", "digits", "has_rest", "has_seconds", "step")

    def __init__(
        self, cut: Callable[[datetime], _Cut], places: int, *, has_seconds: bool = True, has_rest: bool = True
    ) -> None:
        self._cut = cut
        self.has_seconds, self.has_rest = has_seconds, has_rest
        self.step = {0: 1_000_000, 3: 1000, 6: 1}[places]
        self.digits: tuple[str, ...] | _Digits = _THOUSAND if places == 3 else _MILLION
        self.days: Memo[int, dict[int, _Minute]] = Memo(lambda _day: {}, _DAYS_KEPT)

    def look(self, time: datetime, since: timedelta) -> _Minute:
        """Return a minute not met so far, and remember it.

        Where a minute's text does not hang together (near the calendar's ends, or where a zone's offset has seconds or
        changes within the minute) it is that of the very time, in a minute that holds no time.
        """
        if _FIRST_SAFE_DAY < since.days < _LAST_SAFE_DAY:
            begun = _EPOCH + timedelta(since.days, since.seconds // 60 * 60)
            before, first, middle, after = self._cut(begun)
            if self._cut(begun + _TO_LAST) == (before, "59" if self.has_seconds else "", middle, after) and first in {"00", ""}:
                found = before, _seconds_then(middle), after, begun, begun + _MINUTE
                day = self.days[since.days]
                day[since.seconds // 60] = found
                return found
        before, second, middle, after = self._cut(time)
        return before, [second + middle] * 60, after, _EPOCH, _EPOCH


@lru_cache(256)
def _seconds_then(text: str) -> Sequence[str]:
    """Return a minute's seconds as two digits, each with a text after it."""
    return [f"{second:02}{text}" for second in range(60)]


class _Digits(dict[int, str]):
    """Microseconds to their six digits, each made when it is asked for."""

    def __missing__(self, count: int) -> str:
        return f"{count:06}"


_THOUSAND = tuple(f"{count:03}" for count in range(1000))
_MILLION = _Digits()
_DAYS_KEPT = 16
_MINUTE, _TO_LAST = timedelta(minutes=1), timedelta(seconds=59)
_FIRST_SAFE_DAY, _LAST_SAFE_DAY = -719_000, 2_932_000
"""Near the ends of the calendar a zone's time can overflow, and one instant has several looks."""
EPOCH = _EPOCH


@lru_cache(64)
def iso_by_minutes(zone_: tzinfo) -> Minutes:
    """Return `iso` in the form that remembers minutes."""
    show = iso(zone_)

    def cut(time: datetime) -> _Cut:
        text = show(time)
        return text[:17], text[17:19], text[19:20], text[23:]

    return Minutes(cut, 3)


@lru_cache(64)
def pattern_by_minutes(pattern: str, zone_: tzinfo) -> Minutes | None:
    """Return `by_pattern` in the form that remembers minutes; None where the pattern is none of its kind."""
    pieces = directives(pattern)
    seconds = [at for at, piece in enumerate(pieces) if piece == "%S"]
    fractions = [at for at, piece in enumerate(pieces) if piece in {"%3f", "%6f"}]
    if len(seconds) > 1 or len(fractions) > 1 or (seconds and fractions and fractions < seconds):
        return None
    end = fractions[0] if fractions else len(pieces)
    second = seconds[0] if seconds else end
    cuts = [
        "".join(part)
        for part in (
            pieces[:second],
            pieces[second : second + 1] if seconds else "",
            pieces[second + 1 : end],
            pieces[end + 1 :],
        )
    ]
    cut = _compiled(cuts, zone_, "({}, {}, {}, {})")
    return Minutes(cut, int(pieces[end][1]) if fractions else 0, has_seconds=bool(seconds), has_rest=bool(cuts[3]))


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


def whole_days(first: datetime, last: datetime) -> timedelta:
    """Return the whole days that a time span reaches into: by so much a recording is shifted to follow itself."""
    return timedelta(days=(last - first).days + 1)


def micros(time: datetime) -> int:
    """Return the whole microseconds from 1970 to an instant."""
    return (time - _EPOCH) // _MICROSECOND


def day_bounds(day: date, zone_: tzinfo) -> tuple[datetime, datetime]:
    """Return when a day of a zone begins and ends, in UTC; raise OverflowError or ValueError at the ends of the calendar."""
    after = day + timedelta(days=1)
    begun, ended = (datetime(one.year, one.month, one.day, tzinfo=zone_).astimezone(UTC) for one in (day, after))
    return begun, ended
