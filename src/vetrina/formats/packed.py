"""Packed files as streams: unpacked piece by piece, whole members after one another, and never cut off in silence."""

from __future__ import annotations

from contextlib import suppress
from typing import IO, Any

from vetrina.core.rolling.codecs import ERRORS, decompressor

_PIECES = {".gz": 16 << 10, ".zst": 1 << 10, ".xz": 1 << 10, ".bz2": 256}
"""Bytes taken from the packed file at once: so few that what they can grow to stays bounded (a bomb, too)."""
_REMEMBERED = 1 << 20
_BROKEN = (*ERRORS, OSError)
"""What an unpacker raises for data that are none."""


class PackedReader:
    """The unpacked bytes of a compressed file; ``read`` raises EOFError where the file is cut off."""

    def __init__(self, raw: IO[bytes], ending: str) -> None:
        self._raw, self._ending = raw, ending
        self._unpacker = decompressor(ending)
        self._begun = False
        self._left = b""
        self._ready = memoryview(b"")
        self._failed: Exception | None = None
        self._before: Any = self._unpacker
        self._member: bytearray | None = bytearray()
        self._given = 0

    def read(self, size: int) -> bytes:
        """Return some bytes, ``size`` at most, nothing at the end.

        A few packed bytes can grow to megabytes; they are handed out in parts, so that what is made of them stays small.
        """
        if not self._ready:
            self._ready = memoryview(self._fill(size))
        part, self._ready = bytes(self._ready[:size]), self._ready[size:]
        return part

    def _fill(self, size: int) -> bytes:
        if self._failed is not None:
            raise self._failed
        pieces: list[bytes] = []
        total = 0
        while total < size:
            packed = self._left or self._raw.read(_PIECES[self._ending])
            self._left = b""
            if not packed:
                if pieces:
                    break
                if self._begun:
                    message = "the packed data ends early"
                    raise EOFError(message)
                return b""
            try:
                piece = self._unpack(packed)
            except _BROKEN as error:
                piece = self._before_error(packed)
                if not pieces and not piece:
                    raise
                self._failed = error  # what came before it is given first
                pieces.append(piece)
                break
            if piece:
                pieces.append(piece)
                total += len(piece)
        return b"".join(pieces)

    def _unpack(self, packed: bytes) -> bytes:
        if not self._begun and not packed.strip(b"\0"):
            return b""  # padding after the last member
        if not self._begun:
            self._member, self._given = bytearray(), 0
        self._begun = True
        self._remember(packed)
        piece: bytes = self._unpacker.decompress(packed)
        self._given += len(piece)
        if self._unpacker.eof:
            self._left = self._unpacker.unused_data
            self._unpacker = decompressor(self._ending)
            self._begun = False
        return piece

    def _remember(self, packed: bytes) -> None:
        """Keep what the unpacker was, so that it can be gone through again byte by byte: an error takes a whole call's output with it."""
        if self._ending == ".gz":
            self._before = self._unpacker.copy()
        elif self._member is not None:
            self._member += packed
            if len(self._member) > _REMEMBERED:
                self._member = None

    def _before_error(self, packed: bytes) -> bytes:
        """Return what of a piece that fails can be unpacked."""
        given = 0
        if self._ending == ".gz":
            again, wanted = self._before, packed
        elif self._member is not None:
            again, wanted, given = decompressor(self._ending), bytes(self._member), self._given
        else:
            return b""
        found = bytearray()
        with suppress(*_BROKEN):
            for at in range(len(wanted)):
                piece = again.decompress(wanted[at : at + 1])
                found += piece[given:]
                given -= min(given, len(piece))
        return bytes(found)
