"""What a recording made under a plan cannot hold: the events that this plan stops before any appender.

Here: which events those are, and the counting of both, in the recording that tells of them and in the one that lacks
them. Not here: what the two together say (lessons.py).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import UTC, date, datetime, timedelta, tzinfo
from random import Random
from typing import NamedTuple

from msgspec import Struct, field

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.base.logger_names import ROOT, ancestry, tree_name
from vetrina.core.routing.cache import FURTHER
from vetrina.core.routing.router import ROUND, Route, Router
from vetrina.core.templates.compiling import MakeMeasure

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_HOUR = timedelta(hours=1)
_MOST_LOGGERS = 10_000
_MOST_KEPT = 65_536
_MOST_SAMPLES = 1_000
OwnKey = tuple[str, int]
"""A logger and a severity."""
Measured = Callable[[int, str], MakeMeasure]
"""The measure of an appender (by name) on a side (by number)."""


def hour_of(time: datetime) -> int:
    """Return the hour of an instant, counted from 1970 in UTC."""
    return (time - _EPOCH) // _HOUR


def instant_of(hour: int) -> datetime:
    """Return the instant at which an hour begins."""
    return _EPOCH + hour * _HOUR


def parent_of(logger: str, separator: str) -> str:
    """Return the name above a logger's, root's at last."""
    return logger.rpartition(separator)[0] or ROOT


class ImaginedEvent(Event):
    """An event that nobody recorded here: one of another recording, at a time of this one."""


class Recorded:
    """A plan under which a recording was made: it holds what the plan lets arrive somewhere, or what goes round it."""

    def __init__(self, router: Router) -> None:
        self.router = router
        self._known: dict[tuple[str, int | str], bool | None] = {}

    def hides(self, event: Event) -> bool:
        """Tell whether the plan stops an event before any appender; a limit, a recall or a queue may let it pass."""
        if event.channel:
            route = self.router.route(event)
            return route is not ROUND and not route.deliveries
        key = (event.logger, event.level)
        known = self._known.get(key)
        if known is None:
            decision = self.router.decide(*key)
            if decision.route is None:
                return not decision.follow(event).deliveries
            known = not decision.route.deliveries
            if len(self._known) < _MOST_KEPT:
                self._known[key] = known
        return known


class LoggerCap:
    """Keeps loggers apart, as long as they are not too many; further ones go with those beside them."""

    def __init__(self, separator: str) -> None:
        self._separator = separator
        self._known: set[str] = set()

    def of(self, logger: str) -> str:
        """Return the name under which a logger is counted."""
        if logger in self._known:
            return logger
        if len(self._known) < _MOST_LOGGERS:
            self._known.add(logger)
            return logger
        above = parent_of(logger, self._separator)
        return FURTHER if above == ROOT else f"{above}{self._separator}{FURTHER}"


class WaySums(Struct):
    """The bytes of events on one way: by hour, their squares, the least; ``count`` are the events measured."""

    by_hour: dict[int, int] = field(default_factory=dict)
    count: int = 0
    squares: int = 0
    least: int = 0

    @property
    def mean(self) -> float:
        """Return the mean bytes of an event."""
        return sum(self.by_hour.values()) / self.count

    def take(self, hour: int, size: int, count: int) -> None:
        """Take so many events of a size."""
        self.by_hour[hour] = self.by_hour.get(hour, 0) + size * count
        self.least = min(self.least, size) if self.count else size
        self.count += count
        self.squares += size * size * count


class HiddenKind:
    """Hidden events of one logger and level that go the same way on every side.

    ``hours`` counts them by hour of the recording; ``ways`` are their bytes by (side, appender), ``samples`` some of them.
    """

    __slots__ = ("count", "hours", "logger", "remembers", "routes", "samples", "severity", "ways")

    def __init__(self, logger: str, severity: int, routes: tuple[Route, ...], *, remembers: bool) -> None:
        self.logger, self.severity, self.routes, self.remembers = logger, severity, routes, remembers
        self.hours: dict[int, int] = {}
        self.ways: dict[tuple[int, str], WaySums] = {}
        self.samples: list[Event] = []
        self.count = 0


class Learner:
    """Takes the recordings that tell of hidden events, one after the other.

    ``sides`` are the plans for which something is foreseen; ``measured`` gives what measures events there.
    """

    def __init__(self, recorded: Recorded, sides: Sequence[Router], measured: Measured) -> None:
        self._recorded, self._sides, self._measured = recorded, sides, measured
        self._severities = recorded.router.severities
        self._cap = LoggerCap(recorded.router.plan.separator)
        self._hours: dict[tuple[int, int], int] = {}
        self._turn = 0
        self._chance = Random(1)  # noqa: S311  (which of many events are kept as samples)
        self.seen: dict[str, dict[int, int]] = {}
        self.kinds: dict[tuple[str, int, tuple[Route, ...]], HiddenKind] = {}
        self.held: dict[OwnKey, int] = {}
        self.events = 0

    @property
    def hours(self) -> int:
        """Return how many hours hold events."""
        return len(self._hours)

    def next_recording(self) -> None:
        """Begin another recording: its hours are its own."""
        self._turn += 1

    def feed(self, events: Iterable[Event]) -> None:
        """Take events."""
        for event in events:
            count, own = event.count or 1, (self._turn, hour_of(event.time))
            hour = self._hours.setdefault(own, len(self._hours))
            self.events += 1
            if self._recorded.hides(event):
                self._take_hidden(event, hour, count)
            else:
                by_hour = self.seen.setdefault(self._cap.of(tree_name(event.logger)), {})
                by_hour[hour] = by_hour.get(hour, 0) + count

    def _take_hidden(self, event: Event, hour: int, count: int) -> None:
        name, severity = self._cap.of(tree_name(event.logger)), self._severities[event.level]
        self.held[name, severity] = self.held.get((name, severity), 0) + count
        routes = tuple(side.route(event) for side in self._sides)
        if not any(route.deliveries for route in routes):
            return
        kind = self.kinds.get((name, severity, routes))
        if kind is None:
            remembers = any(not event.channel and side.decide(event.logger, event.level).remembers for side in self._sides)
            kind = self.kinds[name, severity, routes] = HiddenKind(name, severity, routes, remembers=remembers)
        kind.hours[hour] = kind.hours.get(hour, 0) + count
        for side, route in enumerate(routes):
            for appender in dict.fromkeys(one.appender for one in route.deliveries):
                size = self._measured(side, appender)(event)(event, self.events)
                kind.ways.setdefault((side, appender), WaySums()).take(hour, size, count)
        kind.count += 1
        if len(kind.samples) < _MOST_SAMPLES:
            kind.samples.append(event)
        elif (at := self._chance.randrange(kind.count)) < _MOST_SAMPLES:
            kind.samples[at] = event


class Stretch(NamedTuple):
    """An hour (`hour_of`) of a recording, as far as it lies on one day (its ordinal) of the plan's zone."""

    hour: int
    day: int


