"""Events that were routed and rendered elsewhere, batch by batch, on their way to the outlets."""

from __future__ import annotations

from array import array
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.plan.model import Plan
from vetrina.core.routing.cache import LoggerLevelCache
from vetrina.core.routing.measuring import Renders, ending_of
from vetrina.core.routing.router import Route, Router
from vetrina.core.templates.compiling import Render
from vetrina.rehearsal.outlets import reads_events

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)
_MOST_WAYS = 10_000


class Way(Struct, frozen=True):
    """The severity and the route of some events."""

    severity: int
    route: Route


class RenderedBatch(Struct):
    """Events, each with its time (whole microseconds since 1970) and the number of its way among ``ways``.

    ``texts`` are what each appender writes, one text an event that reaches it; ``marks`` and ``counts`` those of the events
    that have any, ``events`` those that an outlet looks at. ``last`` is the latest time.
    """

    times: array[int]
    numbers: array[int]
    ways: dict[int, Way]
    texts: dict[str, list[str]]
    marks: dict[int, str]
    counts: dict[int, int]
    events: dict[int, Event]
    last: datetime

    def event(self, at: int) -> Event:
        """Return an event as far as outlets look at it."""
        known = self.events.get(at)
        if known is not None:
            return known
        time = _EPOCH + timedelta(microseconds=self.times[at])
        return Event(time, self.ways[self.numbers[at]].severity, "", "", count=self.counts.get(at), mark=self.marks.get(at))


_Writers = list[tuple[Render, tuple[Callable[[str], None], ...]]]


class _Flow:
    """The way of one logger and level, and what renders for whom; without ``writers`` each event is asked."""

    __slots__ = ("number", "read", "writers")

    def __init__(self, number: int, writers: _Writers | None, *, read: bool) -> None:
        self.number, self.writers, self.read = number, writers, read


class Renderer:
    """Routes and renders events for a rehearsal that goes on elsewhere."""

    def __init__(self, plan: Plan) -> None:
        self._router = Router(plan)
        self._renders = {name: Renders(one) for name, one in plan.appenders.items()}
        self._keys = writer_keys(plan)
        self._texts: dict[str, list[str]] = {name: [] for name in plan.appenders}
        self._read = {name for name, one in plan.appenders.items() if reads_events(one)}
        self._flows: LoggerLevelCache[_Flow] = LoggerLevelCache(self._router.places.of)
        self._numbers: dict[Way, int] = {}
        self._ways: list[Way] = []

    def batch(self, events: list[Event], before: int) -> RenderedBatch:
        """Return a batch of events, rendered; so many came before."""
        flows, numbers = self._flows.by_logger, array("I")
        kept: dict[int, Event] = {}
        for at, given in enumerate(events):
            event = given
            if given.channel:
                event = self._router.enter(given) or given
                flow = self._flow(event, self._router.route(given))
            else:
                try:
                    flow = flows[event.logger][event.level]
                except KeyError:
                    flow = self._learn(event)
                if flow.writers is None:
                    flow = self._flow(event, self._router.route(event))
            numbers.append(flow.number)
            for render, adders in flow.writers or ():
                text = render(event, before + at + 1)
                for add in adders:
                    add(text)
            if flow.read:
                kept[at] = event
        return self._done(events, numbers, kept)

    def _done(self, events: list[Event], numbers: array[int], kept: dict[int, Event]) -> RenderedBatch:
        found = RenderedBatch(
            array("q", [(event.time - _EPOCH) // _MICROSECOND for event in events]),
            numbers,
            {number: self._ways[number] for number in set(numbers)},
            {name: texts[:] for name, texts in self._texts.items() if texts},
            {at: event.mark for at, event in enumerate(events) if event.mark is not None},
            {at: event.count for at, event in enumerate(events) if event.count is not None},
            kept,
            max((event.time for event in events), default=_EPOCH),
        )
        for texts in self._texts.values():
            texts.clear()
        if len(self._ways) > _MOST_WAYS:
            self._numbers, self._ways = {}, []
            self._flows.clear()
        return found

    def _learn(self, event: Event) -> _Flow:
        route = self._router.decide(event.logger, event.level).route
        if route is None:
            return self._flows.keep(event, _Flow(0, None, read=False))
        return self._flows.keep(event, self._flow(event, route, any_=self._flows.is_shared(event)))

    def _flow(self, event: Event, route: Route, *, any_: bool = False) -> _Flow:
        """Return the way of a route, for events of this one's logger and level, or of ``any_`` that shares it."""
        way = Way(self._router.severities[event.level], route)
        number = self._numbers.get(way)
        if number is None:
            number = self._numbers[way] = len(self._ways)
            self._ways.append(way)
        by_key: dict[object, list[str]] = {}
        for name in dict.fromkeys(one.appender for one in route.deliveries):
            by_key.setdefault(self._keys[name], []).append(name)
        writers: _Writers = []
        for names in by_key.values():
            renders = self._renders[names[0]]
            render = renders.of_any() if any_ else renders.of(event)
            writers.append((render, tuple(self._texts[name].append for name in names)))
        return _Flow(number, writers, read=any(one.appender in self._read for one in route.deliveries))


def writer_keys(plan: Plan) -> dict[str, object]:
    """Return what is equal for appenders of a plan that write the same texts."""
    return {name: (one.template.key(), ending_of(one)) for name, one in plan.appenders.items()}
