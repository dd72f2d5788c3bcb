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
from vetrina.formats.candidates import Candidates, again_from, lines_in
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
        meets = self.asked.compiled(self.scale)
        reader = SourceReader(self.source, self.number, self.scale, keeps_raw=self.keeps_raw)
        through = None if self.looked_for is None else candidates(self.source, self.looked_for, self.asked)

        def found(piece: Piece) -> Found:
            (part,) = piece.ranges
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


def needle_for(source: Source, asked: Asked) -> Needle | None:
    """Return what the records of a source must hold to be hits, None where that cannot be looked for."""
    if source.layout is None:
        return needle(asked, Form.EVENTS, "utf-8", fields=True)
    if not source.layout.apart:
        return None
    try:
        return needle(asked, source.layout.form, source.layout.encoding, fields=source.layout.has_fields)
    except UnicodeEncodeError:  # its encoding has no such sign: it may stand there in another way
        return None


def candidates(source: Source, looked_for: Needle, asked: Asked) -> Candidates:
    """Return what looks through a source."""
    begins = None if source.layout is None or source.layout.a_record_a_line else SourceReader(source, 0, Scale()).begins
    return Candidates(looked_for, folded=asked.ignore_case, begins=begins)


def parts_of(source: Source, engine: Engine, *, looked_for: bool) -> list[Piece]:
    """Return a source in parts for an engine: each begins with a record, and has one range."""
    pieces = cut(Inputs((source.file,), source.name), engine, shown=not looked_for)
    if len(pieces) < 2 or source.layout is None or source.layout.a_record_a_line:
        return pieces
    begins = SourceReader(source, 0, Scale()).begins
    starts = [0]
    for piece in pieces[1:]:
        (part,) = piece.ranges
        if part.start > starts[-1]:
            starts.append(_first_record(part, begins))
    whole = pieces[-1].ranges[0].whole
    ends = [*starts[1:], whole]
    return [
        Piece((replace(pieces[0].ranges[0], start=start, end=end),))
        for start, end in zip(starts, ends, strict=True)
        if start < end
    ]


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


def search_parts(job: FindJob, engine: Engine, span: Range | None) -> Iterator[Found]:
    """Yield what is found in each part of a source, or of those of a span of it, in order; lines count from the file's beginning."""
    pieces = parts_of(job.source, engine, looked_for=job.looked_for is not None)
    if span is not None:
        pieces = [one for one in pieces if one.ranges[0].start < (span.end or 0) and (one.ranges[0].end or 0) > span.start]
    again = again_from(job.source.file.path, 0)
    if job.make is not None:
        start = pieces[0].ranges[0].start if pieces else 0
        ahead = lines_in(again(0, start))
        yield from engine.run(
            job, [replace(one, in_file=one.in_file + ahead) for one in numbered(engine, CountingJob(), pieces)]
        )
        return
    lines = known = 0
    for piece, found in zip(pieces, engine.run(job, pieces), strict=True):
        start = piece.ranges[0].start
        if found.made or found.read.bad_lines:
            lines += lines_in(again(known, start))
            known = start
        for some in found.made:
            for entry in some:
                entry.line += lines
        found.read.move(lines)
        yield found
