"""One appender of a rehearsal: its outlet, its buffer, its rendering, its sums."""

from __future__ import annotations

from datetime import datetime
from typing import cast

from vetrina.core.plan.model import Appender
from vetrina.core.routing.measuring import Renders, ending_of
from vetrina.core.rush.buffers import Waiting
from vetrina.rehearsal.outlets.console import Console
from vetrina.rehearsal.outlets.file import RolledFile
from vetrina.rehearsal.outlets.outlet import BlockOutlet, Outlet, RenderedEvent
from vetrina.rehearsal.sums import Sum


class SinkLane:
    """One appender: its outlet, its buffer, its rendering."""

    def __init__(self, appender: Appender, own: Outlet) -> None:
        self.appender = appender
        self.outlet = own
        self.waiting: Waiting[RenderedEvent] = Waiting(appender.buffer)
        self.sum = Sum()
        self.render = appender.template.compile(ending_of(appender))
        self.encoding = appender.encoding
        self.renders = Renders(appender)
        self.down: tuple[tuple[datetime, datetime], ...] = ()
        self.block: BlockOutlet | None = None
        self.written = 0
        self.writes = 0

    def settle(self, disk: int | None, *, alone: bool) -> None:
        """Find the short way: a file that waits for nothing, or a stream ``alone``, is written at once, and nothing is late."""
        blocks = isinstance(self.outlet, RolledFile) or (isinstance(self.outlet, Console) and alone)
        if blocks and self.waiting.limits is None and not self.down and disk is None:
            self.block = cast(BlockOutlet, self.outlet)

    def writer_key(self) -> object:
        """Return what is equal for appenders of one plan that write the same bytes."""
        return (self.appender.template.key(), ending_of(self.appender), self.encoding)
