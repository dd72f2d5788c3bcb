"""Events routed and rendered for a rehearsal, in any process; one process delivers them, in order."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.plan.model import Plan
from vetrina.rehearsal.rendered import RenderedBatch, Renderer
from vetrina.work.shown import Batch
from vetrina.work.takers import counts_events


class RenderJob(Struct):
    """What every appender of a plan writes for each event."""

    plan: Plan

    def counts(self) -> bool:
        """Tell whether the number of an event among all is shown."""
        return counts_events(self.plan)

    def tells_lines(self) -> bool:
        """Show no numbers of lines."""
        return False

    def in_order(self) -> bool:
        """Decide each event by itself: a plan whose events are decided in their order is rehearsed by one process."""
        return False

    def opened(self) -> Batch[RenderedBatch]:
        """Return what renders a batch."""
        renderer = Renderer(self.plan)

        def rendered(_lines: Sequence[int], events: list[Event], before: int) -> RenderedBatch:
            return renderer.batch(events, before)

        return rendered
