"""What was learned from another recording, in documents: every figure that holds any of it has `estimated` beside it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Generic, TypeVar

from msgspec import Struct

from vetrina.core.base.levels import Scale
from vetrina.core.foresight.lessons import Ends, Lesson, Lessons, Total

T = TypeVar("T")


class Estimate(Struct, Generic[T], rename={"from_": "from"}):
    """What a figure may be of which a part is estimated: 5th, expected, and 95th of a hundred drawings.

    `from` names the loggers and levels that it was estimated for, as `LOGGER LEVEL`; `weak` tells that fewer than 30 events
    or 3 hours are behind it.
    """

    low: T
    middle: T
    high: T
    from_: list[str]
    weak: bool


class LearnedOf(Struct):
    """What is learned of one logger and level: its events in so many hours, set against the seen events of `set_against`.

    `seen_there` are these where it was learned, `seen_here` in EVENTS; `low`, `middle` and `high` are the events of EVENTS.
    """

    logger: str
    level: str
    events: int
    hours: int
    set_against: str
    seen_there: int
    seen_here: int
    low: int
    middle: int
    high: int
    weak: bool


class LevelOf(Struct):
    """A logger and a level, and how many events of it there are, where that is known."""

    logger: str
    level: str
    events: int | None = None


class Unheard(Struct, rename={"from_": "from"}):
    """Levels that the plan asked about lets through and neither recording holds; `below`: of all loggers at and below it."""

    logger: str
    from_: str
    to: str
    below: bool


class Learned(Struct, rename={"from_": "from"}):
    """What --learn told: `events` in `hours`, drawn again `drawings` times, each `played` event by event or not.

    `not_known` are heard of, but no seen event is in both recordings; `recorded_anyway` are in EVENTS although the plan stops
    them under which it is taken to be recorded: they count as recorded.
    """

    from_: str
    events: int
    hours: int
    drawings: int
    played: bool
    loggers: list[LearnedOf]
    not_known: list[LevelOf]
    recorded_anyway: list[LevelOf]
    unheard: list[Unheard]


def learned(lessons: Lessons, totals: Sequence[Total], drawings: int, scale: Scale, *, played: bool) -> Learned:
    """Return what was learned as a document."""
    loggers = [
        LearnedOf(
            one.lesson.logger, scale.name(one.lesson.severity), one.lesson.events, one.lesson.hours, one.lesson.base,
            one.lesson.there, one.lesson.here, one.low, one.middle, one.high, one.lesson.weak,
        )
        for one in totals
    ]  # fmt: skip
    return Learned(
        lessons.source,
        lessons.events,
        lessons.hours,
        drawings,
        played,
        loggers,
        [LevelOf(logger, scale.name(severity)) for logger, severity in lessons.untold],
        [LevelOf(logger, scale.name(severity), count) for (logger, severity), count in lessons.odd.items()],
        [Unheard(one.logger, scale.name(one.low), scale.name(one.high), one.below) for one in lessons.unheard],
    )


def names_of(lessons: Sequence[Lesson], scale: Scale) -> list[str]:
    """Return the loggers and levels of some lessons."""
    return [f"{one.logger} {scale.name(one.severity)}" for one in lessons]


def estimate(ends: Ends, middle: int, scale: Scale) -> Estimate[int]:
    """Return the range of one figure."""
    return Estimate(ends.low, middle, ends.high, names_of(ends.lessons, scale), ends.weak)


def first_of(*ends: Ends | None) -> Ends | None:
    """Return the first range that there is."""
    return next((one for one in ends if one is not None), None)
