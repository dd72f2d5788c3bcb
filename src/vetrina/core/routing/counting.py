"""Traffic: many events sent through a plan and counted.

Here: what reached what, what stopped where, how many bytes. Events of one logger and level whose route is settled
are counted together; nothing is kept per event.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TypeVar

from msgspec import Struct, field

from vetrina.core.base.events import SHAPES, Event, unfilled
from vetrina.core.plan.model import Plan
from vetrina.core.routing.cache import FURTHER, MOST_ROWS, LoggerLevelCache, RowNames
from vetrina.core.routing.measuring import ending_of, measures, of_any, to_bytes
from vetrina.core.routing.parts import Part
from vetrina.core.routing.passages import Passage, Passages
from vetrina.core.routing.router import EARLY_GATES, ROUND, Decision, Route, Router
from vetrina.core.templates.compiling import MakeMeasure, Measure

T = TypeVar("T")


class AppenderCount(Struct):
    """What one appender got: deliveries, bytes, and what each gate stopped on the way to it."""

    reached: int = 0
    bytes: int = 0
    stopped: dict[str, int] = field(default_factory=dict)


class Cell(Struct):
    """The events of one logger and severity: how many, and how many deliveries to each appender.

    ``stopped`` counts those that the first three gates stopped, ``dropped`` those that every appender refused.
    """

    logger: str
    severity: int
    events: int = 0
    reached: dict[str, int] = field(default_factory=dict)
    stopped: dict[str, int] = field(default_factory=dict)
    dropped: int = 0


class ChannelCount(Struct):
    """What came by one channel, and how much of it went round the configuration."""

    events: int = 0
    round: int = 0


class Traffic(Struct):
    """What became of all events; ``further`` loggers share rows with others (`RowNames`).

    ``channels`` are those that events came by: the first 10,000 by name, "" for further ones.
    """

    events: int = 0
    unfilled: int = 0
    unrouted: int = 0
    stopped: dict[str, int] = field(default_factory=lambda: dict.fromkeys(EARLY_GATES, 0))
    appenders: dict[str, AppenderCount] = field(default_factory=dict)
    cells: dict[tuple[str, int], Cell] = field(default_factory=dict)
    bytes_known: bool = True
    further: int = 0
    channels: dict[str, ChannelCount] = field(default_factory=dict)


class CountedSums(Struct):
    """What a `Counter` has counted, to be added to another one's, also in another process.

    ``rows`` are by route, row's name and severity; ``others`` are the marks of loggers without a row (`RowNames`).
    """

    rows: list[tuple[Route, dict[tuple[str, int], int]]]
    bytes: dict[str, int]
    unfilled: int
    others: set[int]
    channels: dict[str, ChannelCount]


class _Flow:
    """The events of one (logger, level as written) whose route is settled, or what is left to ask of them.

    ``names`` counts by the name of the row where loggers share the flow; None where it is one logger's.
    """

    __slots__ = (
        "count",
        "decision",
        "left_out",
        "logger",
        "measures",
        "names",
        "quick",
        "route",
        "row",
        "severity",
        "sizes",
        "ways",
    )

    def __init__(self, logger: str, severity: int, decision: Decision) -> None:
        self.logger, self.severity, self.decision = logger, severity, decision
        self.route = decision.route
        self.left_out = False
        self.quick = False
        self.count = 0
        self.names: dict[str, int] | None = None
        self.row = ""
        self.ways: tuple[MakeMeasure, ...] = ()
        self.measures: tuple[Measure, ...] = ()
        self.sizes: list[int] = []


class Counter:
    """Counts events as they are fed; the result can be asked for at any time, and feeding goes on.

    With ``with_bytes`` every delivery is measured, which makes counting slower. Only events of ``part`` count. ``number`` of
    events came before those that are fed.
    """

    def __init__(self, router: Router, *, with_bytes: bool = True, part: Part | None = None, number: int = 0) -> None:
        self.router = router
        self._part = part or Part()
        self.with_bytes = with_bytes
        places = router.places_with(self._part.logger)
        self._flows: LoggerLevelCache[_Flow] = LoggerLevelCache(places.of)
        self._kept: dict[tuple[str | tuple[str, bool], int], _Flow] = {}
        self._places = places
        self._passages = Passages(router)
        self._names = RowNames(router.places, router.plan.separator, self._regroup)
        self._routes: dict[Route, dict[tuple[str, int], int]] = {}
        self._measures: dict[object, MakeMeasure] = {}
        self._keys = {name: (one.template.key(), ending_of(one), one.encoding) for name, one in router.plan.appenders.items()}
        self._bytes: dict[str, int] = dict.fromkeys(router.plan.appenders, 0)
        self._unfilled = 0
        self._channels: dict[str, ChannelCount] = {}
        self._number = number

    def feed(self, events: Iterable[Event]) -> None:
        """Count ``events``; each must have a level that the plan knows. This is the inner loop of millions."""
        flows, shapes, number = self._flows.by_logger, SHAPES, self._number
        for event in events:
            number += 1
            if event.channel:
                self._count_by_channel(event, number)
                continue
            try:
                flow = flows[event.logger][event.level]
            except KeyError:
                flow = self._flow(event)
            if not flow.quick or event.count is not None:
                self._count(event, flow, number)
                continue
            flow.count += 1
            if flow.names is not None:
                name = self._names.of(event.logger or "root", flow.row)  # first: it may move what is in names
                more(flow.names, name, 1)
            message = event.message
            if "{" in message:
                wanted = shapes[message].wanted
                if wanted and (event.fields is None or not wanted.issubset(event.fields)):
                    self._unfilled += unfilled(event)
            if flow.measures:
                for turn, one in enumerate(flow.measures):
                    flow.sizes[turn] += one(event, number)
        self._number = number

    def _count_by_channel(self, event: Event, number: int) -> None:
        """Count an event that came by a channel: brought in as what it counts as, else as itself."""
        entered = self.router.enter(event)
        if self._is_of_part(entered or event):
            self._note_channel(event.channel or "", event.count or 1, 0 if entered else event.count or 1)
        if entered is None:
            self._count_route(event, ROUND, number)
            return
        flow = self._flows.get(entered)
        self._count(entered, flow if flow is not None else self._flow(entered), number)

    def _note_channel(self, name: str, events: int, round_: int) -> None:
        """Count events of a channel; further ones than can be listed share one entry, and those last by name do so at once."""
        known = self._channels.setdefault(name, ChannelCount())
        known.events += events
        known.round += round_
        if len(self._channels) > 2 * MOST_ROWS:
            self._channels = _first_channels(self._channels)

    def _is_of_part(self, event: Event) -> bool:
        return self._part.holds(event, self.router.severities[event.level], self.router.plan.separator)

    def _count_route(self, event: Event, route: Route, number: int) -> None:
        """Count an event whose route is known, where it is of the part."""
        if not self._is_of_part(event):
            return
        severity = self.router.severities[event.level]
        count = event.count or 1
        self._unfilled += unfilled(event) * count
        key = (self._names.of(event.logger or "root"), severity)  # first: it may move what is in the routes
        more(self._routes.setdefault(route, {}), key, count)
        if self.with_bytes:
            for delivery in route.deliveries:
                self._bytes[delivery.appender] += self._measure(delivery.appender)(event)(event, number) * count

    def _count(self, event: Event, flow: _Flow, number: int) -> None:
        if flow.decision.remembers:
            for passage in self._passages.take(event, number).settled:
                self._count_route(passage.event, passage.route(), passage.number)
            return
        if flow.left_out or (self._part.fields and not self._part.holds_fields(event)):
            return
        count = event.count or 1
        self._unfilled += unfilled(event) * count
        if flow.route is None:
            route = flow.decision.follow(event)
            key = (self._names.of(event.logger or "root", flow.row), flow.severity)  # first: it may move what is in the routes
            more(self._routes.setdefault(route, {}), key, count)
            if self.with_bytes:
                for delivery in route.deliveries:
                    self._bytes[delivery.appender] += self._measure(delivery.appender)(event)(event, number) * count
            return
        flow.count += count
        if flow.names is not None:
            name = self._names.of(event.logger or "root", flow.row)
            more(flow.names, name, count)
        for turn, one in enumerate(flow.measures):
            flow.sizes[turn] += one(event, number) * count

    def _regroup(self) -> None:
        """Move what was counted for loggers that lost their rows."""
        for route, rows in self._routes.items():
            moved: dict[tuple[str, int], int] = {}
            for (logger, severity), count in rows.items():
                more(moved, (self._names.of(logger), severity), count)
            self._routes[route] = moved
        for flow in self._kept.values():
            if flow.names is not None:
                names: dict[str, int] = {}
                for logger, count in flow.names.items():
                    more(names, self._names.of(logger), count)
                flow.names = names

    def _flow(self, event: Event) -> _Flow:
        severity = self.router.severities[event.level]
        shared = self._flows.is_shared(event)
        key = (self._places.of(event.logger) if shared else event.logger, severity)
        flow = self._kept.get(key)
        if flow is None:
            flow = self._kept[key] = self._new_flow(event, severity, shared=shared)
        return self._flows.keep(event, flow)

    def _new_flow(self, event: Event, severity: int, *, shared: bool) -> _Flow:
        flow = _Flow(event.logger or "root", severity, self.router.decide(event.logger, event.level))
        flow.left_out = not self._part.holds_flow(event.logger, severity, self.router.plan.separator)
        if flow.left_out or self._part.fields:
            flow.route = None  # each event is asked
        if shared:
            flow.names, flow.row = {}, self._names.shared(event.logger)
        if self.with_bytes and flow.route is not None:
            flow.ways = tuple(dict.fromkeys(self._measure(one.appender) for one in flow.route.deliveries))
            flow.measures = tuple(of_any(way) if shared else way(event) for way in flow.ways)
            flow.sizes = [0] * len(flow.measures)
        flow.quick = flow.route is not None
        return flow

    def _measure(self, appender: str) -> MakeMeasure:
        """Return how the appender's events are measured; appenders that write alike share one."""
        key = self._keys[appender]
        known = self._measures.get(key)
        if known is None:
            known = self._measures[key] = measures(self.router.plan.appenders[appender])
        return known

    def sums(self) -> CountedSums:
        """Return what was counted so far, for another counter of the same plan and part."""
        rows: dict[Route, dict[tuple[str, int], int]] = {}
        for name, severity, route, count in self._rows():
            more(rows.setdefault(route, {}), (name, severity), count)
        return CountedSums(list(rows.items()), self._sizes(), self._unfilled, self._names.others, self._channels)

    def add(self, sums: CountedSums) -> None:
        """Count what another counter of the same plan and part has counted; their order does not matter."""
        self._unfilled += sums.unfilled
        self._names.add_others(sums.others)
        for name, size in sums.bytes.items():
            self._bytes[name] += size
        for name, one in sums.channels.items():
            self._note_channel(name, one.events, one.round)
        for route, rows in sums.rows:
            self._routes.setdefault(route, {})
            for (logger, severity), count in rows.items():
                key = (self._names.of(logger), severity)
                more(self._routes[route], key, count)

    def _sizes(self) -> dict[str, int]:
        """Return appender to the bytes that were measured for it."""
        found = dict(self._bytes)
        for left in self._left() if self.with_bytes else ():
            for delivery in left.route().deliveries:
                size = self._measure(delivery.appender)(left.event)(left.event, left.number)
                found[delivery.appender] += size * (left.event.count or 1)
        for flow in self._kept.values():
            if flow.route is not None and self.with_bytes:
                sizes = dict(zip(flow.ways, flow.sizes, strict=True))
                for delivery in flow.route.deliveries:
                    found[delivery.appender] += sizes[self._measure(delivery.appender)]
        return found

    def result(self) -> Traffic:
        """Return the sums so far, by logger and severity and by appender."""
        left = sum(unfilled(one.event) * (one.event.count or 1) for one in self._left())
        traffic = Traffic(unfilled=self._unfilled + left, bytes_known=self.with_bytes)
        traffic.appenders = {name: AppenderCount(bytes=size) for name, size in self._sizes().items()}
        rows = [*self._rows()]
        for name in dict.fromkeys(name for name, *_ in rows):
            self._names.of(name)
        self._names.settle()
        for name, severity, route, count in rows:
            _add(traffic, self._names.of(name), severity, route, count)
        traffic.further = self._names.further
        traffic.channels = _first_channels(self._channels)
        for name, appender in traffic.appenders.items():
            if appender.reached and self.with_bytes:
                header = self.router.plan.appenders[name].template.header(ending_of(self.router.plan.appenders[name]))
                appender.bytes += len(to_bytes(header, self.router.plan.appenders[name].encoding))
        traffic.cells = dict(sorted(traffic.cells.items(), key=lambda one: (one[0][0].endswith(FURTHER), one[0])))
        return traffic

    def _rows(self) -> Iterator[tuple[str, int, Route, int]]:
        """Yield what was counted: the name of a row, severity, route, events."""
        for flow in self._kept.values():
            if flow.route is not None:
                for name, count in (flow.names if flow.names is not None else {flow.logger: flow.count}).items():
                    yield name, flow.severity, flow.route, count
        for route, rows in self._routes.items():
            for (logger, severity), count in rows.items():
                yield logger, severity, route, count
        for one in self._left():
            yield one.event.logger or "root", one.severity, one.route(), one.event.count or 1

    def _left(self) -> list[Passage]:
        """Return the events of the part that are remembered somewhere: if the input ended here, they would be stopped there."""
        return [one for one in self._passages.left() if self._is_of_part(one.event)]


