"""Lines of bytes as lines of text, in an encoding; what is none of it is told, and a mark stands in its place."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterator

from vetrina.formats.lines import LONGEST_LINE
from vetrina.formats.log_record import UNDECODED

_TOO_LONG = f"the line is longer than {LONGEST_LINE >> 20} MiB"


class DecodedLines:
    """Decodes lines, ``before`` which so many stand; ``told_of`` hears the numbers of lines that cannot be, and why."""

    def __init__(self, encoding: str, before: int, told_of: Callable[[int, str], None]) -> None:
        self._encoding, self._before, self._told_of = encoding, before, told_of

    def decoded(self, batches: Iterator[list[bytes]]) -> Iterator[tuple[int, list[str]]]:
        """Yield decoded lines in batches, each with the number of its first line; what cannot be decoded is told."""
        wide = len("\n".encode(self._encoding)) > 1
        return self._wide(batches) if wide else self._narrow(batches)

    def _wide(self, batches: Iterator[list[bytes]]) -> Iterator[tuple[int, list[str]]]:
        """Decode an encoding whose characters are wider than a byte, piece by piece."""
        decoder = codecs.getincrementaldecoder(self._encoding)("vetrina-mark")
        rest, number = "", self._before + 1
        for lines in batches:
            *whole, rest = (rest + decoder.decode(b"\n".join(lines) + b"\n")).split("\n")
            if len(rest) > LONGEST_LINE:
                whole, rest = [*whole, rest], ""
            yield from self._told(whole, number)
            number += len(whole)
        rest += decoder.decode(b"", final=True).removesuffix(UNDECODED)
        if rest.strip("\0\n"):
            yield from self._told([rest], number)

    def _told(self, lines: list[str], number: int) -> Iterator[tuple[int, list[str]]]:
        """Yield lines in runs; in place of one that could not be decoded or is too long, which is told, a mark."""
        if not any(UNDECODED in line or len(line) > LONGEST_LINE for line in lines):
            yield number, _without_returns(lines)
            return
        for at, line in enumerate(lines, start=number):
            bad = UNDECODED in line
            if bad or len(line) > LONGEST_LINE:
                self._told_of(at, self._undecoded() if bad else _TOO_LONG)
                yield at, [UNDECODED]
            else:
                yield at, [line.removesuffix("\r")]

    def _undecoded(self) -> str:
        return f"the line is not {self._encoding} (--encoding names another)"

    def _narrow(self, batches: Iterator[list[bytes]]) -> Iterator[tuple[int, list[str]]]:
        number = self._before + 1
        for lines in batches:
            texts = self._all_at_once(lines)
            if texts is not None:
                yield number, _without_returns(texts)
            else:
                for at, line in enumerate(lines, start=number):
                    yield from self._told([self._decode(line)], at)
            number += len(lines)

    def _decode(self, line: bytes) -> str:
        """Return a line's text, with a mark in it where it is not of the encoding."""
        if len(line) > LONGEST_LINE:
            return " " * (LONGEST_LINE + 1)
        try:
            return line.decode(self._encoding)
        except UnicodeError:
            return UNDECODED

    def _all_at_once(self, lines: list[bytes]) -> list[str] | None:
        """Return lines decoded together, None where one of them is too long or not of the encoding."""
        if len(max(lines, key=len)) > LONGEST_LINE:
            return None
        try:
            found = b"\n".join(lines).decode(self._encoding).split("\n")
        except UnicodeError:
            return None
        return found if len(found) == len(lines) else None


def _without_returns(lines: list[str]) -> list[str]:
    return [line.removesuffix("\r") for line in lines]


def _mark(error: UnicodeError) -> tuple[str, int]:
    """Put a mark that no text holds in place of what cannot be decoded."""
    return UNDECODED, error.end if isinstance(error, UnicodeDecodeError) else len(error.args)


codecs.register_error("vetrina-mark", _mark)
