"""What a recording lacks, learned from others."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import partial
from itertools import chain
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.foresight.hidden import Learner, Measured, Recorded
from vetrina.core.foresight.lessons import Lessons, learn, names_asked
from vetrina.core.foresight.unheard import unheard
from vetrina.core.plan.model import Plan
from vetrina.core.routing.measuring import measures
from vetrina.core.routing.router import Router
from vetrina.core.templates.compiling import MakeMeasure
from vetrina.work import takers
from vetrina.work.recording import Recording

_FEWEST, _MOST = 20, 100


class Learned(Struct, frozen=True):
    """Recordings that tell of what another one lacks, and the plan under which that one was made.

    The drawings are made from ``seed``.
    """

    recordings: tuple[Recording, ...]
    recorded: Plan
    seed: int = 1

    @property
    def name(self) -> str:
        """What they are called in a sentence."""
        return " and ".join(one.name for one in self.recordings)

    def lessons(self, recording: Recording, plans: Sequence[Plan], measured: Measured | None = None) -> Lessons:
        """Return what they teach about a recording, for some plans side by side."""
        learner = Learner(
            Recorded(Router(self.recorded)), [Router(plan) for plan in plans], measured or partial(_measured, plans, {})
        )
        for one in self.recordings:
            for _, events in one.in_order(self.recorded.scale):
                learner.feed(events)
            learner.next_recording()
        names = names_asked(learner, self.recorded.separator)
        seen = recording.gather(self.recorded.scale, partial(takers.seen_here, self.recorded, names))
        found = learn(learner, seen.found, self.recorded.separator, self.name)
        heard = chain(seen.found.least.items(), learner.held)
        return replace(found, unheard=unheard(Router(self.recorded), Router(plans[-1]), heard))


def learned_from(learn: Sequence[str | Path | Iterable[Event]], recorded: Plan | None, seed: int) -> Learned | None:
    """Return what is to be learned from, None from nothing; raise Refused where it is not said how the events were recorded."""
    if not learn:
        return None
    if recorded is None:
        raise refuse("under which plan were the events recorded?", fix="give recorded=PLAN", where="learn")
    return Learned(tuple(Recording(one) for one in learn), recorded, seed)


def _measured(plans: Sequence[Plan], known: dict[tuple[int, str], MakeMeasure], side: int, name: str) -> MakeMeasure:
    found = known.get((side, name))
    if found is None:
        found = known[side, name] = measures(plans[side].appenders[name])
    return found


def plays_of(events: int, quick: int) -> int:
    """Return how often traffic of so many events is played to find its range: 20 to 100 times, for ``quick`` events in all."""
    return max(_FEWEST, min(_MOST, round(quick / max(1, events))))
