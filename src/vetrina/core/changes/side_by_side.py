"""The same events through two plans at once: what each gets, counted together where both routes are settled."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.changes.effects import Delta, Effects, Estimated, Example, Examples
from vetrina.core.changes.pairs import Apart, ComparedSums, Day, Joint, Pair, Routes, Rows, add_up, rows_of
from vetrina.core.changes.sides import Side, mean_size, names_of, places_of
from vetrina.core.foresight.hidden import ImaginedEvent
from vetrina.core.rolling.pace import pace_of, seconds_by_day
from vetrina.core.rolling.streams import Stream, StreamedEvent, StreamedEvents
from vetrina.core.routing.cache import RowNames
from vetrina.core.routing.measuring import of_any
from vetrina.core.routing.passages import Passage, Passages
from vetrina.core.routing.router import Router
from vetrina.core.templates.compiling import MakeMeasure

_SOME_TIME = datetime(2026, 1, 1, tzinfo=UTC)
_EARLIEST, _LATEST = datetime.min.replace(tzinfo=UTC), datetime.max.replace(tzinfo=UTC)


class Comparison:
    """Sends events through two plans at once. It is fed as a `Counter` is, and its result asked for at the end.

    ``number`` of events came before those that are fed.
    """

    def __init__(self, before: Router, after: Router, number: int = 0, streams: Iterable[Stream] = ()) -> None:
        """Compare two plans; of ``streams`` each event may come to a limit, a recall or a queue, and is played by itself."""
        self._late = tuple(streams)
        self._between = StreamedEvents(self._late)
        self.before, self.after = before, after
        self._zone = clocks.zone(before.plan.zone)
        self._measures: dict[object, MakeMeasure] = {}
        self._sides = (Side(before.plan, self._measures), Side(after.plan, self._measures))
        self._names = RowNames(before.places_with(*after.tree.entries), before.plan.separator, self._regroup)
        self._days: dict[date, Day] = {}
        self._day = Day(self._place)
        self._date = _SOME_TIME.date()
        self._passages = (Passages(before), Passages(after))
        self._begun = self._ended = _SOME_TIME
        self._first, self._last = _LATEST, _EARLIEST
        self._number = self._before = number
        self._examples: dict[str, Examples] = {}

    def _place(self, logger: str) -> object:
        return self.before.places.of(logger), self.after.places.of(logger)

    def feed(self, events: Iterable[Event]) -> None:
        """Count events, as `Counter.feed` does."""
        for event in self._between.between(events) if self._late else events:
            time = event.time
            if not self._begun <= time < self._ended:
                self._turn(time)
            if event.channel:
                self._take_joint(event)
                continue
            try:
                pair = self._day.pairs.by_logger[event.logger][event.level]
            except KeyError:
                pair = self._pair(event)
            if pair.remembers:
                self._take_joint(event)
                continue
            self._number += 1
            if not pair.quick or event.count is not None:
                self._count(event, pair)
                continue
            pair.count += 1
            if time > self._last:
                self._last = time
            elif time < self._first:
                self._first = time
            for turn, one in enumerate(pair.slots):
                pair.sizes[turn] += one(event, self._number)

    def play(self, events: Iterable[Event]) -> None:
        """Count events one by one, imagined ones (`ImaginedEvent`) apart from the others."""
        for event in self._between.between(events) if self._late else events:
            if not self._begun <= event.time < self._ended:
                self._turn(event.time)
            self._take_joint(event)

    def _turn(self, time: datetime) -> None:
        """Go to the day of a time; a day begins at midnight of the plan's zone."""
        self._note(time)
        there = clocks.local(time, self._zone)
        self._date = day = there.date()
        self._day = self._days.setdefault(day, Day(self._place))
        try:
            self._begun, self._ended = clocks.day_bounds(day, self._zone)
        except (OverflowError, ValueError):
            self._begun = self._ended = _SOME_TIME  # at the ends of the calendar every event turns anew

    def _note(self, time: datetime) -> None:
        self._first, self._last = min(self._first, time), max(self._last, time)

    def _take_joint(self, event: Event) -> None:
        """Take an event that came by a channel, or may meet a limit, a recall or a queue: each side decides it by itself."""
        self._note(event.time)
        self._number += not isinstance(event, StreamedEvent | ImaginedEvent)
        joint = Joint(event, self._number, self._date, [event, event])
        for turn, passages in enumerate(self._passages):
            self._settle(turn, passages.take(event, self._number, joint).settled)

    def _settle(self, turn: int, settled: Iterable[Passage]) -> None:
        """Take the events of which one side now knows all."""
        for one in settled:
            joint: Joint = one.tag
            joint.events[turn], joint.routes[turn] = one.event, one.route()
            before, after = joint.routes
            if before is not None and after is not None:
                self._count_joint(joint, (before, after))

    def _count_joint(self, joint: Joint, routes: Routes) -> None:
        """Count an event under the name by which the second plan knows it, or the first where it goes round the second."""
        was, now = joint.events
        named = was if routes[1].stopped_at == "round" else now
        key = (self._names.of(named.logger or "root"), self.before.severities[named.level])
        day, count = self._days[joint.day], joint.event.count or 1
        if isinstance(joint.event, StreamedEvent):
            streamed = (routes, key, joint.event.size)
            day.streamed[streamed] = day.streamed.get(streamed, 0) + 1
            return
        imagined = isinstance(joint.event, ImaginedEvent)
        row = (day.imagined if imagined else day.apart).setdefault(routes, {}).setdefault(key, Apart())
        row.count += count
        for side, event, route, sums in zip(self._sides, joint.events, routes, (row.before, row.after), strict=True):
            for delivery in route.deliveries:
                size = side.measure(delivery.appender)(event)(event, joint.number) * count
                sums[delivery.appender] = sums.get(delivery.appender, 0) + size
        for name in names_of(routes[1]) - names_of(routes[0]) if not imagined else ():
            size = self._sides[1].measure(name)(now)(now, joint.number)
            self._examples.setdefault(name, Examples()).take(Example(now, joint.number, size))

    def _count(self, event: Event, pair: Pair) -> None:
        self._note(event.time)
        if not pair.settled:
            before = self.before.route(event) if pair.before is None else pair.before
            after = self.after.route(event) if pair.after is None else pair.after
            own = event.logger or "root"
            key = (self._names.of(own), pair.severity)
            rows = self._day.split.setdefault((before, after), {})
            pair = rows.get(key) or rows.setdefault(
                key, self._filled(Pair(*key, before, after), event if key[0] == own else None)
            )
        count = event.count or 1
        sizes = [one(event, self._number) * count for one in pair.slots]
        pair.add(count, sizes)
        if pair.rows is not None:
            name = self._names.of(event.logger or "root", pair.row)
            pair.add_row(name, (count, *sizes))
        for name, size in pair.new:
            self._examples.setdefault(name, Examples()).take(Example(event, self._number, size(event, self._number)))

    def _regroup(self) -> None:
        """Move what was counted for loggers that lost their rows."""
        for day in self._days.values():
            self._regroup_day(day)

    def _regroup_day(self, day: Day) -> None:
        for routes, rows in day.split.items():
            moved: dict[tuple[str, int], Pair] = {}
            for (logger, severity), pair in rows.items():
                pair.logger = self._names.of(logger)
                if pair.logger != logger:
                    pair.slots = tuple(of_any(way) for way in pair.ways)
                    pair.new = tuple((name, of_any(self._sides[1].measure(name))) for name, _ in pair.new)
                known = moved.setdefault((pair.logger, severity), pair)
                if known is not pair:
                    known.add(pair.count, pair.sizes)
            day.split[routes] = moved
        for routes, loggers in day.apart.items():
            joined: dict[tuple[str, int], Apart] = {}
            for (logger, severity), row in loggers.items():
                joined.setdefault((self._names.of(logger), severity), Apart()).add(row)
            day.apart[routes] = joined
        for pair in day.kept.values():
            if pair.rows is not None:
                counted, pair.rows = pair.rows, {}
                for logger, counts in counted.items():
                    pair.add_row(self._names.of(logger), counts)

    def _pair(self, event: Event) -> Pair:
        severity = self.before.severities[event.level]
        shared = self._day.pairs.is_shared(event)
        key = (self._place(event.logger) if shared else event.logger, severity)
        pair = self._day.kept.get(key)
        if pair is None:
            decisions = [router.decide(event.logger, event.level) for router in (self.before, self.after)]
            pair = self._day.kept[key] = Pair(event.logger or "root", severity, *(one.route for one in decisions))
            pair.remembers = any(one.remembers for one in decisions)
            if pair.settled:
                self._filled(pair, None if shared else event)
                if shared:
                    pair.rows, pair.row = {}, self._names.shared(event.logger)
                pair.quick = not shared and not pair.new
        return self._day.pairs.keep(event, pair)

    def _filled(self, pair: Pair, event: Event | None) -> Pair:
        """Give a settled pair what measures its events (those of this one's logger, or without one of any), and who of them is new."""
        before, after = pair.routes
        old, new = self._sides
        ways = [old.measure(one.appender) for one in before.deliveries]
        pair.ways = tuple(dict.fromkeys(ways + [new.measure(one.appender) for one in after.deliveries]))
        pair.slots = tuple(of_any(way) if event is None else way(event) for way in pair.ways)
        pair.sizes = [0] * len(pair.slots)
        gained = names_of(after) - names_of(before)
        pair.new = tuple((name, of_any(new.measure(name)) if event is None else new.measure(name)(event)) for name in gained)
        return pair

    def sums(self) -> ComparedSums:
        """Return what was counted so far, for another comparison of the same plans."""
        days: dict[date, list[tuple[Routes, Rows]]] = {}
        for day, here in self._days.items():
            by_routes: dict[Routes, Rows] = {}
            for pair in here.pairs_counted():
                rows = by_routes.setdefault(pair.routes, {})
                for name, counts in pair.by_row():
                    add_up(rows.setdefault((name, pair.severity), [0] * len(counts)), counts)
            days[day] = list(by_routes.items())
        apart = [
            (day, routes, logger, severity, row)
            for day, here in self._days.items()
            for routes, rows in here.apart.items()
            for (logger, severity), row in rows.items()
        ]
        return ComparedSums(
            days, self._first, self._last, self._before, self._number, self._examples, self._names.others, apart
        )

    def add(self, sums: ComparedSums) -> None:
        """Count what another comparison of the same plans has counted, of events that come after those counted here."""
        if sums.number > sums.before:
            self._note(sums.first)
            self._note(sums.last)
        self._names.add_others(sums.others)
        for day, by_routes in sums.days.items():
            here = self._days.setdefault(day, Day(self._place))
            for routes, rows in by_routes:
                for (logger, severity), (count, *sizes) in rows.items():
                    key = (self._names.of(logger), severity)
                    split = here.split.setdefault(routes, {})
                    pair = split.get(key) or split.setdefault(key, self._filled(Pair(*key, *routes), None))
                    pair.add(count, sizes)
        for day, routes, logger, severity, row in sums.apart:
            key = (self._names.of(logger), severity)
            here = self._days.setdefault(day, Day(self._place))
            here.apart.setdefault(routes, {}).setdefault(key, Apart()).add(row)
        for name, examples in sums.examples.items():
            self._examples.setdefault(name, Examples()).add(examples, self._number - sums.before)
        self._number += sums.number - sums.before

    def result(self, streams: Iterable[Stream] = (), estimated: Iterable[Estimated] = ()) -> Effects:
        """Return the sums, what is remembered still being stopped; nothing is fed afterwards.

        ``streams`` are added for the time that the events span, or over one day where they span none, and events that are
        ``estimated`` to be there. Raise Refused where there is no time for streams that are played by themselves.
        """
        for turn, passages in enumerate(self._passages):
            self._settle(turn, passages.left())
        self._passages = (Passages(self.before), Passages(self.after))
        found = Effects(examples=self._examples)
        if self._number > self._before:
            found.first, found.last = self._first, self._last
        if self._late and not found.span:
            raise refuse("the events span no time, so that nothing tells when those of the stream come",
                         "it comes to a limit, a recall or a queue, which decides by that", "take events that span some time",
                         where="--rate")  # fmt: skip
        streams = tuple(streams)
        if streams and not found.span:
            day = clocks.local(found.first or _SOME_TIME, self._zone).date()
            found.first = datetime(day.year, day.month, day.day, tzinfo=self._zone).astimezone(UTC)
            found.last = found.first + timedelta(days=1)
        found.pace = pace_of(found.first, found.last, self._zone)
        names = dict.fromkeys([*self.before.plan.appenders, *self.after.plan.appenders])
        found.appenders = {name: Delta() for name in names}
        self._add_days(found)
        self._add_streamed(found)
        for stream in streams:
            self._add_stream(found, stream)
        for one in estimated:
            own = (self._names.of(one.own[0]), one.own[1])
            self._add(found, one.day, own, one.routes, Apart(one.count, one.before, one.after), estimated=True)
        found.recorded, found.silenced, found.seen = (
            dict(sorted(one.items())) for one in (found.recorded, found.silenced, found.seen)
        )
        found.twice = dict(sorted(found.twice.items()))
        turns = {name: turn for turn, name in enumerate(found.appenders)}
        found.days = dict(sorted(found.days.items(), key=lambda one: (one[0][0], turns[one[0][1]])))
        found.examples = {name: self._examples[name] for name in found.appenders if name in self._examples}
        for side, of in zip(self._sides, ("before", "after"), strict=True):
            for name in side.plan.appenders:
                tally = getattr(found.appenders[name], of)
                if tally.events:
                    tally.bytes += side.header(name)
        found.cells = dict(sorted(found.cells.items()))
        return found

    def _add_days(self, found: Effects) -> None:
        for name in dict.fromkeys(name for day in self._days.values() for name in rows_of(day)):
            self._names.of(name)
        self._names.settle()
        for day, here in sorted(self._days.items()):
            for pair in here.pairs_counted():
                self._add_rows(found, day, pair)
            for routes, rows in here.apart.items():
                for (logger, severity), row in rows.items():
                    self._add(found, day, (self._names.of(logger), severity), routes, row)
            for routes, rows in here.imagined.items():
                for (logger, severity), row in rows.items():
                    self._add(found, day, (self._names.of(logger), severity), routes, row, estimated=True)
        found.further = self._names.further

    def _add_rows(self, found: Effects, day: date, pair: Pair) -> None:
        """Add a pair, by row where loggers share it."""
        for name, (count, *sizes) in pair.by_row():
            self._add(found, day, (self._names.of(name), pair.severity), pair.routes, self._apart(pair, count, sizes))

    def _apart(self, pair: Pair, count: int, sizes: list[int]) -> Apart:
        """Return events of a pair, and their bytes on each way, by appender."""
        known = dict(zip(pair.ways, sizes, strict=True))
        old, new = (
            {name: times * known[side.measure(name)] for name, times in names_of(route).items()}
            for side, route in zip(self._sides, pair.routes, strict=True)
        )
        return Apart(count, old, new)

    def _add(
        self, found: Effects, day: date, own: tuple[str, int], routes: Routes, row: Apart, *, estimated: bool = False
    ) -> None:
        found.events += row.count
        if routes[1].stopped_at != "round":  # what goes round both plans tells nothing of either
            found.recorded[own] = found.recorded.get(own, 0) + row.count
        old, new = map(names_of, routes)
        for name in old | new:
            was, now = old.get(name, 0), new.get(name, 0)
            size_before = row.before[name] // was if was else 0
            size_after = row.after[name] // now if now else 0
            by_cell = found.cells.setdefault((*own, name), Delta())
            by_day = found.days.setdefault((day, name), Delta())
            for shift in (found.appenders[name], by_cell, by_day):
                shift.before.add(was * row.count, was * size_before, estimated=estimated)
                shift.after.add(now * row.count, now * size_after, estimated=estimated)
                shift.gained.add(max(0, now - was) * row.count, max(0, now - was) * size_after, estimated=estimated)
                shift.lost.add(max(0, was - now) * row.count, max(0, was - now) * size_before, estimated=estimated)
        if bool(routes[0].deliveries) != bool(routes[1].deliveries):
            turned = found.silenced if routes[0].deliveries else found.seen
            turned[own] = turned.get(own, 0) + row.count
        before, after = (places_of(side.plan, route) for side, route in zip(self._sides, routes, strict=True))
        for place, times in after.items():
            if times > 1 >= before.get(place, 0):
                found.twice[own[0], place] = found.twice.get((own[0], place), 0) + row.count

    def _add_streamed(self, found: Effects) -> None:
        """Add events of streams that were played by themselves, each of its size or the level's mean."""
        for day, here in sorted(self._days.items()):
            for (routes, key, size), count in here.streamed.items():
                old, new = (
                    {name: times * count * (mean_size(found, [name], key[1]) if size is None else size)
                     for name, times in names_of(route).items()}
                    for route in routes
                )  # fmt: skip
                found.streamed += count
                self._add(found, day, key, routes, Apart(count, old, new), estimated=True)

    def _add_stream(self, found: Effects, stream: Stream) -> None:
        """Add a stream of which no event is known, day by day: as many as its rate gives, each of its size or the level's mean."""
        assert found.first is not None  # noqa: S101  (streams have a span)
        assert found.last is not None  # noqa: S101  (streams have a span)
        event = Event(found.first, stream.severity, stream.logger, "")
        routes = self.before.route(event), self.after.route(event)
        pair = self._filled(Pair(stream.logger or "root", stream.severity, *routes), event)
        mean = []
        for way in pair.ways:
            names = [name for side in self._sides for name in side.plan.appenders if side.measure(name) is way]
            mean.append(stream.size if stream.size is not None else mean_size(found, names, stream.severity))
        owed = 0.0
        for day, seconds in seconds_by_day(found.first, found.last, self._zone).items():
            owed += stream.each_second * seconds
            pair.count = round(owed)
            owed -= pair.count
            pair.sizes = [size * pair.count for size in mean]
            if pair.count:
                found.streamed += pair.count
                own = (pair.logger, pair.severity)
                self._add(found, day, own, pair.routes, self._apart(pair, pair.count, pair.sizes), estimated=True)
