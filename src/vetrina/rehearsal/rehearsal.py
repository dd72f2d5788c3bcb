"""A rehearsal: events through every gate of a plan, and delivered for real into a folder or to a receiver on loopback.

Here: buffers, troubles, lateness, and the sums. What writes is one module for each kind of sink (outlets/).
"""

from __future__ import annotations

from collections import Counter as Multiset
from collections.abc import Callable, Iterable
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.routing.cache import LoggerLevelCache
from vetrina.core.routing.measuring import to_bytes
from vetrina.core.routing.passages import Passages, Write
from vetrina.core.routing.router import Route, Router
from vetrina.rehearsal.lanes import SinkLane
from vetrina.rehearsal.outlets.console import Console
from vetrina.rehearsal.outlets.file import RolledFile
from vetrina.rehearsal.outlets.outlet import RehearsalSite, RenderedEvent, Undelivered
from vetrina.rehearsal.outlets_of_plan import outlets_of, shared_files
from vetrina.rehearsal.rendered import RenderedBatch
from vetrina.rehearsal.route_writers import RouteWriters, Writers
from vetrina.rehearsal.sandbox import DiskFull, LimitReached
from vetrina.rehearsal.shared_file import SharedFile
from vetrina.rehearsal.short_way import LONG_WAY, Flow, ShortWriters, earliest

_LONG_AGO = datetime.min.replace(tzinfo=UTC)


class Troubles(Struct, frozen=True):
    """What is made to go wrong: a crash at a time, and appenders whose sink is down from one time to another."""

    crash_at: datetime | None = None
    down: tuple[tuple[str, datetime, datetime], ...] = ()


