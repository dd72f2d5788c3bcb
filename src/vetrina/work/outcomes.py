"""What a change does to a recording: both plans side by side, and the files of both."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from msgspec import Struct

from vetrina.core.base.faults import refuse
from vetrina.core.changes.effects import Effects
from vetrina.core.changes.outcome import Outcome, Rolled, difference, rolled, touched_files
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.changes.sides import means_of
from vetrina.core.checks.runner import Circumstances, check
from vetrina.core.config.edits import changed_lines
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.foresight.unheard import unheard
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
        make, counts = partial(takers.comparison, before.plan, after.plan, late), takers.counts_events(before.plan, after.plan)
        kinds = {name: one.sink.kind for plan in (before.plan, after.plan) for name, one in plan.appenders.items()}
        comparison = self.recording.gather(
            before.plan.scale, make, counts=counts, in_order=takers.in_order(before.plan, after.plan)
        )
        effects = self._effects(comparison, [one for one in self.streams if one not in late], kinds)
        names = touched_files(effects, before.plan, after.plan)
        files = self._files(before, after, names, means_of(effects)) if names else ()
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

    def _effects(self, comparison: Comparison, streams: Sequence[Stream], kinds: dict[str, str]) -> Effects:
        """Return what the comparison found, and what was learned of what the recording lacks."""
        plans = (comparison.before.plan, comparison.after.plan)
        lessons = self.learned.lessons(self.recording, plans) if self.learned is not None else None
        if self.learned is None or lessons is None:
            return comparison.result(streams)
        from vetrina.work import foreseen_outcome  # noqa: PLC0415  (NumPy only where it is used)

        if lessons.kinds and lessons.remembers:
            return foreseen_outcome.played(self.recording, plans, lessons, self.streams, self.learned.seed, kinds)
        return foreseen_outcome.foreseen(comparison, lessons, streams, self.learned.seed, kinds)

    def _files(self, before: ResolvedPlan, after: ResolvedPlan, names: tuple[str, ...], means: Means) -> tuple[Rolled, ...]:
        playing = Playing(
            self.recording, self.repeat, streams=self.streams, ratio=self.ratio, wanted=names, learned=self.learned,
            seed=self.learned.seed if self.learned is not None else 1,
        )  # fmt: skip
        return rolled(names, *playing.files_of([before.plan, after.plan], means)[0])
