"""A console stream, as a file; appenders on one stream share it, in the order of deliveries."""

from __future__ import annotations

import os
from collections.abc import Iterator
from datetime import datetime
from typing import IO

from vetrina.core.plan.model import Appender
from vetrina.rehearsal.outlets.outlet import PlainOutlet, RehearsalSite, RenderedEvent, batched, pieces, size_of
from vetrina.rehearsal.sandbox import write_whole


class Console(PlainOutlet):
    """Appends to the stream's file."""

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        super().__init__(appender, place)
        self._path = place.sandbox.own("console", f"{appender.sink.text('stream', 'stdout')}.txt")
        self._file: IO[bytes] | None = None

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Write the group in one go, so that two appenders' lines never mix."""
        del time
        self.place.sandbox.take(size_of(group))
        if self._file is None:
            self._file = os.fdopen(self.place.sandbox.open(self._path, append=True), "ab", buffering=0)
        for data in batched(pieces(group)):
            write_whole(self._file, data)

    def finish(self) -> None:
        """Close the stream's file."""
        if self._file is not None:
            self._file.close()

    def said(self) -> Iterator[bytes]:
        """Yield the stream's lines."""
        if self._path.exists():
            with self._path.open("rb") as file:
                yield from file


OUTLET = Console
