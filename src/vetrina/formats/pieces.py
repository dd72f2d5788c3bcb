"""Inputs cut into pieces that can be read apart: ranges of bytes that end at lines; a packed file is one piece."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO, cast

from msgspec import Struct

from vetrina.core.base.faults import Fault, Refused
from vetrina.formats.inputs import InputFile, Inputs, open_one, open_raw

_BLOCK = 1 << 16


class Range(Struct, frozen=True):
    """A range of a file's bytes, from the beginning of a line to the end of one; without ``end`` all of a packed file.

    ``whole`` is how many bytes the file has, where it is not packed.
    """

    file: InputFile
    start: int = 0
    end: int | None = None
    whole: int = 0

    @property
    def begins(self) -> bool:
        """Whether the file begins with it."""
        return self.start == 0

    @property
    def size(self) -> int:
        """How many bytes it has as they lie there."""
        return self.file.size if self.end is None else self.end - self.start

    def after(self) -> Range | None:
        """Return what stands after it in its file, None where nothing does."""
        return Range(self.file, self.end, self.whole, self.whole) if self.end is not None and self.end < self.whole else None


class Piece(Struct, frozen=True):
    """Ranges that follow one another.

    What stands before it is filled in where somebody needs it: lines of its first file, lines and events of the input.
    """

    ranges: tuple[Range, ...]
    in_file: int = 0
    lines: int = 0
    events: int = 0


def pieces_of(inputs: Inputs, size: int) -> Iterator[Piece]:
    """Yield the pieces of inputs that can be read again, of some ``size`` bytes each, in order."""
    ranges: list[Range] = []
    for one, last in _ranges(inputs, size):
        ranges.append(one)
        if last:
            yield Piece(tuple(ranges))
            ranges = []
    if ranges:
        yield Piece(tuple(ranges))


def _ranges(inputs: Inputs, size: int) -> Iterator[tuple[Range, bool]]:
    """Yield every range, and whether it is the last one of its piece."""
    left = size
    for file in inputs.parts:
        if file.packed:
            left -= file.weight
            yield Range(file), left <= 0
            left = left if left > 0 else size
            continue
        with open_raw(file.path) as raw:
            whole, start = raw.seek(0, io.SEEK_END), 0
            while start < whole:
                end = _line_end(raw, start + left, whole)
                left -= end - start
                yield Range(file, start, end, whole), left <= 0
                left = left if left > 0 else size
                start = end


def _line_end(raw: IO[bytes], near: int, whole: int) -> int:
    """Return where the line ends that has the byte before ``near``, or ``whole``."""
    if near >= whole:
        return whole
    at = raw.seek(near - 1)
    while block := raw.read(_BLOCK):
        found = block.find(b"\n")
        if found >= 0:
            return at + found + 1
        at += len(block)
    return whole


class _RangeReader:
    """The bytes of a range."""

    def __init__(self, raw: IO[bytes], one: Range, end: int) -> None:
        self._raw, self._name = raw, one.file.name
        self._left = end - one.start
        raw.seek(one.start)

    def read(self, size: int) -> bytes:
        """Return some bytes, none at the end; raise Refused where there are less than there were."""
        block = self._raw.read(min(size, self._left))
        if self._left and not block:
            raise changed(self._name, "it became shorter")
        self._left -= len(block)
        return block


def changed(name: str, how: str) -> Refused:
    """Return what is said of a file that is another one than when the reading began."""
    return Refused([
        Fault("changed-input", f"the file changed while it was read: {how}", why="what was read of it is of no one state",
              fix="take a copy that nobody writes to, and read that", where=name)
    ])  # fmt: skip


@contextmanager
def open_range(one: Range) -> Iterator[IO[bytes]]:
    """Open a range for reading bytes, unpacked."""
    if one.end is None:
        with open_one(one.file.path) as file:
            yield file
    else:
        with open_raw(one.file.path) as file:
            yield cast(IO[bytes], _RangeReader(file, one, one.end))
