"""How far the reading of inputs is: bytes as they lie on the disk, and events. Whoever wants to know sets a watcher."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO


class Reading:
    """The sums of what has been read; ``told`` is called with it after every block."""

    def __init__(self, told: Callable[[Reading], None]) -> None:
        self.bytes = self.events = 0
        self._told = told

    def add_bytes(self, count: int) -> None:
        """Count a block of bytes."""
        self.bytes += count
        self._told(self)


_watching: list[Reading] = []


def watcher() -> Reading | None:
    """Return who watches the reading, None where nobody does."""
    return _watching[-1] if _watching else None


@contextmanager
def watching(told: Callable[[Reading], None]) -> Iterator[Reading]:
    """Have what is read within counted, and ``told`` called after every block."""
    reading = Reading(told)
    _watching.append(reading)
    try:
        yield reading
    finally:
        _watching.remove(reading)


class Watched:
    """A binary stream whose blocks are counted."""

    def __init__(self, raw: IO[bytes], reading: Reading) -> None:
        self._raw, self._reading = raw, reading

    def seek(self, offset: int, whence: int = 0) -> int:
        """Go to a byte."""
        return self._raw.seek(offset, whence)

    def read(self, size: int = -1) -> bytes:
        """Return some bytes, and count them."""
        block = self._raw.read(size)
        self._reading.add_bytes(len(block))
        return block

    def tell(self) -> int:
        """Return at which byte it is."""
        return self._raw.tell()

    def fileno(self) -> int:
        """Return the number of the open file."""
        return self._raw.fileno()

    def close(self) -> None:
        """Close it."""
        self._raw.close()
