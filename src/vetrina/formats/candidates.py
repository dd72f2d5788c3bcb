"""Records that may be hits, found in blocks of bytes before anything is parsed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import IO, Any

from vetrina.core.finding.needles import Needle

_BLOCK = 1 << 20
_FAR = 1 << 26
Slice = tuple[int, bytes]
"""So many lines before it, and its bytes: whole records."""


class Candidates:
    """Looks through a stream for what a needle tells; ``lines`` is afterwards how many lines there were.

    Args:
        needle: What to look for.
        folded: Whether that is without regard to case.
        begins: Tells of a line whether a record begins with it; None where every line is one.
    """

    def __init__(self, needle: Needle, *, folded: bool, begins: Callable[[bytes], bool] | None) -> None:
        import re2  # noqa: PLC0415  (16 ms of start-up, for such searches only)

        options = re2.Options()
        options.log_errors = False
        if not folded:
            options.encoding = re2.Options.Encoding.LATIN1
        self._literals = needle.literals
        self._signs = [re2.compile(one.encode(), options) for one in needle.signs]
        self._all = re2.compile(needle.all.encode(), options)
        self._begins = begins
        self.lines = 0

    def slices(self, file: IO[bytes]) -> Iterator[Slice]:
        """Yield the records that may be hits, in order; records that follow one another come as one."""
        rest = b""
        while True:
            block = file.read(_BLOCK)
            data = rest + block if rest else block
            if not data:
                return
            cut = self._cut(data) if block else len(data)
            if not cut and len(data) < _FAR:
                rest = data
                continue
            now, rest = (data[:cut], data[cut:]) if cut else (data, b"")
            if self._may_hold(now):
                yield from self._within(now)
            self.lines += now.count(b"\n") + (not block and not now.endswith(b"\n"))
            if not block:
                return

    def _may_hold(self, data: bytes) -> bool:
        return any(one in data for one in self._literals) or any(one.search(data) is not None for one in self._signs)

    def _cut(self, data: bytes) -> int:
        """Return where the last record begins, or, where every line is one, the last line ends; 0 where that is not there."""
        end = data.rfind(b"\n") + 1
        if self._begins is None:
            return end
        while end:
            begun = data.rfind(b"\n", 0, end - 1) + 1
            if self._begins(data[begun : end - 1]):
                return begun
            end = begun
        return 0

    def _within(self, data: bytes) -> Iterator[Slice]:
        """Yield the slices of a block that may hold hits."""
        counted, lines, at = 0, self.lines, 0
        while (found := self._next(data, at)) is not None:
            begun, end = self._record(data, found.start(), at)
            lines += data.count(b"\n", counted, begun)
            counted = begun
            yield lines, data[begun:end]
            at = end

    def _next(self, data: bytes, at: int) -> Any:
        return self._all.search(data, at) if at < len(data) else None

    def _record(self, data: bytes, found: int, least: int) -> tuple[int, int]:
        """Return where the record that has a byte begins and ends; it begins at ``least`` at the earliest."""
        begun = data.rfind(b"\n", 0, found) + 1
        end = data.find(b"\n", found) + 1 or len(data)
        if self._begins is None:
            return max(begun, least), end
        while begun > least and not self._begins(data[begun : data.find(b"\n", begun)]):
            begun = data.rfind(b"\n", 0, begun - 1) + 1
        while end < len(data):
            line_end = data.find(b"\n", end) + 1 or len(data)
            if self._begins(data[end:line_end].removesuffix(b"\n")):
                break
            end = line_end
        return max(begun, least), end