class SeenSums(Struct):
    """What a recording holds: seen events by the nearest name that was asked for, and the events that it should not hold.

    ``least`` is the lowest severity of each logger.
    """

    seen: dict[str, dict[Stretch, int]] = field(default_factory=dict)
    odd: dict[OwnKey, int] = field(default_factory=dict)
    least: dict[str, int] = field(default_factory=dict)
    first: datetime | None = None
    last: datetime | None = None


class SeenHere:
    """Counts the seen events of the recording that lacks the hidden ones, by the nearest of ``names`` and by hour."""

    def __init__(self, recorded: Recorded, names: frozenset[str]) -> None:
        plan = recorded.router.plan
        self._recorded, self._names, self._separator = recorded, names, plan.separator
        self._zone: tzinfo = clocks.zone(plan.zone)
        self._cap = LoggerCap(plan.separator)
        self._nearest: dict[str, str] = {}
        self._noted: set[tuple[str, int | str]] = set()
        self._begun = self._ended = _EPOCH
        self._stretch = Stretch(0, 0)
        self.found = SeenSums()

    def feed(self, events: Iterable[Event]) -> None:
        """Take events."""
        found, recorded = self.found, self._recorded
        for event in events:
            time, count = event.time, event.count or 1
            if not self._begun <= time < self._ended:
                self._turn(time)
            found.first = time if found.first is None or time < found.first else found.first
            found.last = time if found.last is None or time > found.last else found.last
            if (event.logger, event.level) not in self._noted:
                self._note(event)
            if recorded.hides(event):
                own = (self._cap.of(tree_name(event.logger)), recorded.router.severities[event.level])
                found.odd[own] = found.odd.get(own, 0) + count
                continue
            counts = found.seen.setdefault(self._nearest.get(event.logger) or self._find(event.logger), {})
            counts[self._stretch] = counts.get(self._stretch, 0) + count

    def _note(self, event: Event) -> None:
        """Note the lowest severity of a logger."""
        if len(self._noted) < _MOST_KEPT:
            self._noted.add((event.logger, event.level))
        name, severity = self._cap.of(tree_name(event.logger)), self._recorded.router.severities[event.level]
        self.found.least[name] = min(severity, self.found.least.get(name, severity))

    def _find(self, logger: str) -> str:
        """Return the nearest of the names at or above a logger; root is always one."""
        name = next(one for one in ancestry(tree_name(logger), self._separator) if one in self._names)
        if len(self._nearest) < _MOST_KEPT:
            self._nearest[logger] = name
        return name

    def _turn(self, time: datetime) -> None:
        """Go to the hour of a time, and to its day."""
        hour = hour_of(time)
        day: date = clocks.local(time, self._zone).date()
        self._stretch = Stretch(hour, day.toordinal())
        try:
            begun, ended = clocks.day_bounds(day, self._zone)
            self._begun, self._ended = max(begun, instant_of(hour)), min(ended, instant_of(hour + 1))
        except (OverflowError, ValueError):
            self._begun = self._ended = _EPOCH  # at the ends of the calendar every event turns anew

    def sums(self) -> SeenSums:
        """Return what was counted so far."""
        return self.found

    def add(self, sums: SeenSums) -> None:
        """Count what was counted elsewhere."""
        found = self.found
        for name, counts in sums.seen.items():
            known = found.seen.setdefault(name, {})
            for stretch, count in counts.items():
                known[stretch] = known.get(stretch, 0) + count
        for own, count in sums.odd.items():
            found.odd[own] = found.odd.get(own, 0) + count
        for name, severity in sums.least.items():
            found.least[name] = min(severity, found.least.get(name, severity))
        firsts, lasts = (
            [one for one in pair if one is not None] for pair in ((found.first, sums.first), (found.last, sums.last))
        )
        found.first, found.last = min(firsts, default=None), max(lasts, default=None)
