"""Events that are estimated to be there, one by one: copies of recorded ones, at times of the recording that lacks them.

Within an hour they come as one of the hours that tell of them had them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from functools import cached_property
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import astuple

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.foresight.draws import Bucket, Drawn, Shared, dispersion, total_of
from vetrina.core.foresight.hidden import HiddenKind, ImaginedEvent, hour_of, instant_of
from vetrina.core.foresight.lessons import Kind, Lesson, Lessons, Total

Array = Any
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
HOUR = 3_600_000_000
"""Microseconds of an hour."""
_APART = 30_000_000
MOST_IMAGINED = 5_000_000
"""Events that are imagined and played one by one, in each play."""


class Timeline(Struct, frozen=True):
    """The time for which events are imagined: from the first to the last event of a recording, played in ``rounds``.

    ``rounds`` are by how many hours each round is shifted; ``scale`` is how many times as many events there are.
    """

    first: datetime
    last: datetime
    rounds: tuple[int, ...] = (0,)
    scale: float = 1.0

    def bounds(self, hour: int, shift: int) -> tuple[int, int]:
        """Return the microseconds since 1970 at which an hour of a round begins and ends, as far as it is recorded."""
        begun, ended = (clocks.micros(instant_of(one)) for one in (hour, hour + 1))
        return max(begun, clocks.micros(self.first)) + shift * HOUR, min(ended, clocks.micros(self.last) + 1) + shift * HOUR


def timeline(lessons: Lessons, repeat: int = 1, scale: float = 1.0) -> Timeline:
    """Return the time for which events are imagined: that of every round, each shifted by whole days."""
    assert lessons.first is not None  # noqa: S101  (there are seen events, or nothing was learned)
    assert lessons.last is not None  # noqa: S101
    shift = clocks.whole_days(lessons.first, lessons.last) // timedelta(hours=1)
    return Timeline(lessons.first, lessons.last, tuple(turn * shift for turn in range(repeat)), scale)


class _Samples:
    """Where the samples of a kind stand in their hours, hour by hour."""

    def __init__(self, kind: HiddenKind) -> None:
        self.kind = kind
        self.offsets = np.array([clocks.micros(one.time) % HOUR for one in kind.samples], dtype=np.int64)
        hours: dict[int, list[int]] = {}
        for at, one in enumerate(kind.samples):
            hours.setdefault(hour_of(one.time), []).append(at)
        self._groups = [np.array(some) for some in hours.values()]
        self._ends = np.cumsum([len(some) for some in self._groups]) / len(kind.samples)

    def pick(self, chance: Any, count: int, begun: int, ended: int) -> tuple[Array, Array]:
        """Return which samples so many events are copies of, and their times within an hour that begins and ends then."""
        at = min(int(np.searchsorted(self._ends, chance.random(), side="right")), len(self._groups) - 1)
        group = self._groups[at]
        rounds, rest = divmod(count, len(group))
        picked = chance.permutation(group)[:rest]
        if rounds:
            picked = np.concatenate([np.tile(group, rounds), picked])
        offsets = self.offsets[picked].astype(float)
        if rounds:
            offsets[len(group) :] += chance.uniform(-_APART, _APART, len(picked) - len(group))
        times = begun + (np.mod(offsets, HOUR) * ((ended - begun) / HOUR)).astype(np.int64)
        return picked, np.minimum(times, max(begun, ended - 1))


class Play(Struct, frozen=True):
    """One drawing to be played: how many events of each kind come in each hour, and what decides when."""

    counts: tuple[Array, ...]
    seed: int


class Imagination:
    """Draws how many events of each kind there are in each hour, so many times over, and imagines them."""

    def __init__(self, lessons: Lessons, timeline: Timeline, seed: int) -> None:
        self.lessons, self.timeline, self._seed = lessons, timeline, seed
        self._samples = [_Samples(one.kind) for one in lessons.kinds]
        hours = {stretch.hour for counts in lessons.here.values() for stretch in counts}
        self.hours = sorted((hour + shift, hour, shift) for hour in hours for shift in timeline.rounds)
        self._buckets = {base: self._of_base(base) for base in lessons.here}

    def _of_base(self, base: str) -> list[Bucket]:
        here: dict[int, int] = {}
        for stretch, count in self.lessons.here[base].items():
            here[stretch.hour] = here.get(stretch.hour, 0) + count
        seen = [here.get(hour, 0) * self.timeline.scale for _, hour, _ in self.hours]
        return [Bucket(count, count * count) for count in seen]

    @property
    def expected(self) -> int:
        """Return how many events are expected in all; raise Refused where they are too many to play."""
        count = int(sum(counts.sum() for counts in self.middle.counts))
        if count > MOST_IMAGINED:
            raise refuse(f"{count:,} events are estimated to be there, and each would be played", f"at most {MOST_IMAGINED:,} are",
                         "take events that span less time, or change fewer loggers at once", where="--learn")  # fmt: skip
        return count

    def totals(self, plays: Sequence[Play]) -> list[Total]:
        """Return the events of each lesson, with their range over some plays."""
        found: dict[Lesson, Array] = {}
        each = (self.middle, *plays)
        for turn, one in enumerate(self.lessons.kinds):
            found[one.lesson] = found.get(one.lesson, 0) + np.array([play.counts[turn].sum() for play in each])
        return [total_of(lesson, counts) for lesson, counts in found.items()]

    @cached_property
    def middle(self) -> Play:
        """Return what is expected."""
        found = []
        for one in self.lessons.kinds:
            owed = np.cumsum([bucket.seen for bucket in self._buckets[one.lesson.base]]) * one.told.ratio
            found.append(np.diff(np.round(owed), prepend=0).astype(np.int64))
        return Play(tuple(found), self._seed)

    def plays(self, wanted: int) -> list[Play]:
        """Return so many drawings, spread evenly over all of them by how many events they expect."""
        drawn = Drawn(self.lessons.hours, self._seed)
        tolds = [one.told for one in self.lessons.kinds]
        ratios = [drawn.ratios(told) for told in tolds]
        whole = sum(
            found * sum(bucket.seen for bucket in self._buckets[one.lesson.base])
            for found, one in zip(ratios, self.lessons.kinds, strict=True)
        )
        chosen = np.argsort(whole)[((np.arange(wanted) + 0.5) * drawn.draws / wanted).astype(int)]
        counts: list[Array] = [None] * len(tolds)
        by_base: dict[str, list[int]] = {}
        for at, one in enumerate(self.lessons.kinds):
            by_base.setdefault(one.lesson.base, []).append(at)
        shared = Shared(drawn, {base: [tolds[at] for at in own] for base, own in by_base.items()}, self._buckets, wanted)
        for base, own in by_base.items():
            common, factors = shared.of(base)
            for at in own:
                how = dispersion(tolds[at]).apart_from(common, tolds[at].ratio)
                counts[at] = drawn.counts(ratios[at][chosen], how, self._buckets[base], factors)
        return [Play(tuple(one[turn] for one in counts), self._seed + 1 + turn) for turn in range(wanted)]

    def by_hour(self, play: Play) -> Iterator[list[tuple[Kind, Array, Array]]]:
        """Yield, hour by hour, which samples the events of each kind are copies of, and their times."""
        chance = np.random.default_rng(play.seed)
        for turn, (_, hour, shift) in enumerate(self.hours):
            begun, ended = self.timeline.bounds(hour, shift)
            yield [
                (one, *samples.pick(chance, int(counts[turn]), begun, ended))
                for one, samples, counts in zip(self.lessons.kinds, self._samples, play.counts, strict=True)
                if counts[turn]
            ]

    def events(self, play: Play) -> Iterator[ImaginedEvent]:
        """Yield the events of a play in the order of time."""
        for some in self.by_hour(play):
            found = [
                (int(time), turn, int(at))
                for turn, (_, picked, times) in enumerate(some)
                for at, time in zip(picked, times, strict=True)
            ]
            for time, turn, at in sorted(found):
                yield _copy(some[turn][0].kind.samples[at], _EPOCH + timedelta(microseconds=time))


def _copy(event: Event, time: datetime) -> ImaginedEvent:
    found = ImaginedEvent(*astuple(event))
    found.time, found.count, found.mark = time, None, None
    return found


def among(events: Iterable[Event], imagined: Iterable[ImaginedEvent]) -> Iterator[Event]:
    """Yield recorded events with imagined ones between them, each after those that are not later; what comes last at the end."""
    waiting = iter(imagined)
    coming = next(waiting, None)
    for event in events:
        while coming is not None and coming.time < event.time:
            yield coming
            coming = next(waiting, None)
        yield event
    while coming is not None:
        yield coming
        coming = next(waiting, None)
