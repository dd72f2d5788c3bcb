"""What a change does to events that nobody recorded: estimated from another recording, every figure with its range."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from typing import Any

import numpy as np
from msgspec import Struct, field

from vetrina.core.changes.effects import Effects, Estimated, Foreseen, Tally
from vetrina.core.changes.sides import names_of, places_of
from vetrina.core.foresight.draws import DRAWS, Bucket, Drawn, Shared, Together, dispersion, ends, total_of
from vetrina.core.foresight.hidden import Stretch, WaySums
from vetrina.core.foresight.lessons import Ends, Kind, Lesson, Lessons
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.pace import A_DAY, Pace

Array = Any
SIDES = ("before", "after")
PARTS = ("before", "after", "gained", "lost")


def expected(lessons: Lessons) -> Iterator[Estimated]:
    """Yield what is expected of each kind on each day: its ratio of the seen events there, each of the mean size."""
    for one in lessons.kinds:
        told, owed = one.told, 0.0
        for day, bucket in _by_day(lessons.here[one.lesson.base]).items():
            owed += told.ratio * bucket.seen
            count = round(owed)
            owed -= count
            if count:
                before, after = (_bytes(one, side, count) for side in range(2))
                own = (one.kind.logger, one.kind.severity)
                yield Estimated(date.fromordinal(day), own, (one.kind.routes[0], one.kind.routes[1]), count, before, after)


def _bytes(one: Kind, side: int, count: int) -> dict[str, int]:
    """Return the bytes of so many events by appender of a side, all deliveries of them together."""
    found = {}
    for name, times in names_of(one.kind.routes[side]).items():
        way = one.kind.ways[side, name]
        found[name] = times * round(count * way.mean)
    return found


def _by_day(here: Mapping[Stretch, int]) -> dict[int, Bucket]:
    """Return the seen events of each day, in order."""
    found: dict[int, list[int]] = {}
    for stretch, count in sorted(here.items(), key=lambda one: one[0].day):
        sums = found.setdefault(stretch.day, [0, 0])
        sums[0] += count
        sums[1] += count * count
    return {day: Bucket(*sums) for day, sums in found.items()}


class _Sums(Struct):
    """Events and bytes by day: what is expected in the first row, then all drawings."""

    events: Array
    bytes: Array
    lessons: dict[Lesson, None] = field(default_factory=dict)


class Ranges:
    """Draws what is not recorded again and again, and gives every figure that holds any of it its range."""

    def __init__(self, effects: Effects, lessons: Lessons, plans: tuple[Plan, Plan], seed: int) -> None:
        self._effects, self._lessons, self._plans = effects, lessons, plans
        self._drawn = Drawn(max(1, lessons.hours), seed)
        self._days = sorted({stretch.day for counts in lessons.here.values() for stretch in counts})
        self._appenders: dict[tuple[str, str], _Sums] = {}
        self._turned: dict[tuple[str, int] | tuple[str, str], _Sums] = {}
        self._own: dict[Lesson, Array] = {}
        self.found = Foreseen(lessons, DRAWS)

    def give(self, kinds: Mapping[str, str]) -> None:
        """Give the figures their ranges; ``kinds`` are the kinds of the appenders' sinks."""
        by_base: dict[str, list[Kind]] = {}
        for one in self._lessons.kinds:
            by_base.setdefault(one.lesson.base, []).append(one)
        buckets = {base: self._buckets(base) for base in by_base}
        shared = Shared(self._drawn, {base: [one.told for one in some] for base, some in by_base.items()}, buckets)
        for base, some in by_base.items():
            self._give_base(some, buckets[base], *shared.of(base))
        self._effects.foreseen = self.found
        self.found.totals = [total_of(lesson, counts) for lesson, counts in self._own.items()]
        self.found.events = sum(one.middle for one in self.found.totals)
        self._give_appenders(kinds)
        effects = self._effects
        turned: dict[Any, int] = {**effects.seen, **effects.silenced, **effects.twice}
        for key, sums in self._turned.items():
            self.found.turned[key] = _around(turned.get(key, 0), _apart(sums.events), sums)

    def _buckets(self, base: str) -> list[Bucket]:
        by_day = _by_day(self._lessons.here[base])
        return [by_day.get(day, Bucket(0, 0)) for day in self._days]

    def _give_base(self, kinds: Sequence[Kind], buckets: Sequence[Bucket], common: Together, factors: Array) -> None:
        """Draw the kinds that are set against the same seen events, each logger and level in turn."""
        by_own: dict[tuple[str, int], list[Kind]] = {}
        for one in kinds:
            by_own.setdefault((one.kind.logger, one.kind.severity), []).append(one)
        for own, some in by_own.items():
            cells: dict[tuple[str, str], _Sums] = {}
            for one in some:
                self._draw(one, common, buckets, factors, cells)
            self._give_cells(own, cells)

    def _draw(
        self, one: Kind, common: Together, buckets: Sequence[Bucket], factors: Array, cells: dict[tuple[str, str], _Sums]
    ) -> None:
        """Draw one kind, and add it to its appenders and cells."""
        told = one.told
        how = dispersion(told).apart_from(common, told.ratio)
        drawn = self._drawn.counts(self._drawn.ratios(told), how, buckets, factors)
        counts = np.vstack([[told.ratio * bucket.seen for bucket in buckets], drawn])
        self._own[one.lesson] = self._own.get(one.lesson, 0) + counts.sum(axis=1)
        old, new = (names_of(route) for route in one.kind.routes)
        for name in old | new:
            was, now = old.get(name, 0), new.get(name, 0)
            sizes = [self._sizes(counts, one, one.kind.ways.get((side, name))) for side in range(2)]
            parts = ((was, sizes[0]), (now, sizes[1]), (max(0, now - was), sizes[1]), (max(0, was - now), sizes[0]))
            for part, (times, size) in zip(PARTS, parts, strict=True):
                if times:
                    for sums in (self._appenders, cells):
                        _add(sums, (name, part), counts * times, size * times, one.lesson)
        self._turn(one, counts)

    def _sizes(self, counts: Array, one: Kind, way: WaySums | None) -> Array:
        """Return the bytes of so many events: their mean is that of the hours drawn, and each is drawn from those recorded."""
        if way is None:
            return np.zeros(counts.shape)
        mean = way.mean
        hidden = self._drawn.sums(one.told.hidden)
        whole = self._drawn.sums([way.by_hour.get(hour, 0) for hour in range(self._lessons.hours)])
        means = np.concatenate([[mean], np.divide(whole, hidden, out=np.full(hidden.shape, mean), where=hidden > 0)])
        spread = max(0.0, way.squares / way.count - mean**2) ** 0.5
        apart = self._drawn.chance.standard_normal(counts.shape) * np.sqrt(counts) * spread
        apart[0] = 0
        return np.maximum(counts * means[:, None] + apart, counts * way.least)

    def _turn(self, one: Kind, counts: Array) -> None:
        """Note events that newly arrive somewhere, fall silent, or arrive twice."""
        before, after = one.kind.routes
        logger = one.kind.logger
        if bool(before.deliveries) != bool(after.deliveries):
            _add(self._turned, (logger, one.kind.severity), counts, 0, one.lesson)
        was, now = (places_of(plan, route) for plan, route in zip(self._plans, one.kind.routes, strict=True))
        for place, times in now.items():
            if times > 1 >= was.get(place, 0):
                _add(self._turned, (logger, place), counts, 0, one.lesson)

    def _give_cells(self, own: tuple[str, int], cells: Mapping[tuple[str, str], _Sums]) -> None:
        for (name, part), sums in cells.items():
            shift = self._effects.cells.get((*own, name))
            if shift is not None:
                _give_tally(getattr(shift, part), sums)

    def _give_appenders(self, kinds: Mapping[str, str]) -> None:
        added: dict[str, Array] = {}
        for (name, part), sums in self._appenders.items():
            _give_tally(getattr(self._effects.appenders[name], part), sums)
            for turn, day in enumerate(map(date.fromordinal, self._days)):
                by_day = self._effects.days.get((day, name))
                if by_day is not None:
                    one = _Sums(sums.events[:, turn : turn + 1], sums.bytes[:, turn : turn + 1], sums.lessons)
                    _give_tally(getattr(by_day, part), one)
        for name in dict.fromkeys(name for name, _ in self._appenders):
            self._give_days(name, kinds.get(name, "file"), added)
        for part in ("gained", "lost"):
            some = [sums for (_, own), sums in self._appenders.items() if own == part]
            if some:
                figure = sum(getattr(shift, part).events for shift in self._effects.appenders.values())
                whole = _Sums(sum(one.events for one in some), 0, dict.fromkeys(own for one in some for own in one.lessons))
                setattr(self.found, part, _around(figure, _apart(whole.events), whole))
        for kind, apart in added.items():
            low, high = ends(apart)
            self.found.added[kind] = (min(0, round(low)), max(0, round(high)))

    def _give_days(self, name: str, kind: str, added: dict[str, Array]) -> None:
        """Give the bytes a day of an appender their range, and add them to what its kind of sink gets more."""
        found: list[Ends | None] = []
        for part, figure, sign in zip(SIDES, self._effects.a_day(name), (-1, 1), strict=True):
            sums = self._appenders.get((name, part))
            if sums is None or figure is None:
                found.append(None)
                continue
            drawn = self._a_day(sums.bytes)
            apart = drawn[1:] - drawn[0]
            found.append(_around(figure, apart, sums))
            added[kind] = added.get(kind, 0) + sign * apart
        self.found.days[name] = (found[0], found[1])

    def _a_day(self, by_day: Array) -> Array:
        pace: Pace = self._effects.pace
        if pace.days:
            wanted = [turn for turn, day in enumerate(self._days) if date.fromordinal(day) in pace.days]
            return by_day[:, wanted].sum(axis=1) / len(pace.days)
        return by_day.sum(axis=1) * (A_DAY / pace.span)


def _add(sums: dict[Any, _Sums], key: object, events: Array, size: Array, lesson: Lesson) -> None:
    known = sums.get(key)
    if known is None:
        known = sums[key] = _Sums(np.zeros(events.shape), np.zeros(events.shape))
    known.events += events
    known.bytes += size
    known.lessons[lesson] = None


def _apart(by_day: Array) -> Array:
    """Return how far the drawings of a sum are from what is expected of it."""
    whole = by_day.sum(axis=1)
    return whole[1:] - whole[0]


def _give_tally(tally: Tally, sums: _Sums) -> None:
    """Give events and bytes their range."""
    tally.events_ends = _around(tally.events, _apart(sums.events), sums)
    tally.bytes_ends = _around(tally.bytes, _apart(sums.bytes), sums)


def _around(figure: int, apart: Array, sums: _Sums) -> Ends:
    """Return the range of a figure, given how far apart from it the drawings are; what is measured of it is sure."""
    low, high = ends(apart)
    return Ends(figure + min(0, round(low)), figure + max(0, round(high)), tuple(sums.lessons))
