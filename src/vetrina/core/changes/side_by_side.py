"""The same events through two plans at once: what each gets, counted together where both routes are settled."""

from __future__ import annotations

from collections import Counter as Multiset
from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.changes.effects import Delta, Effects, Example, Examples, Tally
from vetrina.core.changes.pairs import ComparedSums, Day, Pair, Routes, Rows, add_up, rows_of
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.pace import pace_of, seconds_by_day
from vetrina.core.rolling.streams import Stream
from vetrina.core.routing.cache import RowNames
from vetrina.core.routing.counting import ending_of, measures, of_any, to_bytes
from vetrina.core.routing.router import Route, Router
from vetrina.core.templates.compiling import MakeMeasure

_USUAL_SIZE = 100
_SOME_TIME = datetime(2026, 1, 1, tzinfo=UTC)
_EARLIEST, _LATEST = datetime.min.replace(tzinfo=UTC), datetime.max.replace(tzinfo=UTC)


class Comparison:
    """Sends events through two plans at once. It is fed as a `Counter` is, and its result asked for at the end.

    ``number`` of events came before those that are fed.
    """

    def __init__(self, before: Router, after: Router, number: int = 0) -> None:
        self.before, self.after = before, after
        self._zone = clocks.zone(before.plan.zone)
        self._measures: dict[object, MakeMeasure] = {}
        self._sides = (_Side(before.plan, self._measures), _Side(after.plan, self._measures))
        self._names = RowNames(before.places_with(*after.tree.entries), before.plan.separator, self._regroup)
        self._days: dict[date, Day] = {}
        self._day = Day(self._place)
        self._begun = self._ended = _SOME_TIME
        self._first, self._last = _LATEST, _EARLIEST
        self._number = self._before = number
        self._examples: dict[str, Examples] = {}

    def _place(self, logger: str) -> object:
        return self.before.places.of(logger), self.after.places.of(logger)

    def feed(self, events: Iterable[Event]) -> None:
        """Count events, as `Counter.feed` does."""
        for event in events:
            time = event.time
            if not self._begun <= time < self._ended:
                self._turn(time)
            try:
                pair = self._day.pairs.by_logger[event.logger][event.level]
            except KeyError:
                pair = self._pair(event)
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

    def _turn(self, time: datetime) -> None:
        """Go to the day of a time; a day begins at midnight of the plan's zone."""
        self._note(time)
        there = clocks.local(time, self._zone)
        day = there.date()
        self._day = self._days.setdefault(day, Day(self._place))
        try:
            self._begun = datetime(day.year, day.month, day.day, tzinfo=self._zone).astimezone(UTC)
            after = day + timedelta(days=1)
            self._ended = datetime(after.year, after.month, after.day, tzinfo=self._zone).astimezone(UTC)
        except (OverflowError, ValueError):
            self._begun = self._ended = _SOME_TIME  # at the ends of the calendar every event turns anew

    def _note(self, time: datetime) -> None:
        self._first, self._last = min(time, self._first), max(time, self._last)

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
            examples = self._examples.get(name)
            if examples is None:
                examples = self._examples[name] = Examples()
            examples.take(Example(event, self._number, size(event, self._number)))

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
            routes = (router.decide(event.logger, event.level).route for router in (self.before, self.after))
            pair = self._day.kept[key] = Pair(event.logger or "root", severity, *routes)
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
        gained = _names(after) - _names(before)
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
        return ComparedSums(days, self._first, self._last, self._before, self._number, self._examples, self._names.others)

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
        for name, examples in sums.examples.items():
            self._examples.setdefault(name, Examples()).add(examples, self._number - sums.before)
        self._number += sums.number - sums.before

    def result(self, streams: Iterable[Stream] = ()) -> Effects:
        """Return the sums; ``streams`` are added for the time that the events span, or over one day where they span none."""
        found = Effects(examples=self._examples)
        if self._number > self._before:
            found.first, found.last = self._first, self._last
        streams = tuple(streams)
        if streams and not found.span:
            day = clocks.local(found.first or _SOME_TIME, self._zone).date()
            found.first = datetime(day.year, day.month, day.day, tzinfo=self._zone).astimezone(UTC)
            found.last = found.first + timedelta(days=1)
        found.pace = pace_of(found.first, found.last, self._zone)
        names = dict.fromkeys([*self.before.plan.appenders, *self.after.plan.appenders])
        found.appenders = {name: Delta() for name in names}
        self._add_days(found)
        for stream in streams:
            self._add_stream(found, stream)
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

    def means(self, found: Effects) -> dict[str, dict[int, int]]:
        """Return the mean bytes of a delivery by appender and severity, for streams without a size."""
        sums: dict[str, dict[int, Tally]] = {}
        for (_, severity, name), shift in found.cells.items():
            tally = sums.setdefault(name, {}).setdefault(severity, Tally())
            tally.add(shift.before.events + shift.after.events, shift.before.bytes + shift.after.bytes)
        return {
            name: {severity: one.bytes // one.events for severity, one in levels.items() if one.events}
            for name, levels in sums.items()
        }

    def _add_days(self, found: Effects) -> None:
        for name in dict.fromkeys(name for day in self._days.values() for name in rows_of(day)):
            self._names.of(name)
        self._names.settle()
        for day, here in sorted(self._days.items()):
            for pair in here.pairs_counted():
                self._add_rows(found, day, pair)
        found.further = self._names.further

    def _add_rows(self, found: Effects, day: date, pair: Pair) -> None:
        """Add a pair, by row where loggers share it."""
        for name, (count, *sizes) in pair.by_row():
            part = Pair(self._names.of(name), pair.severity, pair.before, pair.after)
            part.count, part.sizes, part.ways = count, sizes, pair.ways
            self._add(found, day, part)

    def _add(self, found: Effects, day: date, pair: Pair, *, estimated: bool = False) -> None:
        routes = pair.routes
        found.events += pair.count
        own = (pair.logger, pair.severity)
        found.recorded[own] = found.recorded.get(own, 0) + pair.count
        old, new = map(_names, routes)
        sizes = dict(zip(pair.ways, pair.sizes, strict=True))
        for name in old | new:
            was, now = old.get(name, 0), new.get(name, 0)
            size_before = sizes[self._sides[0].measure(name)] if was else 0
            size_after = sizes[self._sides[1].measure(name)] if now else 0
            by_cell = found.cells.setdefault((*own, name), Delta())
            by_day = found.days.setdefault((day, name), Delta())
            for shift in (found.appenders[name], by_cell, by_day):
                shift.before.add(was * pair.count, was * size_before, estimated=estimated)
                shift.after.add(now * pair.count, now * size_after, estimated=estimated)
                shift.gained.add(max(0, now - was) * pair.count, max(0, now - was) * size_after, estimated=estimated)
                shift.lost.add(max(0, was - now) * pair.count, max(0, was - now) * size_before, estimated=estimated)
        if bool(routes[0].deliveries) != bool(routes[1].deliveries):
            turned = found.silenced if routes[0].deliveries else found.seen
            turned[own] = turned.get(own, 0) + pair.count
        before, after = (_places(side.plan, route) for side, route in zip(self._sides, routes, strict=True))
        for place, times in after.items():
            if times > 1 >= before.get(place, 0):
                found.twice[pair.logger, place] = found.twice.get((pair.logger, place), 0) + pair.count

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
            mean.append(stream.size if stream.size is not None else _mean(found, names, stream.severity))
        owed = 0.0
        for day, seconds in seconds_by_day(found.first, found.last, self._zone).items():
            owed += stream.each_second * seconds
            pair.count = round(owed)
            owed -= pair.count
            pair.sizes = [size * pair.count for size in mean]
            if pair.count:
                found.streamed += pair.count
                self._add(found, day, pair, estimated=True)


class _Side:
    """One plan's measures; appenders that write alike, also those of the other plan, share one."""

    def __init__(self, plan: Plan, known: dict[object, MakeMeasure]) -> None:
        self.plan = plan
        self._known = known
        self._own: dict[str, MakeMeasure] = {}

    def measure(self, name: str) -> MakeMeasure:
        """Return how an appender's events are measured."""
        found = self._own.get(name)
        if found is None:
            one = self.plan.appenders[name]
            setting = one.template.setting
            level_names = tuple(sorted(setting.scale.extra.items()))
            setting_key = (str(setting.zone), setting.separator, level_names, setting.mask)
            key = (one.template.key(), ending_of(one), one.encoding, setting_key)
            found = self._own[name] = self._known.setdefault(key, measures(one))
        return found

    def header(self, name: str) -> int:
        """Return the bytes that an appender's file begins with."""
        one = self.plan.appenders[name]
        return len(to_bytes(one.template.header(ending_of(one)), one.encoding))


def _names(route: Route) -> Multiset[str]:
    return Multiset(one.appender for one in route.deliveries)


def _places(plan: Plan, route: Route) -> Multiset[str]:
    """Return how often an event arrives at each place; what goes nowhere on purpose is no place."""
    return Multiset(
        plan.appenders[names[0]].where
        for names in plan.at_one_place(one.appender for one in route.deliveries)
        if not plan.appenders[names[0]].sink.traits.nowhere
        for _ in names
    )


def _mean(found: Effects, names: list[str], severity: int) -> int:
    """Return the mean bytes of a delivery of a level in some appenders, else of all their deliveries, else a usual size."""
    for wanted in (severity, None):
        events = size = 0
        for (_, level, name), shift in found.cells.items():
            if name in names and wanted in {level, None}:
                events += shift.before.events + shift.after.events
                size += shift.before.bytes + shift.after.bytes
        if events:
            return size // events
    return _USUAL_SIZE
