"""Closed files packed for real: gzip (level 6), zstd (3), xz (6), bzip2 (9), streamed; and unpacked again."""

from __future__ import annotations

import bz2
import lzma
import os
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import zstandard

from vetrina.sinks.sandbox import Sandbox

_BLOCK = 1 << 18


def compressor(codec: str) -> Any:
    """Return the compressor of a codec: `.gz`, `.zst`, `.xz` or `.bz2`."""
    if codec == ".gz":
        return zlib.compressobj(6, zlib.DEFLATED, 31)
    if codec == ".zst":
        return zstandard.ZstdCompressor(level=3).compressobj()
    return lzma.LZMACompressor(preset=6) if codec == ".xz" else bz2.BZ2Compressor(9)


def pack(source: Path, target: Path, codec: str, sandbox: Sandbox) -> None:
    """Write ``source`` packed to ``target``."""
    packer = compressor(codec)
    with source.open("rb") as whole, os.fdopen(sandbox.open(target), "wb") as out:
        while block := whole.read(_BLOCK):
            out.write(packer.compress(block))
        out.write(packer.flush())


def unpacked(path: Path) -> Iterator[bytes]:
    """Yield a file's content in blocks, unpacked by the ending of its name."""
    makers: dict[str, Any] = {
        ".gz": lambda: zlib.decompressobj(31), ".zst": lambda: zstandard.ZstdDecompressor().decompressobj(),
        ".xz": lzma.LZMADecompressor, ".bz2": bz2.BZ2Decompressor,
    }  # fmt: skip
    maker = makers.get(path.suffix)
    unpacker = maker() if maker else None
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            yield unpacker.decompress(block) if unpacker is not None else block
