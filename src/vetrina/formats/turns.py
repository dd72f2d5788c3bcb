"""Very many files read at once, of which only so many are open: the one that was read longest ago is closed, and opened again."""

from __future__ import annotations

from collections import OrderedDict
from pathlib import Path
from typing import IO

from vetrina.formats.growing import identity_of
from vetrina.formats.opening import open_file
from vetrina.formats.pieces import changed

MOST = 200


class Turns:
    """Keeps at most ``most`` files open."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._open: OrderedDict[int, Turn] = OrderedDict()

    def took(self, one: Turn) -> None:
        """Know that a file is open, and read just now; close the one that was read longest ago, where they are too many."""
        self._open[id(one)] = one
        self._open.move_to_end(id(one))
        while len(self._open) > self._most:
            self._open.popitem(last=False)[1].rest()

    def left(self, one: Turn) -> None:
        """Forget a file."""
        self._open.pop(id(one), None)


class Turn:
    """A file that is open when it is read."""

    def __init__(self, path: str, file: IO[bytes], turns: Turns) -> None:
        self._path, self._file, self._turns = path, file, turns
        self._identity = identity_of(file)
        self._at = 0
        self._resting = False
        turns.took(self)

    def read(self, size: int = -1) -> bytes:
        """Return some bytes; raise Refused where another file has taken its place meanwhile."""
        if self._resting:
            self._file = self._again()
            self._resting = False
        self._turns.took(self)
        return self._file.read(size)

    def _again(self) -> IO[bytes]:
        try:
            file = open_file(Path(self._path))
        except OSError:
            raise changed(self._path, "it is gone") from None
        if identity_of(file) != self._identity:
            file.close()
            raise changed(self._path, "another one took its place")
        file.seek(self._at)
        return file

    def rest(self) -> None:
        """Close it for a while."""
        self._at = self._file.tell()
        self._file.close()
        self._resting = True

    def close(self) -> None:
        """Close it."""
        self._turns.left(self)
        self._file.close()
