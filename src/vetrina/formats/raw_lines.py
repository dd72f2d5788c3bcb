"""A stream of bytes that keeps the lines that were read of it, as they stand, until they are not wanted any more."""

from __future__ import annotations

import codecs
from typing import IO

_BOM = codecs.BOM_UTF8
_WIDE = {"utf-16": (codecs.BOM_UTF16_BE, 2), "utf-32": (codecs.BOM_UTF32_BE, 4)}
_KEPT = 1 << 20


class RawLines:
    """Passes bytes through; ``take`` gives the bytes of lines by their numbers, from 1, as long as they were not dropped."""

    def __init__(self, file: IO[bytes], encoding: str) -> None:
        self._file = file
        self._encoding = codecs.lookup(encoding).name
        self._end = b"\n" if self._encoding in _WIDE else "\n".encode(self._encoding)
        self._kept = bytearray()
        self._line = 1
        self._start = 0
        self._begun = False

    def read(self, size: int = -1) -> bytes:
        """Return some bytes, and keep them."""
        block = self._file.read(size)
        if not self._begun:
            self._begun = True
            if self._encoding in _WIDE:  # its first bytes tell the order of bytes
                mark, width = _WIDE[self._encoding]
                self._end = b"\n".rjust(width, b"\0") if block.startswith(mark) else b"\n".ljust(width, b"\0")
        self._kept += block
        return block

    def drop(self, line: int) -> None:
        """Forget the lines before one."""
        self._forward(line)
        if self._start > _KEPT:
            del self._kept[: self._start]
            self._start = 0

    def take(self, line: int, count: int) -> bytes:
        """Return the bytes of so many lines from one on, which is none before those that were asked for so far."""
        self._forward(line)
        end = self._start
        for _ in range(count):
            found = self._line_end(end)
            if found < 0:
                end = len(self._kept)
                break
            end = found
        taken = bytes(self._kept[self._start : end])
        return taken.removeprefix(_BOM) if line == 1 else taken

    def _forward(self, line: int) -> None:
        """Find where a line begins."""
        while self._line < line:
            end = self._line_end(self._start)
            if end < 0:
                return
            self._start = end
            self._line += 1

    def _line_end(self, start: int) -> int:
        """Return where the line ends that begins at ``start``, -1 where that is not known."""
        width = len(self._end)
        at = self._kept.find(self._end, start)
        while width > 1 and at >= 0 and (at - start) % width:
            at = self._kept.find(self._end, at + 1)
        return -1 if at < 0 else at + width
