"""A recording as kinds of events: those that every change of levels, switches, floors and ceilings treats alike.

Rules look at the event, never at what such a change touches: what they answer is part of the kind. Here: counting.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, date, datetime

from msgspec import Struct, field

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.base.logger_names import ROOT, tree_name
from vetrina.core.base.memo import Memo
from vetrina.core.plan.model import Attachment, Plan
from vetrina.core.rolling.pace import Pace, pace_of
from vetrina.core.routing.cache import MOST_ROWS, LoggerLevelCache, RowNames
from vetrina.core.routing.measuring import Renders, measures, of_any
from vetrina.core.routing.router import ResidualRule, Router, RuleIndex, first_verdict, left_rules
from vetrina.core.templates.compiling import MakeMeasure, Measure, Render

MOST_ON_TAPE = 250_000
"""Writes, and marks of a start, that a page holds one by one."""
MOST_LINES = 5000
"""Lines that a page holds as samples."""
MOST_PAIRS = 4 * MOST_ROWS
"""Pairs of logger and level that are counted apart; further loggers share what is counted at their place in the plan."""
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_START = -1

Rules = tuple[ResidualRule, ...]
Verdicts = tuple[str | None, ...]


class DayCount(Struct):
    """What came of a kind on one day: how many events, and the bytes that each appender on the climb would write for them."""

    events: int
    bytes: list[int]


class EventKind(Struct):
    """Events of one logger and severity for which all rules answer alike.

    Attributes:
        logger: The name of its row.
        severity: Its severity.
        door: The verdict of the rules at the door, None where none matches.
        closed: The attachments, (logger, place under its `to`), whose rules do not let it pass.
        barred: The appenders whose rules do not let it pass.
        appenders: All that are attached to the logger and to those above it.
        days: What came by day, in the plan's zone.
        lines: The line that each appender writes for the first such event.
    """

    logger: str
    severity: int
    door: str | None
    closed: tuple[tuple[str, int], ...]
    barred: tuple[str, ...]
    appenders: tuple[str, ...]
    days: dict[date, DayCount] = field(default_factory=dict)
    lines: dict[str, str] = field(default_factory=dict)


class EventTape(Struct):
    """What may reach files that roll, in the order in which it came.

    ``kinds`` are places among all kinds, -1 a mark of a start; ``sizes`` those of its rolling appenders, one kind after the
    other; ``odd`` (place, count) for events that stand for several.
    """

    times: array[int] = field(default_factory=lambda: array("q"))
    kinds: array[int] = field(default_factory=lambda: array("i"))
    sizes: array[int] = field(default_factory=lambda: array("q"))
    odd: list[tuple[int, int]] = field(default_factory=list)


class WindowTraffic(Struct):
    """A recording as kinds, by the plan that it was looked at with; ``tape`` is None where too much would be on it.

    ``rolling`` are the appenders whose writes are on the tape. ``round`` events came by channels that go round the plan.
    """

    events: int
    round: int
    first: datetime | None
    last: datetime | None
    pace: Pace
    kinds: list[EventKind]
    rolling: frozenset[str]
    tape: EventTape | None
    further: int


class _Flow:
    """What is known of a logger and a severity: which rules are left to ask, and who measures."""

    __slots__ = ("appenders", "attachments", "door", "ends", "kinds", "logger", "measures", "on_tape", "severity")

    def __init__(self, logger: str, severity: int) -> None:
        self.logger, self.severity = logger, severity
        self.door: Rules = ()
        self.attachments: list[tuple[tuple[str, int], Rules]] = []
        self.ends: list[tuple[str, Rules, bool]] = []
        self.appenders: tuple[str, ...] = ()
        self.measures: list[Measure] = []
        self.on_tape: list[int] = []
        self.kinds: dict[Verdicts, int] = {}


class KindCounter:
    """Counts events by kind; it is fed as a `Counter` is. ``rolling`` names the appenders whose writes are to be on the tape."""

    def __init__(self, router: Router, rolling: frozenset[str], hide: Callable[[str], str]) -> None:
        """Count for a plan; sample lines are shown through ``hide``."""
        self._router, self._plan, self._rolling, self._hide = router, router.plan, rolling, hide
        self._rules = {name: RuleIndex(one.rules, self._plan.separator) for name, one in self._plan.appenders.items()}
        self._door = RuleIndex(self._plan.rules, self._plan.separator)
        self._deepest = max((name.count(self._plan.separator) + 1 for name in self._plan.loggers), default=1)
        self._makes: dict[str, MakeMeasure] = {name: measures(one) for name, one in self._plan.appenders.items()}
        self._renders: Memo[str, Render] = Memo(lambda name: Renders(self._plan.appenders[name]).of_any())
        self._names = RowNames(router.places, self._plan.separator, lambda: None)
        self._flows: LoggerLevelCache[_Flow] = LoggerLevelCache(lambda logger: logger)
        self._by_row: dict[tuple[str, int], _Flow] = {}
        self._zone = clocks.zone(self._plan.zone)
        self._kinds: list[EventKind] = []
        self._tape: EventTape | None = EventTape()
        self._starts = any(
            self._plan.appenders[name].roll.each_start or not self._plan.appenders[name].roll.append for name in rolling
        )
        self._number = self._events = self._round = self._lines = 0
        self._first: datetime | None = None
        self._last: datetime | None = None
        self._date = date.min
        self._begun = self._ended = _EPOCH

    def feed(self, events: Iterable[Event]) -> None:
        """Count events; each must have a level that the plan knows."""
        for given in events:
            self._number += 1
            self._note(given.time)
            count = given.count or 1
            self._events += count
            if given.mark == "start" and self._starts:
                self._write(given.time, _START, (), 1)
            event = self._router.enter(given) if given.channel else given
            if event is None:
                self._round += count
                continue
            flow = self._flows.by_logger[event.logger].get(event.level) or self._flow(event)
            self._count(event, flow, count)

    def _note(self, time: datetime) -> None:
        if self._first is None or self._last is None:
            self._first = self._last = time
        elif time > self._last:
            self._last = time
        elif time < self._first:
            self._first = time

    def _count(self, event: Event, flow: _Flow, count: int) -> None:
        door = first_verdict(flow.door, event)
        verdicts: Verdicts = (
            door,
            *(first_verdict(rules, event) for _, rules in flow.attachments),
            *(first_verdict(rules, event) for _, rules, _ in flow.ends),
        )
        place = flow.kinds.get(verdicts)
        if place is None:
            place = flow.kinds[verdicts] = self._kind(flow, verdicts)
        kind = self._kinds[place]
        day = kind.days.get(self._day(event.time))
        if day is None:
            day = kind.days[self._date] = DayCount(0, [0] * len(flow.appenders))
        day.events += count
        if door == "drop":
            return
        sizes = [one(event, self._number) for one in flow.measures]
        for at, size in enumerate(sizes):
            day.bytes[at] += size * count
        if flow.on_tape:
            self._write(event.time, place, [sizes[at] for at in flow.on_tape], count)
        if len(kind.lines) < len(flow.appenders) and self._lines < MOST_LINES:
            for name in flow.appenders:
                self._lines += 1
                kind.lines[name] = self._hide(self._renders[name](event, self._number))

    def _day(self, time: datetime) -> date:
        """Return the day of a time; a day begins at midnight of the plan's zone."""
        if not self._begun <= time < self._ended:
            self._date = clocks.local(time, self._zone).date()
            try:
                self._begun, self._ended = clocks.day_bounds(self._date, self._zone)
            except (OverflowError, ValueError):
                self._begun = self._ended = _EPOCH  # at the ends of the calendar every event turns anew
        return self._date

    def _write(self, time: datetime, place: int, sizes: Iterable[int], count: int) -> None:
        tape = self._tape
        if tape is None:
            return
        if len(tape.kinds) >= MOST_ON_TAPE:
            self._tape = None
            return
        if count != 1:
            tape.odd.append((len(tape.kinds), count))
        tape.times.append(clocks.micros(time))
        tape.kinds.append(place)
        tape.sizes.extend(sizes)

    def _kind(self, flow: _Flow, verdicts: Verdicts) -> int:
        """Make the kind of events for which the rules answer so."""
        door, *others = verdicts
        attached, ends = others[: len(flow.attachments)], others[len(flow.attachments) :]
        closed = tuple(
            where for (where, _), verdict in zip(flow.attachments, attached, strict=True) if verdict not in {None, "keep"}
        )
        barred = tuple(
            name
            for (name, _, keeps), verdict in zip(flow.ends, ends, strict=True)
            if not (keeps if verdict is None else verdict == "keep")
        )
        self._kinds.append(EventKind(flow.logger, flow.severity, door, closed, barred, flow.appenders))
        return len(self._kinds) - 1

    def _flow(self, event: Event) -> _Flow:
        """Return what is known of an event's logger and level; past the first 40,000 pairs, what is known of their place."""
        logger = tree_name(event.logger)
        severity = self._router.severities[event.level]
        own = len(self._by_row) < MOST_PAIRS or self._router.places.of(logger)[1]
        row = logger if own or (logger, severity) in self._by_row else self._names.shared(logger)
        if row != logger:
            self._names.add_others([hash(logger)])
        known = self._by_row.get((row, severity))
        if known is None:
            known = self._by_row[row, severity] = self._made(logger, row, severity, event if row == logger else None)
        return self._flows.keep(event, known)

    def _made(self, logger: str, row: str, severity: int, event: Event | None) -> _Flow:
        flow = _Flow(row, severity)
        flow.door = left_rules(self._door.of(logger), logger, severity)
        names: dict[str, None] = {}
        for via, place, attachment in attached_above(self._plan, logger, self._deepest):
            names[attachment.appender] = None
            rules = left_rules(attachment.rules, logger, severity)
            if rules:
                flow.attachments.append(((via, place), rules))
        for name in names:
            rules, keeps = left_rules(self._rules[name].of(logger), logger, severity), self._keeps(name)
            if rules or not keeps:
                flow.ends.append((name, rules, keeps))
        flow.appenders = tuple(names)
        flow.measures = [self._makes[name](event) if event is not None else of_any(self._makes[name]) for name in names]
        flow.on_tape = [at for at, name in enumerate(names) if name in self._rolling]
        return flow

    def _keeps(self, name: str) -> bool:
        return self._plan.appenders[name].otherwise.value == "keep"

    def result(self) -> WindowTraffic:
        """Return what was counted."""
        pace = pace_of(self._first, self._last, self._zone)
        return WindowTraffic(
            self._events, self._round, self._first, self._last, pace, self._kinds, self._rolling, self._tape, self._names.further,
        )  # fmt: skip


def attached_above(plan: Plan, logger: str, deepest: int) -> Iterator[tuple[str, int, Attachment]]:
    """Yield (logger, place, attachment) of a logger and all above it, own first, also of loggers that are switched off.

    No logger of the plan has more segments than ``deepest``.
    """
    segments = logger.split(plan.separator)
    above = (plan.separator.join(segments[:count]) for count in range(min(len(segments), deepest), 0, -1))
    for via in dict.fromkeys([*above, ROOT]):
        entry = plan.loggers.get(via)
        for place, attachment in enumerate(entry.to if entry is not None else ()):
            yield via, place, attachment
