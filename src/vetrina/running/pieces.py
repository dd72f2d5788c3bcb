"""One file's part of a section: read on from where it had come to, whatever its name is by now."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from contextlib import suppress
from typing import IO, Self

from msgspec import Struct

from vetrina.core.rolling.codecs import ERRORS
from vetrina.formats.inputs import unpacked
from vetrina.running.families import Seen

HEAD, TAIL = 4096, 256
TELLING = 256
"""Bytes from which on two files that begin with the same are taken for copies."""
_BLOCK = 1 << 20


class Piece(Struct):
    """A file whose bytes from ``start`` on belong to a section; ``at`` is how far they have been taken.

    ``head`` is what it begins with, ``tail`` what stands before ``at``. ``emptied`` tells that it was emptied in place:
    what it had after ``at`` stands in a copy, or is lost. ``gone`` tells that it had no name any more when it was read last,
    ``done`` that nothing more is looked for, ``first`` that it was the open one at the start. ``part`` is the file that its bytes go to.
    """

    path: str
    dev: int
    ino: int
    start: int
    at: int
    part: str
    head: bytes = b""
    tail: bytes = b""
    emptied: bool = False
    done: bool = False
    gone: bool = False
    first: bool = False

    @property
    def id(self) -> tuple[int, int]:
        """Which file it is."""
        return self.dev, self.ino

    @property
    def taken(self) -> int:
        """How many bytes the section has of it."""
        return self.at - self.start

    def took(self, data: bytes) -> None:
        """Note that it was read on."""
        if len(self.head) < HEAD and self.at == len(self.head):
            self.head = (self.head + data)[:HEAD]
        self.at += len(data)
        self.tail = (self.tail + data)[-TAIL:]


def begun_at(seen: Seen, part: str, start: int) -> Piece:
    """Return a file of which the bytes before ``start`` do not belong to a section."""
    piece = Piece(seen.path, seen.dev, seen.ino, start, start, part)
    with suppress(OSError), open_plain(seen.path) as file:
        handle = file.fileno()
        found = os.fstat(handle)
        if (found.st_dev, found.st_ino) == piece.id:
            piece.head = os.pread(handle, min(HEAD, start), 0)
            piece.tail = os.pread(handle, min(TAIL, start), max(0, start - TAIL))
    return piece


def open_plain(path: str) -> IO[bytes]:
    """Open a file for reading its bytes as they are."""
    return os.fdopen(os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC), "rb", buffering=0)


def as_was(handle: int, piece: Piece) -> bool:
    """Tell whether an open file still has, up to where it was read, what it had."""
    if os.fstat(handle).st_size < piece.at or os.pread(handle, len(piece.head), 0) != piece.head:
        return False
    return os.pread(handle, len(piece.tail), piece.at - len(piece.tail)) == piece.tail


def more_of(handle: int, piece: Piece) -> Iterator[bytes]:
    """Yield what an open file has more, as far as it goes now, and as long as it is the same: it may be emptied meanwhile.

    What it gets while it is read is left for the next time: a fast writer would never let it end.
    """
    size = os.fstat(handle).st_size
    while (data := os.pread(handle, max(0, min(_BLOCK, size - piece.at)), piece.at)) and as_was(handle, piece):
        piece.took(data)
        yield data


class Content:
    """What another file holds, unpacked where it is packed; ``whole`` is False where it is packed and cut off: not yet whole."""

    def __init__(self, seen: Seen) -> None:
        self._seen = seen
        self._file: IO[bytes] | None = None
        self._head: bytes | None = None
        self.whole = True

    def __enter__(self) -> Self:
        """Open it, if it is still there."""
        try:
            self._file = open_plain(self._seen.path)
            found = os.fstat(self._file.fileno())
            self.whole = (found.st_dev, found.st_ino) == self._seen.id
        except OSError:
            self.whole = False
        return self

    def __exit__(self, *_: object) -> None:
        """Close it."""
        if self._file is not None:
            self._file.close()

    def blocks(self) -> Iterator[bytes]:
        """Yield its bytes, from the first on."""
        if self._file is None or not self.whole:
            return
        try:
            self._file.seek(0)
            stream = unpacked(self._file, self._seen.path)
            while data := stream.read(_BLOCK):
                yield data
        except (OSError, EOFError, *ERRORS):
            self.whole = False

    @property
    def mark(self) -> tuple[int, int, int, int]:
        """What changes when it is written to, as it is now."""
        if self._file is None:
            return self._seen.mark
        found = os.fstat(self._file.fileno())
        return found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns

    def is_whole(self) -> bool:
        """Tell whether all of it can be unpacked."""
        for _ in self.blocks():
            pass
        return self.whole

    def is_that_of(self, other: Seen) -> bool:
        """Tell whether another file, which is not packed, holds the same, as far as its length and its first bytes tell."""
        ours, theirs = Piece("", 0, 0, 0, 0, ""), Piece("", 0, 0, 0, 0, "")
        with Content(other) as second:
            for piece, content in ((ours, self), (theirs, second)):
                for block in content.blocks():
                    piece.took(block)
        return (ours.at, ours.head, ours.tail) == (theirs.at, theirs.head, theirs.tail)

    def compared(self, piece: Piece) -> Compared:
        """Return how it stands to a file that is, or was, read."""
        if self._head is None:
            self._head = next(self.blocks(), b"")[:HEAD]
        known = min(len(piece.head), len(self._head))
        if self._head[:known] != piece.head[:known]:  # most are told apart here, without reading on
            return Compared(begins=False, holds=False, length=len(self._head))
        head, tail, length = bytearray(), bytearray(), 0
        for block in self.blocks():
            if len(head) < HEAD:
                head += block[: HEAD - len(head)]
            if length < piece.at:
                tail = (tail + block[: piece.at - length])[-TAIL:]
            length += len(block)
        known = min(len(piece.head), len(head))
        begins = bytes(head[:known]) == piece.head[:known]
        return Compared(begins, begins and length >= piece.at and bytes(tail) == piece.tail, length)


class Compared(Struct, frozen=True):
    """Whether a file begins as another one, whether it has all that was read of that, and how long it is."""

    begins: bool
    holds: bool
    length: int


def noted(piece: Piece, blocks: Iterable[bytes]) -> Iterator[bytes]:
    """Yield blocks as they are taken for a piece."""
    for data in blocks:
        piece.took(data)
        yield data


def rest_of(piece: Piece, content: Content) -> Iterator[bytes]:
    """Yield what a copy has after what was taken of a piece."""
    left = piece.at
    for block in content.blocks():
        data, left = block[left:], max(0, left - len(block))
        if data:
            piece.took(data)
            yield data
