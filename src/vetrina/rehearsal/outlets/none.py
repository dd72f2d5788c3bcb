"""Nowhere: what is delivered is counted by whoever delivers, and thrown away."""

from __future__ import annotations

from datetime import datetime

from vetrina.rehearsal.outlets.outlet import PlainOutlet, RenderedEvent


class Nowhere(PlainOutlet):
    """Throws away."""

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Do nothing."""


OUTLET = Nowhere
