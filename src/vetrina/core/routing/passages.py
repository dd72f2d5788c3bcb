"""Events on their way past the gates with a memory: limits, recalls and queues decide in the order of the stream.

Here: what becomes of each event, and what is written, in the order of writing. Not here: what the gates before decide
(router.py), and how each of these three decides (core/rush/).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from typing import Any, NamedTuple

from vetrina.core.base.events import Event
from vetrina.core.plan.model import Appender
from vetrina.core.routing.router import ROUND, AttachmentGates, Gate, LateGate, Route, Router, route_of
from vetrina.core.rush.keys import Key, key_of
from vetrina.core.rush.limit import LimitGate
from vetrina.core.rush.queue import Place, QueueGate
from vetrina.core.rush.recall import RecallGate

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)
_LONG_AGO = datetime.min.replace(tzinfo=UTC)


def nanoseconds(time: datetime) -> int:
    """Return the nanoseconds from 1970 to a time."""
    return (time - _EPOCH) // _MICROSECOND * 1000


class Passage:
    """One event on its way: as what it counts, its number, the gate that stops it on each lane (None: none so far).

    ``waiting`` is on how many lanes it is remembered; ``tag`` is the caller's own.
    """

    __slots__ = ("early", "event", "gates", "lanes", "number", "severity", "tag", "waiting")

    def __init__(self, event: Event, number: int, severity: int, tag: Any) -> None:
        self.event, self.number, self.severity, self.tag = event, number, severity, tag
        self.early: Route | None = None
        self.lanes: tuple[AttachmentGates, ...] = ()
        self.gates: list[Gate | None] = []
        self.waiting = 0

    def route(self) -> Route:
        """Return where it went; where it is still remembered, it is stopped there."""
        return self.early if self.early is not None else route_of(self.lanes, self.gates)


class Write(NamedTuple):
    """One delivery: an event and the lane that it is delivered on."""

    passage: Passage
    lane: int

    @property
    def appender(self) -> str:
        """Return the appender."""
        return self.passage.lanes[self.lane].appender

    @property
    def via(self) -> str:
        """Return the logger whose attachment it came through."""
        return self.passage.lanes[self.lane].via


class Taken(NamedTuple):
    """What an event did: itself, what is written now in order, and the events of which all is known now, itself among them."""

    passage: Passage
    writes: list[Write]
    settled: list[Passage]

    def before_mark(self) -> list[Write]:
        """Return what is written before a mark of the event acts: what it recalled."""
        return [one for one in self.writes if one.passage is not self.passage]

    def after_mark(self) -> list[Write]:
        """Return what is written after a mark of the event has acted: the event itself."""
        return [one for one in self.writes if one.passage is self.passage]


class Gauge:
    """Hears what the gates of an appender decide; every method does nothing here."""

    def arrived(self, write: Write, now: datetime) -> None:
        """Hear of an event that reached the first of the three gates, at the appender's clock."""

    def stopped(self, write: Write, gate: LateGate, now: datetime) -> None:
        """Hear of an event that one of them stopped."""

    def queued(self, write: Write, now: datetime, place: Place) -> None:
        """Hear of an event that stands in line."""

    def written(self, write: Write, now: datetime, *, recalled: bool) -> None:
        """Hear of an event that passed them all."""


_SILENT = Gauge()


