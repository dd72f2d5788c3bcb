"""What a change does to events that nobody recorded, where each has to be played: the ranges of the plays."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from vetrina.core.changes.effects import Delta, Effects, Foreseen, Tally
from vetrina.core.changes.foreseen import PARTS
from vetrina.core.foresight.draws import ends, range_of
from vetrina.core.foresight.lessons import Ends, Lesson, Lessons, Total


def give_ranges(
    middle: Effects, played: Sequence[Effects], lessons: Lessons, totals: Sequence[Total], kinds: Mapping[str, str]
) -> None:
    """Give the figures of what is expected their ranges over some plays; ``kinds`` are the kinds of the appenders' sinks."""
    found = middle.foreseen = Foreseen(lessons, len(played), played=True, totals=list(totals))
    found.events = sum(one.middle for one in found.totals)
    for part in ("gained", "lost"):
        counts = [sum(getattr(shift, part).events for shift in one.appenders.values()) for one in (middle, *played)]
        setattr(found, part, _ends(counts[0], counts[1:], lessons.lessons))
    behind = {name: lessons.behind(name, 0, 1) for name in middle.appenders}
    for name, shift in middle.appenders.items():
        own = behind[name]
        _give(shift, [one.appenders[name] for one in played], own)
        days = [
            _ends(figure, [one.a_day(name)[turn] or 0 for one in played], own) if figure is not None else None
            for turn, figure in enumerate(middle.a_day(name))
        ]
        found.days[name] = (days[0], days[1])
    for (logger, severity, name), shift in middle.cells.items():
        _give(shift, _each(played, "cells", (logger, severity, name)), _about(lessons, logger, severity) or behind[name])
    for (day, name), shift in middle.days.items():
        _give(shift, _each(played, "days", (day, name)), behind[name])
    for turned in ("seen", "silenced", "twice"):
        for key, count in getattr(middle, turned).items():
            range_ = _ends(count, [getattr(one, turned).get(key, 0) for one in played], _about(lessons, *key))
            if range_ is not None:
                found.turned[key] = range_
    for kind in set(kinds.values()):
        names = [name for name in middle.appenders if kinds.get(name) == kind]
        low, high = ends([_added(one, names) - _added(middle, names) for one in played])
        if low or high:
            found.added[kind] = (min(0, round(low)), max(0, round(high)))


def _about(lessons: Lessons, logger: str, severity: object) -> tuple[Lesson, ...]:
    """Return the lessons about a logger, and where a severity is given about that level."""
    level = severity if isinstance(severity, int) else None
    return lessons.about(lambda one: one.kind.logger == logger and level in {None, one.kind.severity})


def _added(effects: Effects, names: Iterable[str]) -> int:
    days = [effects.a_day(name) for name in names]
    return sum((after or 0) - (before or 0) for before, after in days)


def _each(played: Iterable[Effects], table: str, key: Any) -> list[Delta]:
    return [getattr(one, table).get(key) or Delta() for one in played]


def _give(shift: Delta, played: Sequence[Delta], lessons: tuple[Lesson, ...]) -> None:
    for part in PARTS:
        tally: Tally = getattr(shift, part)
        some = [getattr(one, part) for one in played]
        tally.events_ends = _ends(tally.events, [one.events for one in some], lessons)
        tally.bytes_ends = _ends(tally.bytes, [one.bytes for one in some], lessons)
        tally.estimated = tally.estimated or tally.events_ends is not None or tally.bytes_ends is not None


def _ends(figure: int, played: Sequence[float], lessons: tuple[Lesson, ...]) -> Ends | None:
    """Return the range of a figure, None of one that is the same in every play and of which nothing was learned."""
    if not lessons:
        return None
    found = range_of(figure, played, lessons)
    return found if found.low != found.high or figure != min(played) else None
