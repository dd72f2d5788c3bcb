"""What a recording lacks, learned from others and played through the rush hour: once as expected, and again and again as drawn."""

from __future__ import annotations

from vetrina.core.foresight.draws import range_of
from vetrina.core.foresight.imagined import Imagination, Play, among, timeline
from vetrina.core.foresight.lessons import Foretold, Lessons
from vetrina.core.plan.model import Plan
from vetrina.work.foreseeing import plays_of
from vetrina.work.pressing import Pressed, RushHour

_QUICK = 80_000
"""Events that are played in some three seconds."""


def foreseen_rush(rush: RushHour, plan: Plan, lessons: Lessons, *, course: bool) -> Pressed:
    """Return what the appenders go through with what is expected, and the ranges of their figures over some plays."""
    imagination = Imagination(lessons, timeline(lessons, rush.repeat, rush.scale), rush.seed)

    def played(play: Play, *, watched: bool = False) -> Pressed:
        return rush.pressed(plan, among(rush.events(plan), imagination.events(play)), course=watched)

    expected = imagination.expected
    found = played(imagination.middle, watched=course)
    plays = imagination.plays(plays_of(max(expected, found.run.lines), _QUICK))
    figures = [[one.figures() for one in played(play).appenders] for play in plays]
    for at, one in enumerate(found.appenders):
        behind = lessons.behind(one.appender, 0)
        for name, figure in one.figures().items() if behind else ():
            one.foreseen[name] = range_of(figure, [some[at].get(name, 0) for some in figures], behind)
    found.run.foretold = Foretold(lessons, tuple(imagination.totals(plays)), len(plays))
    return found