class AppenderGates:
    """The limit, recall and queue of one appender, and its clock, which no event turns back."""

    def __init__(self, appender: Appender, severity_of: Callable[[Event], int], gauge: Gauge) -> None:
        self.clock = _LONG_AGO
        limit, recall, queue = appender.limit, appender.recall, appender.queue
        self.limit = LimitGate(limit.events, limit.per) if limit else None
        self.recall: RecallGate[Write] | None = RecallGate(recall.events, recall.below, recall.at) if recall else None
        self.queue = QueueGate(queue.events, queue.drains.step, queue.full.waits_from) if queue else None
        same = limit.same if limit else recall.same if recall else ()
        self.key: Callable[[Event], Key] = key_of(same, severity_of)
        self._gauge = gauge
        self._loud = gauge is not _SILENT

    def ask(self, write: Write, settled: list[Passage]) -> Iterator[Write]:
        """Take an event that arrives, and yield what is written now; events whose last question this answers go to ``settled``."""
        self.clock = max(self.clock, write.passage.event.time)
        if self._loud:
            self._gauge.arrived(write, self.clock)
        if self.limit is not None:
            if not self.limit.ask(self.key(write.passage.event), self.clock):
                write.passage.gates[write.lane] = "limit"
                self._tell_stop(write, "limit")
                return
        elif self.recall is not None:
            yield from self._recalled(self.recall, write, settled)
            return
        if self._queued(write):
            yield write

    def _recalled(self, recall: RecallGate[Write], write: Write, settled: list[Passage]) -> Iterator[Write]:
        """Take an event that is remembered, or is written with what it recalls."""
        passage = write.passage
        passage.gates[write.lane] = "recall"
        passage.waiting += 1
        fates = recall.ask(self.key(passage.event), passage.severity, write)
        for one in fates.stopped:
            self._tell_stop(one, "recall")
            _settle(one, "recall", settled, passage)
        for one in fates.written:
            _settle(one, None, settled, passage)
            if self._queued(one, recalled=one.passage is not passage):
                yield one

    def _queued(self, write: Write, *, recalled: bool = False) -> bool:
        """Let an event stand in line; tell whether it is written."""
        if self.queue is not None:
            place = self.queue.ask(write.passage.severity, nanoseconds(self.clock))
            if place is None:
                write.passage.gates[write.lane] = "queue"
                self._tell_stop(write, "queue")
                return False
            if self._loud:
                self._gauge.queued(write, self.clock, place)
        if self._loud:
            self._gauge.written(write, self.clock, recalled=recalled)
        return True

    def _tell_stop(self, write: Write, gate: LateGate) -> None:
        if self._loud:
            self._gauge.stopped(write, gate, self.clock)


def _settle(write: Write, gate: Gate | None, settled: list[Passage], latest: Passage) -> None:
    """Let a remembered event go; one of which all is known then is told, unless it is the latest, which just arrives."""
    passage = write.passage
    passage.gates[write.lane] = gate
    passage.waiting -= 1
    if passage is not latest and not passage.waiting:
        settled.append(passage)


class Passages:
    """Takes events one by one, in the order of the stream, past every gate of a plan."""

    def __init__(self, router: Router, gauge: Callable[[Appender], Gauge | None] | None = None) -> None:
        self.router = router

        def severity_of(event: Event) -> int:
            return router.severities[event.level]

        gauges = {name: (gauge(one) if gauge else None) or _SILENT for name, one in router.plan.appenders.items()}
        self.appenders = {
            name: AppenderGates(one, severity_of, gauges[name])
            for name, one in router.plan.appenders.items()
            if one.remembers or gauges[name] is not _SILENT
        }
        self._waiting: dict[int, Passage] = {}

    def plain(self, event: Event) -> Route | None:
        """Return the route of an event that came by no channel and meets none of the three gates, None for any other."""
        if event.channel:
            return None
        decision = self.router.decide(event.logger, event.level)
        return None if decision.remembers else decision.follow(event)

    def take(self, event: Event, number: int, tag: Any = None) -> Taken:
        """Send the event of a number through; raise KeyError for a level that the plan does not know."""
        router = self.router
        entered = router.enter(event) if event.channel else event
        if entered is None:
            passage = Passage(event, number, router.severities[event.level], tag)
            passage.early = ROUND
            return Taken(passage, [], [passage])
        passage = Passage(entered, number, router.severities[entered.level], tag)
        decision = router.decide(entered.logger, entered.level)
        gates = decision.route or decision.gates(entered)
        if isinstance(gates, Route):
            passage.early, passage.lanes = gates, tuple(_delivered(gates))
        else:
            passage.lanes, passage.gates = decision.lanes, gates
        writes: list[Write] = []
        settled: list[Passage] = []
        for at, lane in enumerate(passage.lanes):
            if passage.early is None and passage.gates[at] is not None:
                continue
            own = self.appenders.get(lane.appender)
            if own is None:
                writes.append(Write(passage, at))
            else:
                writes += own.ask(Write(passage, at), settled)
        for one in settled:
            self._waiting.pop(id(one), None)
        if passage.waiting:
            self._waiting[id(passage)] = passage
        else:
            settled.append(passage)
        return Taken(passage, writes, settled)

    def left(self) -> list[Passage]:
        """Return the events that are still remembered somewhere, by their numbers: at the end of the input they are stopped there."""
        return sorted(self._waiting.values(), key=lambda one: one.number)


def alone(router: Router, event: Event) -> Route:
    """Return where an event goes before which none came."""
    return Passages(router).take(event, 1).passage.route()


def _delivered(route: Route) -> Iterator[AttachmentGates]:
    """Yield a lane for each delivery of a settled route."""
    for one in route.deliveries:
        yield AttachmentGates(one.appender, one.via, True, None, True, True)
