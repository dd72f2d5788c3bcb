"""Parts of a searched file that begin and end with whole records, and the search of one part, here or elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, Protocol

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.levels import Scale
from vetrina.core.finding.asked import Asked
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.needles import Form, Needle, needle
from vetrina.formats.candidates import Candidates
from vetrina.formats.inputs import Inputs
from vetrina.formats.lines import Lines
from vetrina.formats.pieces import Piece, Range, open_range
from vetrina.formats.sources import Source, SourceRead, SourceReader
from vetrina.work.engines import cut
from vetrina.work.jobs import CountingJob, Engine, numbered

_TOGETHER = 500


class Maker(Protocol):
    """Makes of some entries what is wanted of them."""

    def __call__(self, entries: list[Entry]) -> Any:
        """Return it."""


class Found(Struct):
    """What was made of the hits of a part, batch by batch, how many they are, and what was read of it."""

    made: list[Any]
    hits: int
    read: SourceRead


class FindJob(Struct):
    """The search of parts of one source; ``make`` is what becomes of its hits, None for the entries themselves."""

    source: Source
    number: int
    scale: Scale
    asked: Asked
    looked_for: Needle | None
    make: Maker | None = None
    keeps_raw: bool = False

    def opened(self) -> Callable[[Piece], Found]:
        """Return what searches a part."""
        meets = None if self.asked.everything else self.asked.compiled(self.scale)
        reader = SourceReader(self.source, self.number, self.scale, keeps_raw=self.keeps_raw)

        def found(piece: Piece) -> Found:
            (part,) = piece.ranges
            through = None if self.looked_for is None else candidates(self.source, self.looked_for, self.asked)
            made, count = [], 0
            for some in reader.batches(meets, every=False, through=through, part=part, before=piece.in_file):
                count += len(some)
                made.append(some if self.make is None else self.make(some))
            return Found(made, count, reader.read)

        return found


def batched(entries: Iterable[Entry]) -> Iterator[list[Entry]]:
    """Yield some entries at a time."""
    some: list[Entry] = []
    for entry in entries:
        some.append(entry)
        if len(some) == _TOGETHER:
            yield some
            some = []
    if some:
        yield some


def needle_for(source: Source, asked: Asked, shared: str | None) -> Needle | None:
    """Return what the records of a source must hold to be hits, None where that cannot be looked for."""
    if source.layout is None:
        return needle(asked, Form.EVENTS, "utf-8", fields=True, shared=shared)
    if not source.layout.apart:
        return None
    try:
        return needle(asked, source.layout.form, source.layout.encoding, fields=source.layout.has_fields, shared=shared)
    except UnicodeEncodeError:  # its encoding has no such sign: it may stand there in another way
        return None


def candidates(source: Source, looked_for: Needle, asked: Asked) -> Candidates:
    """Return what looks through a source."""
    begins = None if source.layout is None or source.layout.a_record_a_line else line_test(source)
    return Candidates(looked_for, folded=asked.ignore_case, begins=begins)


def line_test(source: Source) -> Callable[[bytes], bool]:
    """Return what tells whether a record of a log begins with a line of bytes."""
    layout = source.layout
    if layout is None:
        return lambda _line: True
    reader = layout.reader()

    def begins(line: bytes) -> bool:
        try:
            return reader.begins(line.decode(reader.encoding).removesuffix("\r"))
        except UnicodeDecodeError:
            return False

    return begins


def parts_of(source: Source, engine: Engine) -> list[Piece]:
    """Return a source in parts for an engine: each begins with a record, and has one range."""
    pieces = cut(Inputs((source.file,), source.name), engine, shown=True)
    if len(pieces) < 2 or source.layout is None or source.layout.a_record_a_line:
        return pieces
    begins = line_test(source)
    starts = [0]
    for piece in pieces[1:]:
        (part,) = piece.ranges
        if part.start > starts[-1]:
            starts.append(_first_record(part, begins))
    whole = pieces[-1].ranges[0].whole
    ends = [*starts[1:], whole]
    return [Piece((replace(pieces[0].ranges[0], start=start, end=end),)) for start, end in zip(starts, ends, strict=True) if start < end]


def _first_record(part: Range, begins: Callable[[bytes], bool]) -> int:
    """Return where the first record begins from a place on, the file's end where none does."""
    at = part.start
    with open_range(replace(part, end=part.whole)) as file:
        for lines in Lines(part.file.name).batches(file, begins=False):
            for line in lines:
                if begins(line):
                    return at
                at += len(line) + 1
    return part.whole


def search_parts(job: FindJob, engine: Engine) -> Iterator[Found]:
    """Yield what is found in each part of a source, in order; the lines of entries count from the file's beginning."""
    pieces = parts_of(job.source, engine)
    if job.make is not None:
        yield from engine.run(job, numbered(engine, CountingJob(), pieces))
        return
    before = 0
    for found in engine.run(job, pieces):
        for some in found.made:
            for entry in some:
                entry.line += before
        found.read.bad_lines = [replace(one, number=one.number + before) for one in found.read.bad_lines]
        before += found.read.lines
        yield found
