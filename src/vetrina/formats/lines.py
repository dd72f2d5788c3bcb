"""Lines of a binary stream, read in blocks: memory is bounded, whatever the file holds."""

from __future__ import annotations

from collections.abc import Iterator
from typing import IO

from vetrina.core.rolling.codecs import ERRORS
from vetrina.formats.documents import unreadable

LONGEST_LINE = 16 << 20
HOPELESS_LINE = 256 << 20
_BLOCK = 1 << 16
BOM = b"\xef\xbb\xbf"


class Lines:
    """The lines of a file, without their line feeds; ``broken`` says afterwards why reading ended early, after ``number``."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.broken = ""
        self.number = 0

    def batches(self, file: IO[bytes], *, begins: bool = True) -> Iterator[list[bytes]]:
        """Yield lists of whole lines; a line over the limit is cut to just over it, so that it is told as too long.

        ``begins`` tells whether the stream begins with the file, where a byte-order mark may stand.
        """
        rest, first = b"", begins
        while True:
            try:
                block = file.read(_BLOCK)
            except (OSError, EOFError, ValueError, *ERRORS) as error:
                self.broken = f"the file breaks off here: {str(error) or type(error).__name__}"
                block = b""
            if first:
                block, first = block.removeprefix(BOM), False
            if not block:
                break
            lines = (rest + block).split(b"\n") if rest else block.split(b"\n")
            rest = lines.pop()
            if lines:
                self.number += len(lines)
                yield lines
            if len(rest) > LONGEST_LINE:
                rest = self._skip(file, rest)
        if rest:
            self.number += 1
            yield rest.split(b"\n")

    def _skip(self, file: IO[bytes], start: bytes) -> bytes:
        """Read over the rest of an overlong line; return its beginning and what follows the line in its block."""
        seen, head = len(start), start[: LONGEST_LINE + 1]
        while block := file.read(_BLOCK):
            seen += len(block)
            end = block.find(b"\n")
            if end >= 0:
                return head + block[end:]
            if seen > HOPELESS_LINE:
                raise unreadable(self.name, f"a line is longer than {HOPELESS_LINE >> 20} MiB", "this is no file of lines",
                                 f"lines may have up to {LONGEST_LINE >> 20} MiB")  # fmt: skip
        return head