def _first_channels(channels: dict[str, ChannelCount]) -> dict[str, ChannelCount]:
    """Return the first 10,000 channels by name, the others together under ""."""
    names = sorted(name for name in channels if name)
    found = {name: channels[name] for name in names[:MOST_ROWS]}
    rest = [channels[name] for name in names[MOST_ROWS:]] + ([channels[""]] if "" in channels else [])
    if rest:
        found[""] = ChannelCount(sum(one.events for one in rest), sum(one.round for one in rest))
    return found


def by_channel(traffic: Traffic) -> list[tuple[str, ChannelCount]]:
    """Return the channels, the most frequent first."""
    return sorted(traffic.channels.items(), key=lambda one: (-one[1].events, one[0]))


def more(counts: dict[T, int], key: T, count: int) -> None:
    """Count ``count`` more of ``key``."""
    counts[key] = counts.get(key, 0) + count


def _add(traffic: Traffic, logger: str, severity: int, route: Route, count: int) -> None:
    traffic.events += count
    cell = traffic.cells.get((logger, severity))
    if cell is None:
        cell = traffic.cells[logger, severity] = Cell(logger, severity)
    cell.events += count
    if not route.deliveries:
        traffic.unrouted += count
    if route.stopped_at is not None:
        traffic.stopped[route.stopped_at] += count
        more(cell.stopped, route.stopped_at, count)
    elif not route.deliveries:
        cell.dropped += count
    for delivery in route.deliveries:
        traffic.appenders[delivery.appender].reached += count
        more(cell.reached, delivery.appender, count)
    for stop in route.stops:
        more(traffic.appenders[stop.appender].stopped, stop.gate, count)


def appender_sinks(plan: Plan) -> dict[str, str]:
    """Return appender to the label of its sink, as `file logs/drive.log`."""
    return {name: one.sink.title for name, one in plan.appenders.items()}
