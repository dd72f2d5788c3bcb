"""A console stream, as a file; appenders on one stream share it, in the order of deliveries."""

from __future__ import annotations

import os
from collections.abc import Iterator
from datetime import datetime
from typing import IO

from vetrina.core.plan.model import Appender
from vetrina.rehearsal.block import Block
from vetrina.rehearsal.outlets.outlet import PlainOutlet, RehearsalSite, RenderedEvent, batched, pieces, size_of
from vetrina.rehearsal.sandbox import write_whole


class Console(PlainOutlet):
    """Appends to the stream's file."""

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        super().__init__(appender, place)
        self.stream = appender.sink.text("stream", "stdout")
        self._path = place.sandbox.own("console", f"{self.stream}.txt")
        self._file: IO[bytes] | None = None
        self._block = Block(self._take_and_write)

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Write the group in one go, so that two appenders' lines never mix."""
        del time
        self.place.sandbox.take(size_of(group))
        for data in batched(pieces(group)):
            self._write(data)

    def write(self, time: datetime, data: bytes, times: int) -> None:
        """Take an event that waits for nothing."""
        del time
        if times > 1:
            self.place.sandbox.foresee(len(data) * times)
        self._block.put(data, times)

    def quick_block(self) -> list[str] | None:
        """Return where texts may be put without asking."""
        return self._block.texts

    @property
    def quick_until(self) -> datetime | None:
        """Return nothing: a stream never rolls."""
        return None

    def settle_block(self, *, write: bool = False) -> int:
        """Take over the texts that were put without asking; return how many there were."""
        return self._block.settle(write=write)[0]

    def _take_and_write(self, data: bytes) -> None:
        self.place.sandbox.take(len(data))
        self._write(data)

    def _write(self, data: bytes) -> None:
        if self._file is None:
            self._file = os.fdopen(self.place.sandbox.open(self._path, append=True), "ab", buffering=0)
        write_whole(self._file, data)

    def finish(self) -> None:
        """Write what was put there, and close the stream's file."""
        try:
            self.settle_block(write=True)
        finally:
            if self._file is not None:
                self._file.close()

    def said(self) -> Iterator[bytes]:
        """Yield the stream's lines."""
        if self._path.exists():
            with self._path.open("rb") as file:
                yield from file


OUTLET = Console
