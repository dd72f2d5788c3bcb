"""What arrives at the stand-in goes to disk as it comes: one file for a mail or a request, frames after one another.

Little of it is ever in memory, and never more than a stated number of connections at once.
"""

from __future__ import annotations

import os
import re
import tempfile
import threading
from collections.abc import Callable
from pathlib import Path
from typing import IO, Protocol

from vetrina.core.base.errors import VetrinaError
from vetrina.rehearsal.inside import Inside

LONGEST = 64 << 20
"""Bytes of a request, or of a syslog message over a stream."""
LONGEST_MAIL = 16 << 20
IN_MEMORY = 1 << 16
_PIECE = 1 << 16
_NUMBERED = re.compile(r"(\d+)\.")
PROTOCOLS = ("smtp", "udp", "tcp", "tls", "http")


class Stream(Protocol):
    """What bytes are read from."""

    def read(self, size: int, /) -> bytes:
        """Return some bytes, nothing at the end."""


class BrokenOff(VetrinaError):
    """A delivery ended before it was whole."""


class Incoming:
    """A delivery on its way in; beyond a few bytes it lies in a file without a name, in the folder's own file system."""

    def __init__(self, folder: Path) -> None:
        self.body: IO[bytes] = tempfile.SpooledTemporaryFile(max_size=IN_MEMORY, dir=str(folder))  # noqa: SIM115  (closed by its taker)
        self.size = 0

    def take(self, data: bytes) -> None:
        """Take some of its bytes."""
        self.body.write(data)
        self.size += len(data)

    def take_from(self, stream: Stream, size: int) -> None:
        """Take so many bytes of a stream; raise BrokenOff where it ends before."""
        while size:
            data = stream.read(min(size, _PIECE))
            if not data:
                raise BrokenOff
            self.take(data)
            size -= len(data)

    def close(self) -> None:
        """Forget it."""
        self.body.close()


class Keeper:
    """Keeps deliveries below a folder, goes on counting where an earlier one ended, and counts them by protocol."""

    def __init__(self, folder: Path, complain: Callable[[str], None]) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.inside = Inside(folder)
        self.folder = self.inside.folder
        self.received = dict.fromkeys(PROTOCOLS, 0)
        self.refused = dict.fromkeys(PROTOCOLS, 0)
        self._complain: Callable[[str], None] | None = complain
        self._lock = threading.Lock()
        self._begun = {"smtp": _highest(self.folder / "mail"), "http": _highest(self.folder / "http")}

    def incoming(self) -> Incoming:
        """Return where the next delivery is put while it comes in."""
        return Incoming(self.folder)

    def keep(self, protocol: str, one: Incoming) -> bool:
        """Keep what arrived whole: a mail or a request in a file of its own, a syslog message as a frame.

        Tell whether that was possible: a full disk refuses.
        """
        with self._lock:
            try:
                self._write(protocol, one)
            except OSError as error:
                self.refused[protocol] += 1
                if self._complain is not None:
                    self._complain(f"what arrives cannot be kept: {error.strerror}; deliveries are refused")
                    self._complain = None
                return False
            self.received[protocol] += 1
            return True

    def _write(self, protocol: str, one: Incoming) -> None:
        if protocol in self._begun:
            number = self._begun[protocol] + self.received[protocol] + 1
            target = self.folder / {"smtp": f"mail/{number:04}.eml", "http": f"http/{number:04}.request"}[protocol]
            flags = os.O_CREAT | os.O_EXCL
        else:
            target, flags = self.folder / "syslog" / f"{protocol}.frames", os.O_CREAT | os.O_APPEND
        with os.fdopen(self.inside.open(target, os.O_WRONLY | flags), "ab", buffering=0) as file:
            before = file.seek(0, os.SEEK_END)
            try:
                if protocol not in self._begun:
                    _write_all(file, b"%d " % one.size)
                one.body.seek(0)
                while piece := one.body.read(_PIECE):
                    _write_all(file, piece)
            except OSError:
                file.truncate(before)  # what is there stays whole
                if protocol in self._begun:
                    self.inside.remove(target)
                raise

    def refuse(self, protocol: str) -> None:
        """Count a delivery that was refused or broken off."""
        with self._lock:
            self.refused[protocol] += 1


def _write_all(file: IO[bytes], data: bytes) -> None:
    while data:
        data = data[file.write(data) :]


def _highest(folder: Path) -> int:
    """Return the highest number that a file of a folder bears."""
    try:
        names = [found for one in os.scandir(folder) if (found := _NUMBERED.match(one.name))]
    except FileNotFoundError:
        return 0
    return max((int(found.group(1)) for found in names), default=0)
