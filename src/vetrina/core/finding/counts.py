"""Hits counted by what they share: logger, level, source, message as written, period, a field; by one or by two of these."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime, timedelta, timezone, tzinfo
from typing import Any

import msgspec
from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.base.events import MISSING, has_error, look_up
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.memo import Memo
from vetrina.core.finding.entry import Entry

PLAIN = ("logger", "level", "from", "message", "minute", "hour", "day")
PERIODS = frozenset({"minute", "hour", "day"})


class Group(Struct):
    """So many events of one value (of two, in a matrix), ``errors`` of them carry an error; `count` weighs."""

    values: tuple[Any, ...]
    events: int = 0
    errors: int = 0


class CountSums(Struct):
    """What was counted of some entries: all events, and the groups by what is equal for equal values."""

    total: int
    groups: dict[Any, Group]


class By(Struct, frozen=True):
    """What is counted by: one of `PLAIN`, or `field` with its name."""

    kind: str
    field: str = ""

    @property
    def title(self) -> str:
        """What it is called."""
        return f"field {self.field}" if self.kind == "field" else self.kind


class Counts:
    """Counts entries by one or two things."""

    def __init__(self, by: tuple[By, ...], scale: Scale, zone: tzinfo, sources: tuple[str, ...]) -> None:
        self._values = [_value_of(one, scale, zone, sources) for one in by]
        self._by = by
        self._groups: dict[Any, Group] = {}
        self.total = 0

    def feed(self, entries: Iterable[Entry]) -> None:
        """Take entries in any order."""
        groups = self._groups
        for entry in entries:
            values = tuple([value(entry) for value in self._values])
            key = tuple(map(_key, values))
            group = groups.get(key)
            if group is None:
                group = groups[key] = Group(values)
            count = entry.event.count or 1
            group.events += count
            self.total += count
            if has_error(entry.event):
                group.errors += count

    def sums(self) -> CountSums:
        """Return what was counted, to be added elsewhere."""
        return CountSums(self.total, self._groups)

    def add(self, other: CountSums) -> None:
        """Take over what was counted of other entries."""
        self.total += other.total
        for key, one in other.groups.items():
            group = self._groups.setdefault(key, Group(one.values))
            group.events += one.events
            group.errors += one.errors

    def groups(self) -> list[Group]:
        """Return the groups: periods in the order of time, else those with most events first."""
        by_time = next((at for at, one in enumerate(self._by) if one.kind in PERIODS), None)
        found = sorted(self._groups.values(), key=lambda one: (-one.events, *map(_shown_order, one.values)))
        return found if by_time is None else sorted(found, key=lambda one: one.values[by_time])


def _value_of(by: By, scale: Scale, zone: tzinfo, sources: tuple[str, ...]) -> Callable[[Entry], Any]:
    """Return the function from an entry to the value that it is counted by: a JSON value, or a period's beginning."""
    if by.kind == "field":
        name = by.field
        return lambda entry: None if (found := look_up(entry.event.fields, name)) is MISSING else found
    if by.kind in PERIODS:
        return _period(by.kind, zone)
    names = Severities(scale)
    shown: Memo[object, str] = Memo(lambda level: scale.name(names[level]))
    plain: dict[str, Callable[[Entry], Any]] = {
        "logger": lambda entry: tree_name(entry.event.logger),
        "level": lambda entry: shown[entry.event.level],
        "from": lambda entry: sources[entry.source],
        "message": lambda entry: entry.event.message,
    }
    return plain[by.kind]


class CountsMaker(Struct):
    """Counts some entries, here or in another process."""

    by: tuple[By, ...]
    scale: Scale
    zone: tzinfo
    sources: tuple[str, ...]

    def empty(self) -> Counts:
        """Return counts of nothing yet."""
        return Counts(self.by, self.scale, self.zone, self.sources)

    def __call__(self, entries: Iterable[Entry]) -> CountSums:
        """Return the counts of these alone."""
        counts = self.empty()
        counts.feed(entries)
        return counts.sums()


class Period(Struct, frozen=True, order=True):
    """A minute, an hour or a day of a zone's wall clock: its first instant that an event fell into, and what it is called."""

    instant: datetime
    text: str


def _period(kind: str, zone: tzinfo) -> Callable[[Entry], Period]:
    """Return the function from an entry to its period; an hour that comes twice is two, told apart by the offset."""

    def day(time: datetime) -> Period:
        begun = clocks.local(time, zone).replace(hour=0, minute=0, second=0, microsecond=0, fold=0, tzinfo=None)
        return Period(begun, begun.date().isoformat())

    def finer(time: datetime) -> Period:
        there = clocks.local(time, zone)
        offset = there.utcoffset() or timedelta(0)
        wall = there.replace(second=0, microsecond=0, fold=0, tzinfo=None)
        wall = wall if kind == "minute" else wall.replace(minute=0)
        text = wall.replace(tzinfo=timezone(offset)).isoformat() if offset else f"{wall.isoformat()}Z"
        try:
            return Period(wall - offset, text)
        except OverflowError:  # at an end of the calendar
            return Period(wall, text)

    make = day if kind == "day" else finer
    return lambda entry: make(entry.event.time)


def _key(value: Any) -> Any:
    """Return what is equal for equal JSON values: 1 and 1.0, but not 1 and true, nor 7 and "7"."""
    if isinstance(value, bool):
        return ("boolean", value)
    if isinstance(value, list):
        return ("list", *map(_key, value))
    if isinstance(value, dict):
        return ("object", frozenset((name, _key(one)) for name, one in value.items()))
    return value


def _shown_order(value: Any) -> str:
    if isinstance(value, Period):
        return value.text
    return value if isinstance(value, str) else msgspec.json.encode(value).decode()
