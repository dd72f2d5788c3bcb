"""A console stream, as a file; appenders on one stream share it, in the order of deliveries."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from datetime import datetime
from typing import IO

from vetrina.core.plan.model import Appender
from vetrina.rehearsal.outlets.outlet import PlainOutlet, RehearsalSite, RenderedEvent, batched, pieces, repeated, size_of
from vetrina.rehearsal.sandbox import write_whole

_BLOCK = 1 << 20


class Console(PlainOutlet):
    """Appends to the stream's file."""

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        super().__init__(appender, place)
        self.stream = appender.sink.text("stream", "stdout")
        self._path = place.sandbox.own("console", f"{self.stream}.txt")
        self._file: IO[bytes] | None = None
        self._quick: list[str] = []
        self._block: list[bytes] = []
        self._size = 0

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Write the group in one go, so that two appenders' lines never mix."""
        del time
        self.place.sandbox.take(size_of(group))
        self._write(batched(pieces(group)))

    def write(self, time: datetime, data: bytes, times: int) -> None:
        """Take an event that waits for nothing."""
        del time
        size = len(data) * times
        if size > _BLOCK:
            self._write_block()
            self.place.sandbox.take(size)
            self._write(batched(repeated(data, times)))
            return
        self._block.append(data * times)
        self._size += size
        if self._size >= _BLOCK:
            self._write_block()

    def quick_block(self) -> list[str] | None:
        """Return where texts may be put without asking."""
        return self._quick

    @property
    def quick_until(self) -> datetime | None:
        """Return nothing: a stream never rolls."""
        return None

    def settle_block(self, *, write: bool = False) -> int:
        """Take over the texts that were put without asking; return how many there were."""
        count = len(self._quick)
        if count:
            self._block.append("".join(self._quick).encode())
            self._size += len(self._block[-1])
            self._quick.clear()
        if write or self._size >= _BLOCK:
            self._write_block()
        return count

    def _write_block(self) -> None:
        block, size = self._block, self._size
        self._block, self._size = [], 0
        if block:
            self.place.sandbox.take(size)
            self._write([b"".join(block)])

    def _write(self, some: Iterable[bytes]) -> None:
        if self._file is None:
            self._file = os.fdopen(self.place.sandbox.open(self._path, append=True), "ab", buffering=0)
        for data in some:
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
