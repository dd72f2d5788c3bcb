"""Closed files packed for real, as streams; and unpacked again."""

from __future__ import annotations

import bz2
import lzma
import os
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import zstandard

from vetrina.core.rolling.codecs import compressor
from vetrina.rehearsal.sandbox import Sandbox

_BLOCK = 1 << 18


def pack(source: Path, target: Path, codec: str, sandbox: Sandbox) -> None:
    """Write ``source`` packed to ``target``."""
    packer = compressor(codec)
    with os.fdopen(sandbox.inside.open(source, os.O_RDONLY), "rb") as whole, os.fdopen(sandbox.open(target), "wb") as out:
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
