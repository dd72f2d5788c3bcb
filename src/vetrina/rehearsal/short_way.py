"""The short way of events that only reach files which are open: nothing but their text is made."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime

from vetrina.core.templates.compiling import Render
from vetrina.rehearsal.lanes import SinkLane

ShortWriters = list[tuple[Render, tuple[Callable[[str], None], ...]]]


class Flow:
    """The short way of one logger and level: what renders, and the files' blocks that the text is added to.

    It holds for times before ``until``, where a file of it rolls; None where none does. Without ``writers`` there is no
    short way.
    """

    __slots__ = ("lanes", "until", "writers")

    def __init__(self, writers: ShortWriters | None = None) -> None:
        self.writers = writers
        self.lanes: list[SinkLane] = []
        self.until: datetime | None = None

    def settle(self) -> None:
        """Find until when the files stay as they are."""
        self.until = earliest(lane.block.quick_until for lane in self.lanes if lane.block is not None)


LONG_WAY = Flow()


def earliest(some: Iterable[datetime | None]) -> datetime | None:
    """Return the earliest of some times, None where there is none."""
    return min((one for one in some if one is not None), default=None)
