"""Traffic through the rolling files of a plan: every file appender simulated by itself."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import UTC, datetime, timedelta
from itertools import islice
from typing import TypeVar

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.foresight.lessons import Foretold
from vetrina.core.rolling.lanes import MakePacker, RollingAppender, lane_of
from vetrina.core.rolling.streams import Stream, StreamedEvent, StreamedEvents, StreamFeeder
from vetrina.core.rolling.tapes import Tape
from vetrina.core.routing.cache import LoggerLevelCache
from vetrina.core.routing.measuring import of_any
from vetrina.core.routing.passages import Passages, Write
from vetrina.core.routing.router import Route, Router
from vetrina.core.templates.compiling import Measure

T = TypeVar("T")
_TOGETHER = 1000
_SOME_TIME = datetime(2026, 1, 1, tzinfo=UTC)
_SOME_SIZE = 100
_BEGIN, _END = datetime.min.replace(tzinfo=UTC), datetime.max.replace(tzinfo=UTC)
_LAST_HOUR = _END - timedelta(hours=2)


Reached = tuple[RollingAppender, int, Measure]


class LaneSums(Struct):
    """What one file appender got: its tape, its traffic by hour and by severity."""

    tape: Tape
    hours: dict[datetime, list[int]]
    levels: dict[int, list[int]]


class RollingSums(Struct):
    """What the events of a part were to a plan's files: how many, the time of the first one and of the least and greatest."""

    events: int
    begun: datetime | None
    first: datetime | None
    last: datetime | None
    lanes: dict[str, LaneSums]


