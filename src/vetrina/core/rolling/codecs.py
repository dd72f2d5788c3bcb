"""How closed files are packed, by the ending of their name: gzip (level 6), zstd (3), xz (6), bzip2 (9)."""

from __future__ import annotations

import bz2
import lzma
import zlib
from typing import Any

import zstandard


def compressor(codec: str) -> Any:
    """Return the compressor of a codec: `.gz`, `.zst`, `.xz` or `.bz2`."""
    if codec == ".gz":
        return zlib.compressobj(6, zlib.DEFLATED, 31)
    if codec == ".zst":
        return zstandard.ZstdCompressor(level=3).compressobj()
    return lzma.LZMACompressor(preset=6) if codec == ".xz" else bz2.BZ2Compressor(9)
