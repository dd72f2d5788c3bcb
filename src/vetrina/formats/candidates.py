"""Records that may be hits, found in blocks of bytes before anything is parsed."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import IO

from vetrina.core.finding.needles import Needle
from vetrina.formats.opening import open_file

_BLOCK = 1 << 18
_FAR = 3 << 23
_MANY = 12
Again = Callable[[int, int], Iterator[bytes]]
Slice = tuple[int, bytes]
"""So many lines before it, and its bytes: whole records."""


class Candidates:
    """Looks through one stream after the other for what a needle tells; ``size`` is afterwards how many bytes the last one had.

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
        self._signs = [re2.compile(one.encode(), options) for one in needle.each]
        self._all = re2.compile("|".join(needle.each).encode(), options)
        self._begins = begins
        self.size = 0

    def slices(self, file: IO[bytes], again: Again | None = None) -> Iterator[Slice]:
        """Yield the records that may be hits, in order; records that follow one another come as one.

        ``again`` gives bytes of the stream once more, from one place to another: lines are counted only where one is found.
        """
        lines = _LinesBefore(again)
        self.size, rest = 0, b""
        while True:
            block = file.read(max(_BLOCK, len(rest)))
            data = rest + block if rest else block
            if not data:
                return
            cut = self._cut(data, len(rest)) if block else len(data)
            if not cut and len(data) < _FAR:
                rest = data
                continue
            now, rest = (data[:cut], data[cut:]) if cut else (data, b"")
            if any(one.search(now) is not None for one in self._signs):
                for begun, end in self._within(now):
                    yield lines.before(self.size + begun, now, self.size), now[begun:end]
            lines.passed(now, self.size)
            self.size += len(now)
            if not block:
                return

    def _cut(self, data: bytes, known: int) -> int:
        """Return where the last record begins, or, where every line is one, the last line ends; 0 where that is not there.

        None begins within the first ``known`` bytes but at their beginning.
        """
        end = data.rfind(b"\n") + 1
        if self._begins is None:
            return end
        while end > known:
            begun = data.rfind(b"\n", 0, end - 1) + 1
            if self._begins(data[begun : end - 1]):
                return begun
            end = begun
        return 0

    def _within(self, data: bytes) -> Iterator[tuple[int, int]]:
        """Yield where the records of a block begin and end that may be hits; of many, one stretch that holds them all."""
        at = count = 0
        while at < len(data) and (found := self._all.search(data, at)) is not None:
            begun, end = self._record(data, found.start(), at)
            count += 1
            if count == _MANY:
                end = len(data)
            yield begun, end
            at = end

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


class _LinesBefore:
    """How many lines stand before places of a stream, which come in order; counted again only where that is asked."""

    def __init__(self, again: Again | None) -> None:
        self._again = again
        self._lines = self._at = 0

    def before(self, place: int, data: bytes, begun: int) -> int:
        """Return the lines before a place in ``data``, which begins at ``begun``."""
        if self._at < begun and self._again is not None:
            self._lines += lines_in(self._again(self._at, begun))
            self._at = begun
        self._lines += data.count(b"\n", self._at - begun, place - begun)
        self._at = place
        return self._lines

    def passed(self, data: bytes, begun: int) -> None:
        """Count what is behind, where it cannot be had again."""
        if self._again is None:
            self._lines += data.count(b"\n", max(0, self._at - begun))
            self._at = begun + len(data)


def lines_in(blocks: Iterable[bytes]) -> int:
    """Return how many lines end in blocks of bytes."""
    return sum(one.count(b"\n") for one in blocks)


def again_from(path: str, start: int) -> Again:
    """Return what gives bytes of a file once more, places counted from ``start``."""

    def read(begun: int, ended: int) -> Iterator[bytes]:
        with open_file(Path(path)) as file:
            file.seek(start + begun)
            left = ended - begun
            while left and (block := file.read(min(left, _BLOCK))):
                left -= len(block)
                yield block

    return read
