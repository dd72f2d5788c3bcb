"""Files that grow while they are read: one may be emptied in place; another may take its place at its path."""

from __future__ import annotations

import os
from pathlib import Path
from typing import IO

from vetrina.formats.opening import open_file

_MARK = 256
_TELLING = 40
_MOST = 1 << 23


class GrowingFile:
    """An open file, however it is called by now: gives what it has more than before.

    ``begun_anew`` tells after `more` that what it gave stands at its beginning: it was emptied meanwhile. ``marks`` are what
    it began with, then and now.
    """

    def __init__(self, file: IO[bytes]) -> None:
        self._file = file
        self._at = 0
        self._mark = b""
        self._marks: list[bytes] = []
        self.begun_anew = False

    @property
    def identity(self) -> tuple[int, int]:
        """Which file it is."""
        return identity_of(self._file)

    @property
    def marks(self) -> list[bytes]:
        """What it began with, then and now."""
        return [*self._marks, self._mark]

    def more(self) -> bytes:
        """Return what is there now and was not before, some MiB at most; all, where it was emptied or begins otherwise."""
        self.begun_anew = False
        handle = self._file.fileno()
        size = os.fstat(handle).st_size
        if size < self._at or (size > self._at and os.pread(handle, len(self._mark), 0) != self._mark):
            self._marks.append(self._mark)
            self._at, self._mark, self.begun_anew = 0, b"", True
        if size == self._at:
            return b""
        data = os.pread(handle, min(_MOST, size - self._at), self._at)
        self._at += len(data)
        if len(self._mark) < _MARK:
            self._mark = os.pread(handle, min(_MARK, self._at), 0)
        return data

    def close(self) -> None:
        """Close it."""
        self._file.close()


def opened_at(path: str) -> GrowingFile | None:
    """Return the file that is at a path now, None where there is none that may be read."""
    try:
        return GrowingFile(open_file(Path(path)))
    except OSError:
        return None


def identity_at(path: str) -> tuple[int, int] | None:
    """Return which file is at a path, None where there is none."""
    try:
        return _identity(os.stat(path))  # noqa: PTH116  (names as the system has them)
    except OSError:
        return None


def identity_of(file: IO[bytes]) -> tuple[int, int]:
    """Return which file an open one is, however it is called by now."""
    return _identity(os.fstat(file.fileno()))


def _identity(found: os.stat_result) -> tuple[int, int]:
    return found.st_dev, found.st_ino


def begins_with(path: str, marks: list[bytes]) -> bool:
    """Tell whether a file begins as one did that was read: it is that one, renamed, or a copy made before it was emptied."""
    try:
        with open_file(Path(path)) as file:
            begun = file.read(_MARK)
    except OSError:
        return False
    return any(begun.startswith(mark) for mark in marks if len(mark) > _TELLING)