class Rolling:
    """The file appenders of a plan, fed with events in stream order."""

    def __init__(
        self,
        router: Router,
        *,
        wanted: tuple[str, ...] = (),
        ratio: float | None = None,
        packer: MakePacker | None = None,
        ratios: dict[str, float] | None = None,
        every_file: bool = False,
        one_writer: bool = False,
        number: int = 0,
        tapes_only: bool = False,
    ) -> None:
        """Simulate each file appender by itself; with ``one_writer`` those at one place through the first one's policy.

        ``number`` of events came before. With ``tapes_only`` nothing is simulated: what would be is handed over by ``sums``.
        """
        self.router = router
        self.events = self._before = number
        self.first: datetime | None = None
        self.last: datetime | None = None
        self.tracks_levels = self.tracks_clock = False
        self.foretold: Foretold | None = None
        self._tapes_only = tapes_only
        self._first_event: datetime | None = None
        self._clock = _BEGIN
        self._begun = self._ended = _SOME_TIME
        self._passages = Passages(router)
        self._late: StreamedEvents | None = None
        self._means: dict[str, dict[int, int]] = {}
        self._flows: LoggerLevelCache[list[Reached] | None] = LoggerLevelCache(router.places.of)
        zone = clocks.zone(router.plan.zone)
        self.lanes: dict[str, RollingAppender] = {}
        for one in router.plan.appenders.values():
            if one.sink.traits.rolls and (not wanted or one.name in wanted):
                packed = ratio if ratios is None else ratios.get(one.name, ratio)
                self.lanes[one.name] = lane_of(one, zone, packed, packer, every_file=every_file)
        self._shares = _share(self.lanes) if one_writer else frozenset()
        self._writers = list({id(lane.tape): lane for lane in reversed(self.lanes.values())}.values())[::-1]
        self._watching = [lane for lane in self._writers if lane.watches_starts]
        self._known: dict[int, tuple[Route, list[tuple[RollingAppender, int]]]] = {}

    def feed(self, events: Iterable[Event]) -> None:
        """Send events through; each must have a level that the plan knows."""
        waiting = iter(events if self._late is None else self._late.between(events))
        while some := list(islice(waiting, _TOGETHER)):
            if self._first_event is None:
                self._first_event = some[0].time
            times = [event.time for event in some]
            self.first = min(self.first or _END, *times, _END)
            self.last = max(self.last or _BEGIN, *times, _BEGIN)
            self._take_down(some)
            self._settle(max(times))

    def _take_down(self, events: list[Event]) -> None:  # noqa: C901  (the inner loop of millions of events, in one piece)
        """Take down what reaches the files."""
        flows, number, clock = self._flows.by_logger, self.events, self._clock
        begun, ended = self._begun, self._ended
        tracks_clock, tracks_levels = self.tracks_clock, self.tracks_levels
        for event in events:
            number += 1
            time = event.time
            if not begun <= time < ended:
                self._turn(time)
                begun, ended = self._begun, self._ended
            if tracks_clock and time > clock:
                clock = time
            try:
                reached = flows[event.logger][event.level]
            except KeyError:
                reached = self._reached(event)
            if reached is None or event.channel:
                number -= isinstance(event, StreamedEvent)
                self._one_by_one(event, number, clock)
                continue
            if event.mark == "start":
                self._start(time, clock)
            for lane, times, measure in reached:
                size, tape = measure(event, number), lane.tape
                count = times
                if times != 1 or event.count:
                    count = times * (event.count or 1)
                    tape.odd.append((len(tape.sizes), count))
                tape.times.append(time)
                tape.sizes.append(size)
                if lane.content is not None:
                    tape.data.append(lane.content(event, number))
                if tracks_clock:
                    tape.clocks.append(clock)
                hour = lane.hour
                if hour is None:
                    hour = lane.hour = lane.hours.setdefault(begun, [0, 0])
                hour[0] += count
                hour[1] += size * count
                if tracks_levels:
                    level = lane.levels.setdefault(self.router.severities[event.level], [0, 0])
                    level[0] += 1
                    level[1] += size
        self.events, self._clock = number, clock

    def _start(self, time: datetime, clock: datetime) -> None:
        """Take a mark of a start down."""
        for lane in self._watching:
            lane.tape.starts.append((len(lane.tape.sizes), time))
            lane.tape.start_clocks.append(clock)

    def _one_by_one(self, event: Event, number: int, clock: datetime) -> None:
        """Take down what is written now that an event has come: what it recalls comes before a start that it marks."""
        taken = self._passages.take(event, number)
        if event.mark == "start":
            self._put(taken.before_mark(), clock)
            self._start(event.time, clock)
            self._put(taken.after_mark(), clock)
        else:
            self._put(taken.writes, clock)

    def _put(self, writes: Iterable[Write], clock: datetime) -> None:
        """Take down writes, each with its event's own time."""
        for write in writes:
            lane = self.lanes.get(write.appender)
            if lane is None:
                continue
            event, number = write.passage.event, write.passage.number
            size, count, tape = self._size(lane, event, number), event.count or 1, lane.tape
            if count != 1:
                tape.odd.append((len(tape.sizes), count))
            tape.times.append(event.time)
            tape.sizes.append(size)
            if lane.content is not None:
                tape.data.append(lane.content(event, number))
            if self.tracks_clock:
                tape.clocks.append(clock)
            hour = lane.hours.setdefault(_hour_of(event.time), [0, 0])
            hour[0] += count
            hour[1] += size * count
            if self.tracks_levels:
                level = lane.levels.setdefault(write.passage.severity, [0, 0])
                level[0] += 1
                level[1] += size

    def _size(self, lane: RollingAppender, event: Event, number: int) -> int:
        """Return the bytes of an event; of a streamed one those that were given, or the mean of its level."""
        if not isinstance(event, StreamedEvent):
            return lane.measures(event)(event, number)
        lane.streamed = True
        if event.size is not None:
            return event.size
        return _mean(self._means.get(lane.appender.name, {}), self.router.severities[event.level])

    def _settle(self, clock: datetime) -> None:
        """Play what was taken down, or keep it; ``clock`` is the latest time of the events that it is of."""
        for lane in self._writers:
            tape, lane.tape = lane.tape, Tape()
            if self._tapes_only:
                lane.whole.extend(tape)
            else:
                self._play_lane(lane, tape, clock)
        for lane in self.lanes.values():
            if lane.appender.name in self._shares:
                lane.tape = next(one.tape for one in self._writers if one.simulation is lane.simulation)

    def _play_lane(self, lane: RollingAppender, tape: Tape, clock: datetime) -> None:
        feeder = lane.feeder
        if feeder is None:
            lane.simulation.play(tape)
            return
        if not feeder.begun and self._first_event is not None:
            feeder.begin(self._first_event)
        odd, starts = dict(tape.odd), list(zip(tape.starts, tape.start_clocks, strict=True))[::-1]
        for at in range(len(tape.sizes) + 1):
            while starts and starts[-1][0][0] == at:
                (_, start), latest = starts.pop()
                feeder.until(latest)
                lane.simulation.start(start)
            if at < len(tape.sizes):
                feeder.until(tape.clocks[at])
                lane.simulation.write(tape.time(tape.times[at]), tape.sizes[at], odd.get(at, 1), tape.content(at))
        feeder.until(clock)

    def sums(self) -> RollingSums:
        """Return what was taken down so far, for another one of the same plan."""
        lanes = {name: LaneSums(lane.whole, lane.hours, lane.levels) for name, lane in self.lanes.items()}
        return RollingSums(self.events - self._before, self._first_event, self.first, self.last, lanes)

    def add(self, sums: RollingSums) -> None:
        """Play what another one took down, of events that come after those that were played here."""
        if sums.begun is None or sums.first is None or sums.last is None:
            return
        self.events += sums.events
        self._first_event = self._first_event or sums.begun
        self.first = min(self.first or sums.first, sums.first)
        self.last = max(self.last or sums.last, sums.last)
        for name, one in sums.lanes.items():
            lane = self.lanes[name]
            _add_all(lane.hours, one.hours)
            _add_all(lane.levels, one.levels)
            if self._tapes_only:
                lane.whole.extend(one.tape)
            else:
                self._play_lane(lane, one.tape, sums.last)

    def _turn(self, time: datetime) -> None:
        """Go to the hour of a time, in UTC."""
        self._begun = _hour_of(time)
        self._ended = self._begun + timedelta(hours=1) if time < _LAST_HOUR else _END
        for lane in self.lanes.values():
            lane.hour = None

    def _reached(self, event: Event) -> list[Reached] | None:
        """Return the lanes that an event reaches, None for one that may meet a limit, a recall or a queue.

        Those of a settled logger and level are remembered.
        """
        decision = self.router.decide(event.logger, event.level)
        if decision.remembers:
            return self._flows.keep(event, None)
        lanes = self.reached(decision.follow(event))
        if decision.route is None:
            return [(lane, times, lane.measures(event)) for lane, times in lanes]
        shared = self._flows.is_shared(event)
        return self._flows.keep(
            event, [(lane, times, of_any(lane.measures) if shared else lane.measures(event)) for lane, times in lanes]
        )

    def add_streams(self, streams: Iterable[Stream], means: dict[str, dict[int, int]]) -> None:
        """Add streams that no event file has; ``means`` are bytes by appender and severity, for those without a size.

        Those that may come to a limit, a recall or a queue are fed event by event, between the others.
        """
        fed: dict[str, list[tuple[Stream, int, int]]] = {}
        late = [one for one in streams if self._is_late(one)]
        self._late, self._means = StreamedEvents(late) if late else None, means
        for one in streams:
            if one in late:
                continue  # limits, recalls and queues decide on each of its events
            for lane, size, times in self.stream_ways(one, means):
                fed.setdefault(lane.appender.name, []).append((one, times, size))
        for name, some in fed.items():
            self.lanes[name].streamed = True
            self.lanes[name].feeder = StreamFeeder(self.lanes[name], some)
        self.tracks_clock = bool(fed)

    def stream_ways(self, stream: Stream, means: dict[str, dict[int, int]]) -> Iterator[tuple[RollingAppender, int, int]]:
        """Yield the files that a stream's events reach, the bytes of each there, and how often each is written."""
        event = Event(_SOME_TIME, stream.severity, stream.logger, "")
        for lane, times in self.reached(self.router.route(event)):
            size = stream.size if stream.size is not None else _mean(means.get(lane.appender.name, {}), stream.severity)
            yield lane, size, times

    def _is_late(self, stream: Stream) -> bool:
        """Tell whether a file with a limit, a recall or a queue may get events of a stream."""
        lanes = [one.appender for one in self.router.decide(stream.logger, stream.severity).lanes if one.open]
        return any(name in self.lanes and self.lanes[name].appender.remembers for name in lanes)

    def means(self) -> dict[str, dict[int, int]]:
        """Return the mean bytes of an event by appender and severity, of what was fed so far."""
        return {
            name: {severity: size // count for severity, (count, size) in lane.levels.items() if count}
            for name, lane in self.lanes.items()
        }

    def reached(self, route: Route) -> list[tuple[RollingAppender, int]]:
        """Return the file appenders that a route reaches, and how many times each."""
        known = self._known.get(id(route))
        if known is not None:
            return known[1]
        counts: dict[str, int] = {}
        each = [one.appender for one in route.deliveries if one.appender in self.lanes]
        for name in each:
            counts[name] = counts.get(name, 0) + 1
        apart = any(name in self._shares for name in each)  # in the order of the deliveries: they meet in one file
        times = [(name, 1) for name in each] if apart else list(counts.items())
        found = [(self.lanes[name], count) for name, count in times]
        if len(self._known) < 10_000:
            self._known[id(route)] = (route, found)  # the route is kept, so that its id stays its own
        return found

    def finish(self) -> None:
        """End the input."""
        for lane in self.lanes.values():
            lane.simulation.finish()


def _hour_of(time: datetime) -> datetime:
    """Return the hour of a time, in UTC; at the end of the calendar the time itself."""
    return time.astimezone(UTC).replace(minute=0, second=0, microsecond=0) if time < _LAST_HOUR else time


def _share(lanes: dict[str, RollingAppender]) -> frozenset[str]:
    """Let the lanes at one place share the first one's simulation; return the names of those that share."""
    first: dict[str, RollingAppender] = {}
    shared: set[str] = set()
    for name, lane in lanes.items():
        one = first.setdefault(lane.appender.sink.place, lane)
        if one is not lane:
            lane.simulation, lane.tape = one.simulation, one.tape
            shared |= {name, one.appender.name}
    return frozenset(shared)


def _add_all(sums: dict[T, list[int]], more: dict[T, list[int]]) -> None:
    for key, counts in more.items():
        known = sums.setdefault(key, [0] * len(counts))
        for at, count in enumerate(counts):
            known[at] += count


def _mean(sizes: dict[int, int], severity: int) -> int:
    """Return the mean size of a level, else of all levels, else a usual one."""
    if severity in sizes:
        return sizes[severity]
    return sum(sizes.values()) // len(sizes) if sizes else _SOME_SIZE
