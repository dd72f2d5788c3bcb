"""Files opened for reading, also pipes with a name: one that nobody writes into is waited for shortly, not for ever."""

from __future__ import annotations

import errno
import os
import stat
import time
from io import BufferedReader, FileIO
from pathlib import Path
from typing import IO

PATIENCE = 5.0
_FLAGS = os.O_RDONLY | sum(getattr(os, name, 0) for name in ("O_NONBLOCK", "O_CLOEXEC", "O_BINARY"))  # as the system has them


def only_once(name: str) -> bool:
    """Tell whether an input can be read only once: standard input, or a pipe."""
    if name == "-":
        return True
    try:
        return not stat.S_ISREG(os.stat(name).st_mode)  # noqa: PTH116  (of thousands of files)
    except (OSError, ValueError):
        return False  # opening it says what is wrong


class _Begun(FileIO):
    """A pipe of which the first byte has been read already."""

    def __init__(self, handle: int, first: bytes) -> None:
        super().__init__(handle, "rb")
        self._first = first

    def readinto(self, buffer: memoryview) -> int | None:  # type: ignore[override]
        """Read into a buffer; the byte that is known comes first."""
        if self._first:
            buffer[:1], self._first = self._first, b""
            return 1
        return super().readinto(buffer)


def open_file(path: Path) -> IO[bytes]:
    """Open a file for reading; raise OSError for what cannot be opened, and for a pipe that has no writer after 5 seconds."""
    handle = os.open(path, _FLAGS)
    try:
        mode = os.fstat(handle).st_mode
        pipe = stat.S_ISFIFO(mode)
        first = _first_byte(handle) if pipe else b""
        if not stat.S_ISREG(mode):
            os.set_blocking(handle, True)
    except OSError:
        os.close(handle)
        raise
    return BufferedReader(_Begun(handle, first)) if pipe else os.fdopen(handle, "rb")


def _first_byte(handle: int) -> bytes:
    """Return the first byte of a pipe, nothing where a writer is there and has not written yet."""
    until = time.monotonic() + PATIENCE
    while True:
        try:
            first = os.read(handle, 1)
        except BlockingIOError:
            return b""
        if first:
            return first
        if time.monotonic() > until:
            raise OSError(errno.EPIPE, f"nobody wrote into this pipe for {PATIENCE:.0f} seconds")
        time.sleep(0.02)