class Rehearsal:
    """Takes events one by one; ``finish`` delivers what waits and closes everything."""

    def __init__(self, router: Router, place: RehearsalSite, troubles: Troubles | None = None) -> None:
        self.router, self.place, self.troubles = router, place, troubles or Troubles()
        self.events = 0
        self.lanes = {name: SinkLane(router.plan.appenders[name], own) for name, own in outlets_of(router.plan, place).items()}
        self.shared = shared_files(router.plan)
        for name, begun, ended in self.troubles.down:
            self.lanes[name].down += ((begun, ended),)
        streams = Multiset(lane.outlet.stream for lane in self.lanes.values() if isinstance(lane.outlet, Console))
        for lane in self.lanes.values():
            alone = isinstance(lane.outlet, Console) and streams[lane.outlet.stream] == 1
            lane.settle(place.sandbox.disk, alone=alone)
        self._crash_at = self.troubles.crash_at
        self._passages = Passages(router)
        self._writers = RouteWriters(self.lanes, self.shared)
        self._routes: dict[Route, Route] = {}
        self._now = _LONG_AGO
        self._flows: LoggerLevelCache[Flow] = LoggerLevelCache(router.places.of)
        self._quick: list[SinkLane] = []
        self._times_matter = any(lane.block is None for lane in self.lanes.values())

    def feed(self, events: Iterable[Event]) -> None:
        """Send events through.

        The short way is for events that only reach files which are open and take what comes: nothing but their text is
        made, and put into the files' blocks, which are written when the events are through.
        """
        flows, now, times_matter = self._flows.by_logger, self._now, self._times_matter
        number = self.events
        for event in events:
            time = event.time
            try:
                flow = flows[event.logger][event.level]
            except KeyError:
                flow = LONG_WAY
            if (
                (writers := flow.writers) is None
                or event.mark is not None
                or event.count is not None
                or event.channel
                or (flow.until is not None and time >= flow.until)
            ):
                self.events, self._now = number, now
                self.take(event)
                number, now = self.events, self._now
                continue
            number += 1
            if times_matter and time > now:
                now = time
            for render, adders in writers:
                text = render(event, number)
                for add in adders:
                    add(text)
        self.events, self._now = number, now
        self._settle_blocks(write=True)

    def _settle_blocks(self, *, write: bool = False) -> None:
        """Count what was put into files the short way, and have it written where that is wanted."""
        for lane in self._quick:
            if lane.block is not None:
                count = lane.block.settle_block(write=write)
                lane.written += count
                lane.writes += count

    def _learn(self, event: Event, writers: Writers) -> None:
        """Remember the short way of an event's logger and level, or that there is none: while a crash is due there is none."""
        settled = self._crash_at is None and self.router.decide(event.logger, event.level).route is not None
        way = self._short_way(event, writers, any_=self._flows.is_shared(event)) if settled else LONG_WAY
        flow = self._flows.keep(event, way)
        self._quick += [lane for lane in flow.lanes if lane not in self._quick]

    @staticmethod
    def _short_way(event: Event, writers: Writers, *, any_: bool) -> Flow:
        """Return the short way for events of this one's logger, or of ``any_`` that shares it."""
        short: ShortWriters = []
        found = Flow(short)
        for lanes in writers:
            blocks = [lane.block.quick_block() if lane.block is not None else None for lane, _ in lanes]
            if lanes[0][0].encoding != "utf-8" or None in blocks or any(times != 1 for _, times in lanes):
                return LONG_WAY
            renders = lanes[0][0].renders
            render = renders.of_any() if any_ else renders.of(event)
            short.append((render, tuple(block.append for block in blocks if block is not None)))
            found.lanes += [lane for lane, _ in lanes]
        found.settle()
        return found

    def take(self, event: Event) -> None:
        """Send one event through."""
        self._settle_blocks()
        self.events += 1
        route, number = self._passages.plain(event), self.events
        if route is None:
            self._take_late(event)
            return
        self._begin(event)
        self._mark(event)
        writers = self._writers.of(route)
        self._write(event, number, self.router.severities[event.level], writers, partial(_rendered, event, number))
        flow = self._flows.get(event)
        if flow is None:
            self._learn(event, writers)
        elif flow.until is not None:
            flow.settle()

    def _take_late(self, event: Event) -> None:
        """Send an event through that came by a channel, or may meet a limit, a recall or a queue.

        What it recalls is written before its mark acts. A buffer hears of each when it is written, a file of its own time.
        """
        self._begin(event)
        taken = self._passages.take(event, self.events)
        if event.mark is None:
            self._write_all(taken.writes, event)
            return
        self._write_all(taken.before_mark(), event)
        self._mark(event)
        self._write_all(taken.after_mark(), event)

    def _write_all(self, writes: Iterable[Write], now: Event) -> None:
        """Write what an event that came just now has written; what it delivers itself several times to an appender at once."""
        joined: dict[str, Write] = {}
        times: Multiset[str] = Multiset()
        for one in writes:
            name = one.appender
            if name in self.shared or name in self._passages.appenders:
                self._write_one(one, 1, now)
            else:
                joined.setdefault(name, one)
                times[name] += 1
        for name, one in joined.items():
            self._write_one(one, times[name], now)

    def _write_one(self, write: Write, times: int, now: Event) -> None:
        event, number, lane = write.passage.event, write.passage.number, self.lanes[write.appender]
        arrives = max(event.time, now.time)
        self._write(event, number, write.passage.severity, [[(lane, times)]], partial(_rendered, event, number), arrives)

    def reroute(self, router: Router) -> None:
        """Go on by a plan with the same appenders, whose loggers have other levels."""
        self._settle_blocks(write=True)
        self.router = self._passages.router = router
        self._writers.forget()
        self._routes.clear()
        self._flows = LoggerLevelCache(router.places.of)

    def put(self, event: Event, appenders: Iterable[str]) -> None:
        """Write an event to some appenders, past every gate."""
        self._settle_blocks()
        self.events += 1
        self._begin(event)
        self._mark(event)
        number, writers = self.events, [[(self.lanes[name], 1)] for name in appenders]
        self._write(event, number, self.router.severities[event.level], writers, partial(_rendered, event, number))

    def _begin(self, event: Event) -> None:
        """Let the clock go on to an event; what is due happens."""
        time = event.time
        self._now = max(self._now, time)
        if self._crash_at is not None and time >= self._crash_at:
            self._crash_at = None
            self._crash()
            self._flows.clear()

    def _write(
        self,
        event: Event,
        number: int,
        severity: int,
        writers: Writers,
        text_for: Callable[[SinkLane], str],
        arrives: datetime | None = None,
    ) -> None:
        """Write an event, or let it wait, wherever it goes; buffers hear of it at ``arrives``, or else at its own time."""
        time, count = event.time, event.count or 1
        for lanes in writers:
            text, encoding = text_for(lanes[0][0]), lanes[0][0].encoding
            data = text.encode() if encoding == "utf-8" else to_bytes(text, encoding)
            for lane, times in lanes:
                if lane.block is not None:
                    lane.written += times * count
                    lane.writes += 1
                    lane.block.write(time, data, times * count)
                    continue
                parcel = RenderedEvent(event, number, severity, data, times * count)
                lane.sum.reached += parcel.times
                self._arrive(lane, time, parcel, arrives or time)

    def add(self, batch: RenderedBatch) -> None:
        """Send events through that were routed and rendered elsewhere."""
        if self._add_at_once(batch):
            return
        self._settle_blocks()
        ways = {number: (way.severity, self._routes.setdefault(way.route, way.route)) for number, way in batch.ways.items()}
        texts = {name: iter(some) for name, some in batch.texts.items()}
        for at, number in enumerate(batch.numbers):
            self.events += 1
            event, (severity, route) = batch.event(at), ways[number]
            self._begin(event)
            self._mark(event)
            found: dict[str, str] = {name: next(texts[name]) for name in {one.appender for one in route.deliveries}}
            self._write(event, self.events, severity, self._writers.of(route), partial(_text_of, found))
        self._settle_blocks(write=True)

    def _add_at_once(self, batch: RenderedBatch) -> bool:
        """Put a batch's texts where they belong, if nothing but that is to be done."""
        if batch.marks or batch.counts or (self._crash_at is not None and batch.last >= self._crash_at):
            return False
        lanes = [self.lanes[name] for name in batch.texts]
        found = [lane.block.quick_block() if lane.block is not None and lane.encoding == "utf-8" else None for lane in lanes]
        until = earliest(lane.block.quick_until for lane in lanes if lane.block is not None)
        twice = any(
            len({one.appender for one in way.route.deliveries}) < len(way.route.deliveries) for way in batch.ways.values()
        )
        if twice or None in found or (until is not None and batch.last >= until):
            return False
        self.events += len(batch.numbers)
        self._now = max(self._now, batch.last)
        for block, texts in zip(found, batch.texts.values(), strict=True):
            if block is not None:
                block.extend(texts)
        self._quick += [lane for lane in lanes if lane not in self._quick]
        self._settle_blocks()
        return True

    def _arrive(self, lane: SinkLane, time: datetime, parcel: RenderedEvent, arrives: datetime) -> None:
        try:
            lane.outlet.arrive(time, parcel)
        except DiskFull:
            lane.sum.lose("disk full", [parcel])
            return
        if lane.waiting.limits is None and not lane.down:
            self._deliver(lane, [parcel])
            return
        for group in lane.waiting.take(arrives, parcel.severity, parcel):
            self._deliver(lane, group)

    def _deliver(self, lane: SinkLane, group: list[RenderedEvent]) -> None:
        if not group:
            return
        now = self._now
        if any(begun <= now < ended for begun, ended in lane.down):
            self._failed(lane, group, "sink down")
            return
        try:
            lane.outlet.deliver(now, group)
        except DiskFull as full:
            whole = sum(one.times for one in group)
            lane.sum.count_lost("disk full", full.events or whole)
            lane.sum.delivered += whole - (full.events or whole)
            return
        except Undelivered as reason:
            self._failed(lane, group, str(reason))
            return
        own = lane.sum
        own.groups += 1
        for one in group:
            own.delivered += one.times
            waited = lane.waiting.limits is not None and now > one.event.time
            own.late.take((now - one.event.time).total_seconds() if waited else 0.0)

    def _failed(self, lane: SinkLane, group: list[RenderedEvent], why: str) -> None:
        """Let a buffered group wait for the next delivery; without a buffer it is lost."""
        lane.sum.failed[why] = lane.sum.failed.get(why, 0) + 1
        if lane.waiting.limits is None:
            lane.outlet.lose(group)
            lane.sum.lose(why, group)
        else:
            lane.waiting.put_back(group, [one.event.time for one in group])

    def _mark(self, event: Event) -> None:
        """Let the mark of an event act."""
        mark, time = event.mark, event.time
        if mark == "crash":
            self._crash()
        elif mark == "stop":
            for lane in self.lanes.values():
                self._deliver(lane, lane.waiting.release())
        elif mark == "start":
            for lane in self.lanes.values():
                lane.outlet.start(time)

    def _crash(self) -> None:
        for lane in self.lanes.values():
            lost = lane.waiting.release()
            if lost:
                lane.outlet.lose(lost)
                lane.sum.lose("crash", lost)

    def finish(self) -> None:
        """End the input: what waits is delivered, what is open is closed."""
        for lane in self.lanes.values():
            waiting = lane.waiting.release()
            lane.sum.waited = sum(one.times for one in waiting)
            self._deliver(lane, waiting)
            left = lane.waiting.release()
            if left:
                lane.outlet.lose(left)
                lane.sum.lose("never delivered", left)
            dropped = sum(lane.outlet.dropped.values()) if isinstance(lane.outlet, RolledFile | SharedFile) else 0
            if dropped:  # a roll had to write what waited, and could not
                lane.sum.count_lost("disk full", dropped)
                lane.sum.delivered -= dropped
        self.close()

    def write_out(self) -> None:
        """Write what was put together for files and streams, so that it can be followed."""
        for lane in self.lanes.values():
            if lane.block is not None:
                lane.block.settle_block(write=True)

    def close(self) -> None:
        """Close what is open."""
        self.settle_sums()
        for lane in self.lanes.values():
            lane.outlet.finish()

    def settle_sums(self) -> None:
        """Bring the sums up to date: what is written the short way is counted apart."""
        for lane in self.lanes.values():
            lane.sum.reached += lane.written
            lane.sum.delivered += lane.written
            lane.sum.groups += lane.writes
            lane.written = lane.writes = 0

    def abandon(self) -> None:
        """Close what is open after a stop in the middle; what has no room any more is left out, line by line."""
        for lane in self.lanes.values():
            with suppress(LimitReached, DiskFull):
                lane.outlet.finish()


def _text_of(texts: dict[str, str], lane: SinkLane) -> str:
    return texts[lane.appender.name]


def _rendered(event: Event, number: int, lane: SinkLane) -> str:
    return lane.render(event, number)
