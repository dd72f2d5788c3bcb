"""Traffic: many events sent through a plan and counted.

Here: what reached what, what stopped where, how many bytes. Events of one logger and level whose route is settled
are counted together; nothing is kept per event.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from datetime import UTC

from msgspec import Struct, field

from vetrina.core.conditions import json_equal
from vetrina.core.events import MISSING, SHAPES, Event, look_up, text_of, unfilled
from vetrina.core.flows import Flows
from vetrina.core.levels import LevelRange
from vetrina.core.loggers import below
from vetrina.core.plan import Appender, Plan
from vetrina.core.routing import EARLY_GATES, Decision, Route, Router
from vetrina.core.templates.compiling import MakeMeasure, MakeRender, Measure, Render


def ending_of(appender: Appender) -> str:
    """Return what follows each event in an appender's sink."""
    if appender.template.ending is None and appender.sink.kind == "syslog":
        return ""
    return appender.template.own_ending()


def to_bytes(text: str, encoding: str) -> bytes:
    """Return a text in a sink's encoding; what that cannot hold is written as a backslash escape."""
    return text.encode(encoding, "backslashreplace")


def measures(appender: Appender) -> MakeMeasure:
    """Return the function from an event to what measures those of its logger and level.

    That is the function from (event, number) to the bytes that the appender writes for it.
    """
    ending, encoding = ending_of(appender), appender.encoding
    if encoding == "utf-8":
        return appender.template.compile_length(ending)
    render = appender.template.compile(ending)
    measure: Measure = lambda event, number: len(to_bytes(render(event, number), encoding))  # noqa: E731  (one for all)
    return lambda _event: measure


class Renders:
    """How an appender's events are rendered, compiled when that is first asked for."""

    __slots__ = ("_appender", "_make")

    def __init__(self, appender: Appender) -> None:
        self._appender = appender
        self._make: MakeRender | None = None

    def of(self, event: Event) -> Render:
        """Return the function from (event, number) to what is written, for events of this one's logger and level."""
        if self._make is None:
            self._make = self._appender.template.compile_for(ending_of(self._appender))
        return self._make(event)


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


class Traffic(Struct):
    """What became of all events."""

    events: int = 0
    unfilled: int = 0
    unrouted: int = 0
    stopped: dict[str, int] = field(default_factory=lambda: dict.fromkeys(EARLY_GATES, 0))
    appenders: dict[str, AppenderCount] = field(default_factory=dict)
    cells: dict[tuple[str, int], Cell] = field(default_factory=dict)
    bytes_known: bool = True


class _Flow:
    """The events of one (logger, level as written) whose route is settled, or what is left to ask of them."""

    __slots__ = ("count", "decision", "left_out", "logger", "measures", "route", "severity", "sizes", "ways")

    def __init__(self, logger: str, severity: int, decision: Decision) -> None:
        self.logger, self.severity, self.decision = logger, severity, decision
        self.route = decision.route
        self.left_out = False
        self.count = 0
        self.ways: tuple[MakeMeasure, ...] = ()
        self.measures: tuple[Measure, ...] = ()
        self.sizes: list[int] = []


