"""Closed files packed for real, as streams; and unpacked again."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from vetrina.core.rolling.codecs import CODECS, compressor, decompressor
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
    unpacker = decompressor(path.suffix) if path.suffix in CODECS else None
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            yield unpacker.decompress(block) if unpacker is not None else block
