"""Some lines of a log: its first ones, and as many spread over the rest; what the first ones are."""

from __future__ import annotations

import codecs
import io
from collections.abc import Iterator, Sequence
from datetime import date
from typing import IO

from msgspec import Struct
from msgspec.structs import replace

from vetrina.formats.events import EventStream
from vetrina.formats.inputs import InputFile, open_one
from vetrina.formats.sources import Layout

ENOUGH = 0.95
"""Share of its lines that what reads a log must read."""
ANY_DAY = date(2000, 1, 1)
FIRST = 2000
_PLACES, _EACH, _SOME = 20, 100, 50
_BLOCK = 1 << 16
_LONGEST = 1 << 20
_MOST_UNPACKED = 1 << 28


class Sample(Struct):
    """Lines of a log in runs, each run as it stands there; ``whole`` tells that these are all."""

    runs: list[list[str]]
    encoding: str
    whole: bool
    guessed: str = ""

    @property
    def lines(self) -> list[str]:
        """All lines."""
        return [line for run in self.runs for line in run]


def sampled(file: InputFile, encoding: str) -> Sample:
    """Return some lines of a file; without ``encoding`` UTF-8 is taken, or what its first bytes tell."""
    with open_one(file.path) as raw:
        first, whole = _first_lines(raw)
        runs = [first]
        if not whole:
            runs += list(_spread(raw))
    guessed = "" if encoding else _guess(runs)
    named = encoding or guessed or "utf-8"
    return Sample([_decoded(run, named) for run in runs], named, whole, guessed)


def first_lines(file: InputFile, encoding: str) -> list[str]:
    """Return the first lines of a file."""
    with open_one(file.path) as raw:
        return _decoded(_first_lines(raw)[0], encoding)


def as_stream(lines: Sequence[str]) -> io.BytesIO:
    """Return lines as a stream in UTF-8."""
    return io.BytesIO("\n".join(lines).encode("utf-8", "replace"))


def filled(lines: Sequence[str]) -> int:
    """Return how many lines are not empty."""
    return sum(1 for line in lines if line.strip())


def share_of_events(file: InputFile) -> float:
    """Return how large a part of a file's first lines are events as JSON Lines, whatever its name is."""
    lines = _filled_lines(file)
    if not lines:
        return 1.0
    return _events_in(lines, file) / len(lines) if lines[0].lstrip().startswith("{") else 0.0


def holds_no_event(file: InputFile) -> bool:
    """Tell whether a file has lines, and none of its first ones is an event as JSON Lines; looks no further than to the first."""
    lines = _filled_lines(file)
    if not lines or not lines[0].lstrip().startswith("{"):
        return bool(lines)
    return not any(_events_in(lines[at : at + _SOME], file) for at in range(0, len(lines), _SOME))


def _filled_lines(file: InputFile) -> list[str]:
    return [line for line in first_lines(file, "utf-8") if line.strip()]


def _events_in(lines: Sequence[str], file: InputFile) -> int:
    return sum(len(events) for _, events in EventStream(file.name).part_batches(file.name, as_stream(lines)))


def reads_nothing(layout: Layout, file: InputFile) -> bool:
    """Tell whether a layout reads none of a file's first lines."""
    lines = first_lines(file, layout.encoding)
    reader = replace(layout, encoding="utf-8", day=layout.day or ANY_DAY).reader()
    for _ in reader.read(as_stream(lines), "a sample"):
        pass
    return 0 < filled(lines) == reader.misfits


def _first_lines(raw: IO[bytes]) -> tuple[bytes, bool]:
    """Return the bytes of the first lines, and whether these are all."""
    data = bytearray()
    lines = 0
    while lines < FIRST and len(data) < _LONGEST * 8:
        block = raw.read(_BLOCK)
        if not block:
            return bytes(data), True
        data += block
        lines += block.count(b"\n")
    cut = data.rfind(b"\n") + 1
    return bytes(data[:cut] if cut else data), False


def _spread(raw: IO[bytes]) -> Iterator[bytes]:
    """Yield runs of whole lines at places spread over what is left."""
    blocks = _seeking(raw) if isinstance(raw, io.BufferedReader) and raw.seekable() else _thinned(raw)
    for block in blocks:
        begun = block.find(b"\n") + 1
        lines = block[begun:].split(b"\n")[:-1][:_EACH]
        if lines:
            yield b"\n".join(lines) + b"\n"


def _seeking(raw: io.BufferedReader) -> Iterator[bytes]:
    here = raw.tell()
    end = raw.seek(0, io.SEEK_END)
    for at in range(_PLACES):
        raw.seek(here + (end - here) * at // _PLACES)
        yield raw.read(_BLOCK)


def _thinned(raw: IO[bytes]) -> list[bytes]:
    """Return blocks spread evenly over a stream, whose length is known only at its end."""
    kept: list[bytes] = []
    every, number, size = 1, 0, 0
    while size < _MOST_UNPACKED and (block := raw.read(_BLOCK)):
        size += len(block)
        if number % every == 0:
            kept.append(block)
            if len(kept) >= 2 * _PLACES:
                kept, every = kept[::2], every * 2
        number += 1
    return kept[:: max(1, len(kept) // _PLACES)][:_PLACES]


_MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)


def _guess(runs: list[bytes]) -> str:
    """Return the encoding that the first bytes tell, or Latin-1 for what can be no UTF-8; else nothing."""
    for mark, name in _MARKS:
        if runs[0].startswith(mark):
            return name
    lines = [line for run in runs for line in run.split(b"\n")]
    bad = sum(1 for line in lines if not _is_utf_8(line))
    return "latin-1" if bad > 0.02 * len(lines) and not any(b"\0" in line for line in lines) else ""


def _is_utf_8(line: bytes) -> bool:
    try:
        line.decode()
    except UnicodeDecodeError:
        return False
    return True


def _decoded(run: bytes, encoding: str) -> list[str]:
    text = run.decode(encoding, "replace").removeprefix("\ufeff")
    return [line.removesuffix("\r")[:_LONGEST] for line in text.removesuffix("\n").split("\n")]
