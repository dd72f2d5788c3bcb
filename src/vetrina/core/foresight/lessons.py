"""What one recording teaches about another: which hidden events there may be, from which seen ones, and how sure that is."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime
from typing import TypeVar

from msgspec import Struct

from vetrina.core.base.logger_names import ROOT, ancestry
from vetrina.core.foresight.hidden import HiddenKind, Learner, OwnKey, SeenSums, Stretch
from vetrina.core.foresight.unheard import UnrecordedLevels

K = TypeVar("K")
ENOUGH = 30
"""Events, of the kind itself and of what it is set against, with which a figure is not weak."""
ENOUGH_HOURS = 3


class Told(Struct, frozen=True):
    """What the hours tell of one kind of hidden event: its counts, and the seen events that they are set against, hour by hour."""

    hidden: Sequence[int]
    seen: Sequence[int]

    @property
    def ratio(self) -> float:
        """Return how many hidden events there are to one seen event."""
        return sum(self.hidden) / sum(self.seen)

    @property
    def hours(self) -> int:
        """Return in how many hours there is anything of it."""
        return sum(1 for pair in zip(self.hidden, self.seen, strict=True) if any(pair))


class Lesson(Struct, frozen=True):
    """What was learned of one logger and level: from so many events in so many hours, set against the seen events of ``base``.

    ``there`` are these in the recording that tells, ``here`` in the other one.
    """

    logger: str
    severity: int
    base: str
    events: int
    hours: int
    there: int
    here: int

    @property
    def weak(self) -> bool:
        """Tell whether fewer than 30 events or 3 hours are behind it."""
        return rests_on_little((self,))


def rests_on_little(lessons: Iterable[Lesson]) -> bool:
    """Tell whether fewer than 30 events or 3 hours are behind what some lessons say together."""
    some = tuple(lessons)
    little = sum(one.events for one in some) < ENOUGH or min((one.there for one in some), default=0) < ENOUGH
    return (
        little
        or min((one.here for one in some), default=0) < ENOUGH
        or max((one.hours for one in some), default=0) < ENOUGH_HOURS
    )


class Ends(Struct, frozen=True):
    """From the 5th to the 95th of a hundred drawings: what a figure may be of which a part is estimated from another recording.

    ``lessons`` are what it was estimated from.
    """

    low: int
    high: int
    lessons: tuple[Lesson, ...] = ()

    @property
    def weak(self) -> bool:
        """Tell whether fewer than 30 events or 3 hours are behind it."""
        return rests_on_little(self.lessons)


class Total(Struct, frozen=True):
    """The events of one lesson: what is expected, and from the 5th to the 95th of a hundred drawings."""

    lesson: Lesson
    low: int
    middle: int
    high: int


class Foretold(Struct, frozen=True):
    """What was learned, how many events of each lesson there are, and over how many drawings, each ``played`` or not."""

    lessons: Lessons
    totals: tuple[Total, ...] = ()
    draws: int = 0
    played: bool = True

    @property
    def unheard(self) -> tuple[UnrecordedLevels, ...]:
        """Return what neither recording tells."""
        return self.lessons.unheard


class Kind(Struct, frozen=True):
    """A kind of hidden events of which something was learned: what the hours tell, and the lesson it belongs to."""

    kind: HiddenKind
    told: Told
    lesson: Lesson


class Lessons(Struct, frozen=True):
    """All that was learned.

    ``here`` are the seen events of each base in the recording that lacks the hidden ones, by stretch. ``untold`` were
    heard of, but no seen event in both recordings tells how many; ``odd`` are recorded although their plan stops them, and
    count as recorded. ``hours`` and ``events`` are those of the recordings that tell, ``first`` and ``last`` the times of the
    other one; ``source`` is what the former are called. ``unheard`` is what the
    plan asked about lets through, and neither holds.
    """

    kinds: tuple[Kind, ...]
    lessons: tuple[Lesson, ...]
    here: Mapping[str, Mapping[Stretch, int]]
    untold: tuple[OwnKey, ...]
    odd: Mapping[OwnKey, int]
    hours: int
    events: int
    first: datetime | None = None
    last: datetime | None = None
    source: str = ""
    unheard: tuple[UnrecordedLevels, ...] = ()

    @property
    def weak(self) -> tuple[Lesson, ...]:
        """Return the lessons that rest on little."""
        return tuple(one for one in self.lessons if one.weak)

    def behind(self, appender: str, *sides: int) -> tuple[Lesson, ...]:
        """Return the lessons about events that may reach an appender on one of some sides."""
        return self.about(lambda one: any((side, appender) in one.kind.ways for side in sides))

    def about(self, wanted: Callable[[Kind], bool]) -> tuple[Lesson, ...]:
        """Return the lessons of the kinds that are wanted."""
        return tuple(dict.fromkeys(one.lesson for one in self.kinds if wanted(one)))

    @property
    def remembers(self) -> bool:
        """Tell whether a limit, a recall or a queue may decide on any of it."""
        return any(one.kind.remembers for one in self.kinds)


def names_asked(learner: Learner, separator: str) -> frozenset[str]:
    """Return the names whose seen events matter: each logger with hidden events, and all above it."""
    found = {ROOT}
    for kind in learner.kinds.values():
        found.update(ancestry(kind.logger, separator))
    return frozenset(found)


def learn(learner: Learner, sums: SeenSums, separator: str, source: str) -> Lessons:
    """Return what the two recordings teach together."""
    names = names_asked(learner, separator)
    there = _summed(learner.seen, names, separator)
    here = _summed(sums.seen, names, separator)
    by_own: dict[OwnKey, list[HiddenKind]] = {}
    for one in learner.kinds.values():
        if (one.logger, one.severity) not in sums.odd:
            by_own.setdefault((one.logger, one.severity), []).append(one)
    lessons, kinds, untold = [], [], []
    by_hour: dict[str, tuple[int, ...]] = {}
    for own, some in sorted(by_own.items()):
        base = _base(own[0], there, here, separator)
        if base is None:
            untold.append(own)
            continue
        seen = there[base]
        hours = {hour for one in some for hour in one.hours} | set(seen)
        events = sum(sum(one.hours.values()) for one in some)
        lesson = Lesson(*own, base, events, len(hours), _total(seen), _total(here[base]))
        lessons.append(lesson)
        if base not in by_hour:
            by_hour[base] = _by_hour(seen, learner.hours)
        kinds += [Kind(one, Told(_by_hour(one.hours, learner.hours), by_hour[base]), lesson) for one in some]
    used = {one.base for one in lessons}
    return Lessons(
        tuple(kinds), tuple(lessons), {name: here[name] for name in used}, tuple(untold), dict(sorted(sums.odd.items())),
        learner.hours, learner.events, sums.first, sums.last, source,
    )  # fmt: skip


def _base(
    logger: str, there: Mapping[str, Mapping[int, int]], here: Mapping[str, Mapping[Stretch, int]], separator: str
) -> str | None:
    """Return the nearest name with enough seen events in both recordings, else root where it has any in both."""
    for name in ancestry(logger, separator):
        if min(_total(there.get(name, {})), _total(here.get(name, {}))) >= ENOUGH:
            return name
    return ROOT if min(_total(there.get(ROOT, {})), _total(here.get(ROOT, {}))) else None


def _total(counts: Mapping[int, int] | Mapping[Stretch, int]) -> int:
    return sum(counts.values())


def _by_hour(counts: Mapping[int, int], hours: int) -> tuple[int, ...]:
    return tuple(counts.get(hour, 0) for hour in range(hours))


def _summed(counts: Mapping[str, Mapping[K, int]], names: Iterable[str], separator: str) -> dict[str, dict[K, int]]:
    """Return the counts of each name with all below it."""
    found: dict[str, dict[K, int]] = {name: {} for name in names}
    for logger, own in counts.items():
        for name in ancestry(logger, separator):
            whole = found.get(name)
            if whole is not None:
                for key, count in own.items():
                    whole[key] = whole.get(key, 0) + count
    return found
