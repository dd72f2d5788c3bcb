"""What a change does to a recording: both plans side by side, and the files of both."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from msgspec import Struct

from vetrina.core.base.faults import refuse
from vetrina.core.changes.effects import Effects
from vetrina.core.changes.outcome import Outcome, Rolled, difference, rolled, touched_files
from vetrina.core.changes.sides import means_of
from vetrina.core.checks.runner import Circumstances, check
from vetrina.core.config.edits import changed_lines
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.foresight.lessons import Lessons
from vetrina.core.foresight.unheard import unheard
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.streams import Stream
from vetrina.core.routing.router import Router
from vetrina.work import takers
from vetrina.work.files_over_time import Means, Playing
from vetrina.work.foreseeing import Learned
from vetrina.work.recording import Recording


class Trial(Struct, frozen=True):
    """A recording that changes are tried on.

    For files, it is played ``repeat`` times; ``streams`` are added to it; ``ratio`` is the packed size in parts of the
    size, measured by packing where None. ``learned`` tells of what the recording lacks.
    """

    recording: Recording
    repeat: int = 1
    ratio: float | None = None
    streams: Sequence[Stream] = ()
    learned: Learned | None = None

    def outcome(self, before: ResolvedPlan, after: ResolvedPlan, words: tuple[str, ...] = ()) -> Outcome:
        """Return all that a change does; ``words`` are what it is called. Raise Refused where the two cannot be compared."""
        if before.plan.scale.extra != after.plan.scale.extra:
            raise refuse("the change gives level names another meaning", "the same events cannot be sent through both sides",
                         "leave levels as they are", where="whatif")  # fmt: skip
        old, new = Router(before.plan), Router(after.plan)
        late = [one for one in self.streams if any(side.decide(one.logger, one.severity).remembers for side in (old, new))]
        kinds = {name: one.sink.kind for plan in (before.plan, after.plan) for name, one in plan.appenders.items()}
        plans = before.plan, after.plan
        lessons = self.learned.lessons(self.recording, plans) if self.learned is not None else None
        effects = self._effects(plans, lessons, late, kinds)
        names = touched_files(effects, *plans)
        files = self._files(plans, lessons, names, means_of(effects)) if names else ()
        findings = difference(check(before, Circumstances()), check(after, Circumstances()))
        return Outcome(
            words,
            effects,
            files,
            unheard(old, new, effects.recorded),
            *findings,
            tuple(changed_lines(before, after)),
            tuple(changed_lines(after, before)),
            kinds,
        )

    def _effects(
        self, plans: tuple[Plan, Plan], lessons: Lessons | None, late: Sequence[Stream], kinds: dict[str, str]
    ) -> Effects:
        """Return what the change does to the recording, and to what it lacks; ``late`` streams are played event by event."""
        if lessons is not None and lessons.kinds and lessons.remembers:
            from vetrina.work.foreseen_outcome import played  # noqa: PLC0415  (NumPy only where it is used)

            return played(self.recording, plans, lessons, self.streams, self._seed, kinds)
        comparison = self.recording.gather(
            plans[0].scale,
            partial(takers.comparison, *plans, late),
            counts=takers.counts_events(*plans),
            in_order=takers.in_order(*plans),
        )
        streams = [one for one in self.streams if one not in late]
        if lessons is None:
            return comparison.result(streams)
        from vetrina.work.foreseen_outcome import foreseen  # noqa: PLC0415  (NumPy only where it is used)

        return foreseen(comparison, lessons, streams, self._seed, kinds)

    def _files(
        self, plans: tuple[Plan, Plan], lessons: Lessons | None, names: tuple[str, ...], means: Means
    ) -> tuple[Rolled, ...]:
        playing = Playing(
            self.recording, self.repeat, streams=self.streams, ratio=self.ratio, wanted=names, seed=self._seed, lessons=lessons,
        )  # fmt: skip
        return rolled(names, *playing.files_of(plans, means)[0])

    @property
    def _seed(self) -> int:
        return self.learned.seed if self.learned is not None else 1
