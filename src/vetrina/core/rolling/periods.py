"""Periods of a rolling file: where they begin, by the wall clock of a zone, told as instants.

A period begins at every instant at which the wall clock reaches a boundary. A boundary inside a skipped hour counts
at the jump; for days and longer, one that comes twice counts the first time. Differences are taken in UTC only.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta, tzinfo

from msgspec import Struct

from vetrina.core.plan.rolling_policy import Every

_DAY = timedelta(days=1)
_EPOCH = date(1970, 1, 1)
_WIDEST_CHANGE = timedelta(hours=26)
_END = datetime.max.replace(tzinfo=UTC)


class Period(Struct, frozen=True):
    """One period: its first instant, the first one after it (both UTC), and its start on the wall clock."""

    start: datetime
    end: datetime
    wall: datetime


def period_of(instant: datetime, every: Every, zone: tzinfo) -> Period:
    """Return the period that holds an instant."""
    try:
        if every.unit in {"minute", "hour"}:
            return _short(instant.astimezone(UTC), every, zone)
        return _long(instant.astimezone(UTC), every, zone)
    except (OverflowError, ValueError):  # at the ends of the calendar
        return Period(instant, _END, instant)


def _offset(instant: datetime, zone: tzinfo) -> timedelta:
    return instant.astimezone(zone).utcoffset() or timedelta(0)


def _short(instant: datetime, every: Every, zone: tzinfo) -> Period:
    """Work out a period of minutes or hours: by plain counting where no change of the clock is near."""
    step = timedelta(minutes=every.count if every.unit == "minute" else every.count * 60)
    offset = _offset(instant, zone)
    near = step + timedelta(hours=4)
    if _offset(instant - near, zone) == offset == _offset(instant + near, zone):
        wall = (instant + offset).replace(tzinfo=None)
        midnight = wall.replace(hour=0, minute=0, second=0, microsecond=0)
        begun = midnight + (wall - midnight) // step * step
        ended = min(begun + step, midnight + _DAY)
        start = begun.replace(tzinfo=UTC) - offset
        return Period(start, ended.replace(tzinfo=UTC) - offset, start.astimezone(zone))
    instants = sorted(set(_instants_near(instant, step, zone)))
    start = max(one for one in instants if one <= instant)
    return Period(start, min(one for one in instants if one > instant), start.astimezone(zone))


def _instants_near(instant: datetime, step: timedelta, zone: tzinfo) -> Iterator[datetime]:
    """Yield every instant near another one at which the wall clock reaches a multiple of ``step`` from midnight."""
    today = instant.astimezone(zone).date()
    for day in (today - _DAY, today, today + _DAY, today + 2 * _DAY):
        wall = datetime(day.year, day.month, day.day)  # noqa: DTZ001  (a wall clock's reading)
        while wall.date() == day:
            yield from _instants(wall, zone)
            wall += step


def _instants(wall: datetime, zone: tzinfo) -> list[datetime]:
    """Return the instants at which the wall clock shows a reading; of a skipped one, the jump."""
    first = wall.replace(tzinfo=zone, fold=0)
    second = wall.replace(tzinfo=zone, fold=1)
    one, two = first.astimezone(UTC), second.astimezone(UTC)
    if one == two:
        return [one]
    if one < two:
        return [one, two]
    return [_jump(two, one, zone)]


def _jump(before: datetime, after: datetime, zone: tzinfo) -> datetime:
    """Return the first instant after a change of the clock that lies between two instants, to the second."""
    low, high = int(before.timestamp()), int(after.timestamp())
    new = _offset(datetime.fromtimestamp(high, tz=UTC), zone)
    while low < high:
        middle = (low + high) // 2
        if _offset(datetime.fromtimestamp(middle, tz=UTC), zone) == new:
            high = middle
        else:
            low = middle + 1
    return datetime.fromtimestamp(low, tz=UTC)


def _long(instant: datetime, every: Every, zone: tzinfo) -> Period:
    day = _first_day(instant.astimezone(zone).date(), every)
    start = _instant_of(day, every, zone)
    while start > instant:
        day = _first_day(day - _DAY, every)
        start = _instant_of(day, every, zone)
    following = _next_day(day, every)
    end = _instant_of(following, every, zone)
    while end <= instant:
        day, start = following, end
        following = _next_day(following, every)
        end = _instant_of(following, every, zone)
    return Period(start, end, start.astimezone(zone))


def _instant_of(day: date, every: Every, zone: tzinfo) -> datetime:
    wall = datetime(day.year, day.month, day.day) + timedelta(minutes=every.at)  # noqa: DTZ001  (a wall clock's reading)
    return _instants(wall, zone)[0]


def _first_day(day: date, every: Every) -> date:
    """Return the first day of the period that a day belongs to."""
    if every.unit == "day":
        return day - timedelta(days=(day - _EPOCH).days % every.count)
    if every.unit == "week":
        return day - timedelta(days=day.weekday())
    return day.replace(day=1) if every.unit == "month" else day.replace(month=1, day=1)


def _next_day(day: date, every: Every) -> date:
    if every.unit == "day":
        return day + timedelta(days=every.count)
    if every.unit == "week":
        return day + timedelta(days=7)
    if every.unit == "month":
        return day.replace(year=day.year + day.month // 12, month=day.month % 12 + 1)
    return day.replace(year=day.year + 1)