class Counter:
    """Sends events through a router and counts; ``with_bytes`` measures every delivery as well."""

    def __init__(self, router: Router, *, with_bytes: bool = True, part: Part | None = None) -> None:
        self.router = router
        self._part = part or Part()
        self.with_bytes = with_bytes
        self._flows: Flows[_Flow] = Flows()
        self._routes: dict[tuple[str, int, Route], int] = {}
        self._measures: dict[object, MakeMeasure] = {}
        self._keys = {name: (one.template.key(), ending_of(one), one.encoding) for name, one in router.plan.appenders.items()}
        self._bytes: dict[str, int] = dict.fromkeys(router.plan.appenders, 0)
        self._unfilled = 0
        self._number = 0

    def feed(self, events: Iterable[Event]) -> None:
        """Count ``events``; each must have a level that the plan knows."""
        for event in events:
            self._count(event)

    def feed_lines(
        self, lines: Iterable[bytes], read: Callable[[bytes], Event], rescue: Callable[[int, bytes], Event | None]
    ) -> int:
        """Count lines; return how many there were. ``read`` makes an event of a line or raises.

        ``rescue`` is asked with the number of the line (from 0) about a line that ``read`` refuses or that may be
        read wrongly: with an offset other than UTC's. Nothing else is done per event, for this is the inner loop of
        millions.
        """
        flows, shapes, number = self._flows.by_logger, SHAPES, self._number
        begun, refused = number, 0
        for line in lines:
            try:
                event = read(line)
                flow = flows[event.logger][event.level]
                if event.time.tzinfo is not UTC:
                    raise KeyError  # noqa: TRY301  (looked at closely)
            except (ValueError, KeyError, RecursionError):
                rescued = rescue(number - begun + refused, line)
                if rescued is None:
                    refused += 1
                else:
                    self._number = number
                    self._count(rescued)
                    number = self._number
                continue
            number += 1
            if flow.route is None or event.count is not None:
                self._number = number - 1
                self._count(event)
                continue
            flow.count += 1
            message = event.message
            if "{" in message:
                wanted = shapes[message].wanted
                if wanted and (event.fields is None or not wanted.issubset(event.fields)):
                    self._unfilled += unfilled(event)
            if flow.measures:
                for turn, one in enumerate(flow.measures):
                    flow.sizes[turn] += one(event, number)
        self._number = number
        return number - begun + refused

    def _count(self, event: Event) -> None:
        self._number += 1
        flow = self._flows.get(event) or self._flow(event)
        if flow.left_out or (self._part.fields and not self._part.holds_fields(event)):
            return
        count = event.count or 1
        self._unfilled += unfilled(event) * count
        if flow.route is None:
            route = flow.decision.follow(event)
            key = (flow.logger, flow.severity, route)
            self._routes[key] = self._routes.get(key, 0) + count
            if self.with_bytes:
                for delivery in route.deliveries:
                    self._bytes[delivery.appender] += self._measure(delivery.appender)(event)(event, self._number) * count
            return
        flow.count += count
        for turn, one in enumerate(flow.measures):
            flow.sizes[turn] += one(event, self._number) * count

    def _flow(self, event: Event) -> _Flow:
        decision = self.router.decide(event.logger, event.level)
        flow = _Flow(event.logger or "root", self.router.severities[event.level], decision)
        flow.left_out = not self._part.holds_flow(event.logger, flow.severity, self.router.plan.separator)
        if flow.left_out or self._part.fields:
            flow.route = None  # each event is asked
        if self.with_bytes and flow.route is not None:
            flow.ways = tuple(dict.fromkeys(self._measure(one.appender) for one in flow.route.deliveries))
            flow.measures = tuple(way(event) for way in flow.ways)
            flow.sizes = [0] * len(flow.measures)
        return self._flows.keep(event, flow)

    def _measure(self, appender: str) -> MakeMeasure:
        """Return how the appender's events are measured; appenders that write alike share one."""
        key = self._keys[appender]
        known = self._measures.get(key)
        if known is None:
            known = self._measures[key] = measures(self.router.plan.appenders[appender])
        return known

    def result(self) -> Traffic:
        """Return the sums so far."""
        traffic = Traffic(unfilled=self._unfilled, bytes_known=self.with_bytes)
        traffic.appenders = {name: AppenderCount(bytes=size) for name, size in self._bytes.items()}
        for flow in self._flows:
            if flow.route is not None:
                _add(traffic, flow.logger, flow.severity, flow.route, flow.count)
                sizes = dict(zip(flow.ways, flow.sizes, strict=True))
                for delivery in flow.route.deliveries if self.with_bytes else ():
                    traffic.appenders[delivery.appender].bytes += sizes[self._measure(delivery.appender)]
        for (logger, severity, route), count in self._routes.items():
            _add(traffic, logger, severity, route, count)
        for name, appender in traffic.appenders.items():
            if appender.reached and self.with_bytes:
                header = self.router.plan.appenders[name].template.header(ending_of(self.router.plan.appenders[name]))
                appender.bytes += len(to_bytes(header, self.router.plan.appenders[name].encoding))
        traffic.cells = dict(sorted(traffic.cells.items()))
        return traffic


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
        cell.stopped[route.stopped_at] = cell.stopped.get(route.stopped_at, 0) + count
    elif not route.deliveries:
        cell.dropped += count
    for delivery in route.deliveries:
        traffic.appenders[delivery.appender].reached += count
        cell.reached[delivery.appender] = cell.reached.get(delivery.appender, 0) + count
    for stop in route.stops:
        gates = traffic.appenders[stop.appender].stopped
        gates[stop.gate] = gates.get(stop.gate, 0) + count


class Part(Struct, frozen=True):
    """Which events to look at: everything given must hold."""

    logger: str = ""
    levels: LevelRange | None = None
    fields: tuple[tuple[str, object], ...] = ()

    def holds(self, event: Event, severity: int, separator: str) -> bool:
        """Tell whether an event belongs to the part."""
        return self.holds_flow(event.logger, severity, separator) and self.holds_fields(event)

    def holds_flow(self, logger: str, severity: int, separator: str) -> bool:
        """Tell whether a logger's events of a severity may belong to the part."""
        if self.logger and not below(logger or "root", self.logger, separator):
            return False
        return self.levels is None or self.levels.holds(severity)

    def holds_fields(self, event: Event) -> bool:
        """Tell whether an event has the part's fields."""
        return all(
            (found := look_up(event.fields, name)) is not MISSING and json_equal(found, value) for name, value in self.fields
        )


def only(events: Iterable[Event], part: Part, router: Router) -> Iterator[Event]:
    """Yield the events of a part."""
    separator, severities = router.plan.separator, router.severities
    return (event for event in events if part.holds(event, severities[event.level], separator))


class Group(Struct):
    """The events that share a field's value, and how many deliveries each appender got of them."""

    value: str
    events: int = 0
    unrouted: int = 0
    reached: dict[str, int] = {}


MOST_GROUPS = 10_000
OTHERS = "(all others)"
ABSENT = "(absent)"


def grouped(events: Iterable[Event], router: Router, field_name: str) -> tuple[list[Group], int]:
    """Return events by the value of a field, the most frequent first, and how many events there were.

    Beyond 10,000 values the further ones share one group.
    """
    groups: dict[str, Group] = {}
    total = 0
    for event in events:
        found = look_up(event.fields, field_name)
        value = ABSENT if found is MISSING else text_of(found)
        if value not in groups and len(groups) >= MOST_GROUPS:
            value = OTHERS
        group = groups.get(value)
        if group is None:
            group = groups[value] = Group(value, reached={})
        count = event.count or 1
        total += count
        group.events += count
        deliveries = router.route(event).deliveries
        group.unrouted += 0 if deliveries else count
        for one in deliveries:
            group.reached[one.appender] = group.reached.get(one.appender, 0) + count
    return sorted(groups.values(), key=lambda one: (-one.events, one.value)), total


def appender_sinks(plan: Plan) -> dict[str, str]:
    """Return appender to the label of its sink, as `file logs/drive.log`."""
    return {name: f"{one.sink.kind} {one.sink.label}".strip() for name, one in plan.appenders.items()}
