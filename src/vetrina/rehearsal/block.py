"""What is written to a file next: put together, and written a megabyte at a time."""

from __future__ import annotations

from collections.abc import Callable

from vetrina.rehearsal.outlets.outlet import repeated

_BUFFER = 1 << 20


class Block:
    """Bytes, and ``texts`` that are put there without asking and taken over by ``settle``; ``out`` writes them."""

    def __init__(self, out: Callable[[bytes], None]) -> None:
        self.texts: list[str] = []
        self._out = out
        self._parts: list[bytes] = []
        self._size = 0

    def put(self, data: bytes, times: int = 1) -> None:
        """Put bytes there; many times the same go in pieces."""
        for piece in repeated(data, times):
            self._parts.append(piece)
            self._size += len(piece)
            if self._size >= _BUFFER:
                self.write()

    def settle(self, *, write: bool) -> tuple[int, int]:
        """Take over the texts, and write all where that is wanted; return how many they were, and their bytes."""
        count, data = len(self.texts), b""
        if count:
            data = "".join(self.texts).encode()
            self.texts.clear()
            self.put(data)
        if write:
            self.write()
        return count, len(data)

    def write(self) -> None:
        """Write everything in one go."""
        parts, self._parts, self._size = self._parts, [], 0
        if parts:
            self._out(b"".join(parts))
