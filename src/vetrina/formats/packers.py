"""How small content becomes: gzip (level 6), zstd (3), xz (6), bzip2 (9), measured by packing it."""

from __future__ import annotations

import bz2
import lzma
import zlib
from typing import Any

import zstandard

_CHUNK = 1 << 16


class MeasuringPacker:
    """Packs what it is fed and counts the bytes that come out."""

    def __init__(self, codec: str) -> None:
        """Begin for a codec: `.gz`, `.zst`, `.xz` or `.bz2`."""
        self._codec = _compressor(codec)
        self._size = 0

    def feed(self, data: bytes, times: int) -> None:
        """Pack the same content several times, piece by piece."""
        together = max(1, _CHUNK // max(1, len(data)))
        while times > 0:
            now = min(times, together)
            self._size += len(self._codec.compress(data * now))
            times -= now

    def size(self) -> int:
        """Return the bytes of everything, packed."""
        return self._size + len(self._codec.flush())


def _compressor(codec: str) -> Any:
    if codec == ".gz":
        return zlib.compressobj(6, zlib.DEFLATED, 31)
    if codec == ".zst":
        return zstandard.ZstdCompressor(level=3).compressobj()
    return lzma.LZMACompressor(preset=6) if codec == ".xz" else bz2.BZ2Compressor(9)
