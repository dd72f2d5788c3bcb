"""Compression, all of it: by the ending of a file's name, gzip (level 6), zstd (3), xz (6) or bzip2 (9)."""

from __future__ import annotations

import bz2
import lzma
import zlib
from typing import Any

import zstandard

CODECS = (".gz", ".zst", ".xz", ".bz2")
ERRORS = (zlib.error, zstandard.ZstdError, lzma.LZMAError)
"""What gzip, zstd and xz raise for data that are none; bzip2 raises OSError."""
_TOGETHER = 1 << 16


def compressor(codec: str) -> Any:
    """Return the compressor of a codec: `.gz`, `.zst`, `.xz` or `.bz2`."""
    if codec == ".gz":
        return zlib.compressobj(6, zlib.DEFLATED, 31)
    if codec == ".zst":
        return zstandard.ZstdCompressor(level=3).compressobj()
    return lzma.LZMACompressor(preset=6) if codec == ".xz" else bz2.BZ2Compressor(9)


def decompressor(codec: str) -> Any:
    """Return the decompressor of a codec; it wants no more than 128 MiB for looking back."""
    if codec == ".gz":
        return zlib.decompressobj(31)
    if codec == ".zst":
        return zstandard.ZstdDecompressor(max_window_size=1 << 27).decompressobj()
    return lzma.LZMADecompressor(memlimit=1 << 28) if codec == ".xz" else bz2.BZ2Decompressor()


class MeasuringPacker:
    """Packs what it is fed and counts the bytes that come out."""

    def __init__(self, codec: str) -> None:
        """Begin for a codec: `.gz`, `.zst`, `.xz` or `.bz2`."""
        self._codec = compressor(codec)
        self._size = 0

    def feed(self, data: bytes, times: int) -> None:
        """Pack the same content several times, piece by piece."""
        together = max(1, _TOGETHER // max(1, len(data)))
        while times > 0:
            now = min(times, together)
            self._size += len(self._codec.compress(data * now))
            times -= now

    def size(self) -> int:
        """Return the bytes of everything, packed."""
        return self._size + len(self._codec.flush())
