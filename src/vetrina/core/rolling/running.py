"""Traffic through the rolling files of a plan: every file appender simulated by itself."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime, timedelta

from msgspec import Struct

from vetrina.core.events import Event
from vetrina.core.plan import Appender
from vetrina.core.rolling.simulation import FileSimulation, Packer
from vetrina.core.routing import Route, Router
from vetrina.core.templates import clocks
from vetrina.core.traffic import ending_of, measure, to_bytes

MakePacker = Callable[[str], Packer]


class Lane(Struct):
    """One file appender: its simulation, how its events are measured, and its traffic by hour."""

    appender: Appender
    simulation: FileSimulation
    size: Callable[[Event, int], int]
    content: Callable[[Event, int], bytes] | None
    watches_starts: bool
    hours: dict[datetime, list[int]] = {}


class Rolling:
    """The file appenders of a plan, fed with events in stream order."""

    def __init__(
        self, router: Router, *, wanted: tuple[str, ...] = (), ratio: float | None = None, packer: MakePacker | None = None
    ) -> None:
        self.router = router
        self.events = 0
        zone = clocks.zone(router.plan.zone)
        self.lanes: dict[str, Lane] = {}
        for one in router.plan.appenders.values():
            if one.sink.kind == "file" and (not wanted or one.name in wanted):
                self.lanes[one.name] = _lane(one, zone, ratio, packer)
        self._watching = [lane for lane in self.lanes.values() if lane.watches_starts]
        self._known: dict[int, tuple[Route, list[tuple[Lane, int]]]] = {}

    def feed(self, events: Iterable[Event]) -> None:
        """Send events through; each must have a level that the plan knows."""
        for number, event in enumerate(events, start=self.events + 1):
            self.events = number
            time, count = event.time, event.count or 1
            if event.mark == "start":
                for lane in self._watching:
                    lane.simulation.start(time)
            for lane, times in self._reached(self.router.route(event)):
                size = lane.size(event, number)
                data = lane.content(event, number) if lane.content else b""
                lane.simulation.write(time, size, times * count, data)
                hour = lane.hours.setdefault(time.replace(minute=0, second=0, microsecond=0), [0, 0])
                hour[0] += times * count
                hour[1] += size * times * count

    def _reached(self, route: Route) -> list[tuple[Lane, int]]:
        known = self._known.get(id(route))
        if known is not None:
            return known[1]
        times: dict[str, int] = {}
        for one in route.deliveries:
            if one.appender in self.lanes:
                times[one.appender] = times.get(one.appender, 0) + 1
        found = [(self.lanes[name], count) for name, count in times.items()]
        if len(self._known) < 10_000:
            self._known[id(route)] = (route, found)  # the route is kept, so that its id stays its own
        return found

    def finish(self) -> None:
        """End the input."""
        for lane in self.lanes.values():
            lane.simulation.finish()


def _lane(appender: Appender, zone: object, ratio: float | None, packer: MakePacker | None) -> Lane:
    header = len(to_bytes(appender.template.header(ending_of(appender)), appender.encoding))
    roll = appender.roll
    simulation = FileSimulation(roll, zone, header=header, ratio=ratio, packer=packer)  # type: ignore[arg-type]
    content = None
    if roll.names.codec and ratio is None and packer is not None:
        render, encoding = appender.template.compile(ending_of(appender)), appender.encoding
        content = lambda event, number: to_bytes(render(event, number), encoding)  # noqa: E731  (one of two ways)
    return Lane(appender, simulation, measure(appender), content, roll.each_start or not roll.append, {})


def repeated(read: Callable[[], Iterable[Event]], times: int) -> Iterable[Event]:
    """Yield the events ``times`` times over, each round shifted by the whole days that the first one spans."""
    first: datetime | None = None
    last: datetime | None = None
    shift = timedelta(0)
    for turn in range(times):
        for event in read():
            if not turn:
                first = event.time if first is None or event.time < first else first
                last = event.time if last is None or event.time > last else last
            else:
                event.time += shift * turn
            yield event
        if first is not None and last is not None:
            shift = timedelta(days=(last - first).days + 1)
