"""What a change does, with what a recording lacks and others tell of: every figure that holds any of it with its range."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vetrina.core.changes.effects import Effects, Example
from vetrina.core.changes.foreseen import Ranges, expected
from vetrina.core.changes.foreseen_plays import give_ranges
from vetrina.core.changes.outcome import any_of
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.changes.sides import names_of
from vetrina.core.foresight.imagined import Imagination, Play, among, timeline
from vetrina.core.foresight.lessons import Lessons
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.streams import Stream
from vetrina.core.routing.measuring import measures
from vetrina.core.routing.router import Router
from vetrina.work.foreseeing import plays_of
from vetrina.work.recording import Recording

_QUICK = 60_000
"""Events that are played through two plans in some three seconds."""


def foreseen(
    comparison: Comparison, lessons: Lessons, streams: Sequence[Stream], seed: int, kinds: Mapping[str, str]
) -> Effects:
    """Return the effects of what was compared and of what it lacks; ``kinds`` are the kinds of the appenders' sinks."""
    effects = comparison.result(streams, expected(lessons))
    Ranges(effects, lessons, (comparison.before.plan, comparison.after.plan), seed).give(kinds)
    _give_examples(effects, lessons, comparison.after.plan)
    return effects


def _give_examples(effects: Effects, lessons: Lessons, after: Plan) -> None:
    """Show one line of each appender that gains estimated events and no recorded ones, as the other recording has it."""
    for one in sorted(lessons.kinds, key=lambda one: (-sum(one.told.hidden), one.kind.logger)):
        for name in names_of(one.kind.routes[1]) - names_of(one.kind.routes[0]):
            known = {*effects.examples, *(effects.foreseen.examples if effects.foreseen else ())}
            if effects.foreseen is not None and name not in known and any_of(effects.appenders[name].gained):
                event = one.kind.samples[0]
                size = measures(after.appenders[name])(event)(event, 1)
                effects.foreseen.examples[name] = Example(event, 1, size)


def played(
    recording: Recording, plans: tuple[Plan, Plan], lessons: Lessons, streams: Sequence[Stream], seed: int,
    kinds: Mapping[str, str],
) -> Effects:  # fmt: skip
    """Return the same where limits, recalls or queues decide: each drawing is played event by event."""
    imagination = Imagination(lessons, timeline(lessons), seed)

    def effects(play: Play) -> Effects:
        comparison = Comparison(Router(plans[0]), Router(plans[1]), 0, streams)
        events = (event for _, some in recording.in_order(plans[0].scale) for event in some)
        comparison.play(among(events, imagination.events(play)))
        return comparison.result()

    expected = imagination.expected
    middle = effects(imagination.middle)
    plays = imagination.plays(plays_of(max(expected, middle.events), _QUICK))
    give_ranges(middle, [effects(play) for play in plays], lessons, imagination.totals(plays), kinds)
    _give_examples(middle, lessons, plans[1])
    return middle
