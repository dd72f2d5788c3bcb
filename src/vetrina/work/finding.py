"""A search: sources read, asked, put in order and counted."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator
from contextlib import ExitStack, closing
from datetime import datetime, timedelta
from functools import partial
from typing import Any, Protocol

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import Scale
from vetrina.core.finding.asked import Asked
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.needles import Needle
from vetrina.core.finding.order import FirstHits, in_order, last_hits, with_context
from vetrina.core.finding.sections import Sections, sections_of
from vetrina.formats import turns
from vetrina.formats.candidates import Candidates
from vetrina.formats.inputs import open_one
from vetrina.formats.opening import only_once
from vetrina.formats.sources import Source, SourceRead, SourceReader
from vetrina.work.jobs import Engine
from vetrina.work.parts import FindJob, Maker, batched, candidates, needle_for, search_parts
from vetrina.work.spans import Span, span_of

NEAR = timedelta(hours=1)
_MANY = 32


class Search(Struct, frozen=True):
    """What is searched, and what of it is shown, in which order.

    ``around`` is how many events before and after each hit are shown, ``first`` and ``last`` how many hits at most,
    ``between`` what begins and ends the sections in which hits must lie. What is made of the hits may care whether they come ``in_order``, for the latest times so far (``clocked``),
    or for their numbers among all events (``numbered``).
    """

    sources: tuple[Source, ...]
    scale: Scale
    asked: Asked
    around: int = 0
    first: int | None = None
    last: int | None = None
    between: tuple[Expression, Expression] | None = None
    as_is: bool = False
    keeps_raw: bool = False
    in_order: bool = True
    clocked: bool = False
    numbered: bool = False

    @property
    def merges(self) -> bool:
        """Whether sources are put in the order of time."""
        return len(self.sources) > 1 and not self.as_is and (self.in_order or self.clocked)

    @property
    def plain(self) -> bool:
        """Whether what is shown of a source hangs on its hits alone."""
        return not self.around and self.between is None and not self.numbered

    @property
    def apart(self) -> bool:
        """Whether parts of its sources can be searched apart, and put one after the other."""
        whole = not self.merges and not self.clocked and self.first is None and self.last is None
        return self.plain and whole and all(one.layout is None or one.layout.apart for one in self.sources)


class Searched(Protocol):
    """What is known of a search afterwards; ``names`` are those of its sources, which may become more."""

    search: Search
    names: list[str]
    hits: list[int]
    sections: Sections | None
    stopped: bool
    spans: list[Span | None]

    @property
    def reads(self) -> list[SourceRead]:
        """What was read of each source."""

    def near(self) -> tuple[int | None, int | None]:
        """Return how many events would be hits in the hour before `since` and in the hour from `until` on."""


class Finding:
    """A search at work: what it found is known when its entries were all taken.

    ``sections`` are those that hits had to lie in, ``stopped`` tells whether `first` ended it early, ``hits`` how many hits
    were shown; ``looked_for`` is what was looked for in bytes, for each source None where all of it was parsed.
    """

    def __init__(self, search: Search, engine: Engine | None = None) -> None:
        self.search = search
        self._engine = engine if search.apart else None
        self.readers = [
            SourceReader(one, at, search.scale, keeps_raw=search.keeps_raw) for at, one in enumerate(search.sources)
        ]
        if len(self.readers) > turns.MOST:
            taken = turns.Turns(turns.MOST)
            for reader in self.readers:
                reader.turns = taken
        self.sections: Sections | None = None
        self.stopped = False
        self.hits = [0] * len(self.readers)
        self.names = [one.name for one in search.sources]
        self.looked_for = self._looked_for() if search.plain else [None] * len(self.readers)
        self._empty: set[int] = set()
        asked = search.asked
        self._meets = asked.compiled(search.scale)
        self.spans = [span_of(one, search.scale, asked.since, asked.until) if search.plain else None for one in search.sources]

    @property
    def shares(self) -> bool:
        """Whether several processes do it."""
        return self._engine is not None

    @property
    def reads(self) -> list[SourceRead]:
        """What was read of each source."""
        return [one.read for one in self.readers]

    def _looked_for(self) -> list[Needle | None]:
        search = self.search
        return [needle_for(one, search.asked) for one in search.sources]

    def entries(self) -> Iterator[Entry]:
        """Yield hits, and what is shown around them, in order."""
        for some in self.made(None):
            yield from some

    def made(self, make: Maker | None) -> Iterator[Any]:
        """Yield what ``make`` makes of some hits after the other, by several processes where the search has an engine.

        Without it lists of the hits themselves, and of what is shown around them.
        """
        if self._engine is not None:
            for at in range(len(self.readers)):
                yield from self._in_parts(at, make, self._engine)
            return
        if self.search.between is not None:
            self.sections = self._sections(*self.search.between)
        if any(self.looked_for) and (self.search.merges or self.search.clocked):
            self._look_before()
        for some in self._batches():
            yield some if make is None else make(some)

    def _in_parts(self, at: int, make: Maker | None, engine: Engine) -> Iterator[Any]:
        search, reader, looked_for = self.search, self.readers[at], self.looked_for[at]
        job = FindJob(
            search.sources[at],
            at,
            search.scale,
            search.asked,
            looked_for,
            make if looked_for is None else None,
            search.keeps_raw,
        )
        span = self.spans[at]
        for found in search_parts(job, engine, None if span is None else span.part):
            self.hits[at] += found.hits
            reader.read.add(found.read)
            yield from found.made if job.make is not None or make is None else map(make, found.made)

    def _look_before(self) -> None:
        """Look which sources may hold hits at all; where the latest times so far count, those are parsed whole.

        One alone, in whose order nothing else comes, need not be.
        """
        for at, looked_for in enumerate(self.looked_for):
            if looked_for is not None and not self._may_hold(at, looked_for):
                self._empty.add(at)
        left = [at for at in range(len(self.readers)) if at not in self._empty]
        if len(left) > 1 or self.search.clocked:
            self.looked_for = [None] * len(self.readers)

    def _may_hold(self, at: int, looked_for: Needle) -> bool:
        if only_once(self.search.sources[at].file.path):
            return True
        through = candidates(self.search.sources[at], looked_for, self.search.asked)
        with open_one(self.search.sources[at].file.path) as file:
            found = next(through.slices(file), None) is not None
        self.readers[at].read.looked_through = through.size
        return found

    def _batches(self) -> Iterator[list[Entry]]:
        search = self.search
        if search.first is not None or search.last is not None or search.around or self.sections is not None or search.merges:
            for some in batched(self._limited()):
                for entry in some:
                    self.hits[entry.source] += entry.hit
                yield some
            return
        for reader in self.readers:
            if reader.number not in self._empty:
                for some in self._of(reader, every=False):
                    self.hits[reader.number] += len(some)
                    yield some

    def _of(self, reader: SourceReader, *, every: bool) -> Iterator[list[Entry]]:
        """Yield what may be shown of a source, of a span of it with the lines at which it stands in the file."""
        span = self.spans[reader.number]
        found = reader.batches(
            self._meets, every=every, through=self._through(reader), part=None if span is None else span.part
        )
        if span is None:
            yield from found
            return
        before: int | None = None
        for some in found:
            before = span.lines_before() if before is None else before
            for entry in some:
                entry.line += before
            yield some
        if reader.read.bad_lines:
            before = span.lines_before() if before is None else before
            reader.read.move(before)

    def _through(self, reader: SourceReader) -> Candidates | None:
        looked_for = self.looked_for[reader.number]
        return None if looked_for is None else candidates(reader.source, looked_for, self.search.asked)

    def _limited(self) -> Iterator[Entry]:
        search = self.search
        with ExitStack() as stack:
            left = [one for one in self.readers if one.number not in self._empty]
            for one in left:
                one.together = 1 if search.first is not None else max(1, one.together // len(left))
            several = len(left) > _MANY and not search.as_is
            makes = [partial(self._stream, one) for one in left]
            streams = [stack.enter_context(closing(_in_its_time(make) if several else make())) for make in makes]
            if search.first is not None:
                first = FirstHits(search.first, search.around)
                yield from first.of(streams, as_is=search.as_is)
                self.stopped = first.stopped
                return
            merged = in_order(streams, as_is=search.as_is)
            yield from merged if search.last is None else last_hits(merged, search.last, search.around)

    def _stream(self, reader: SourceReader) -> Generator[Entry]:
        """Yield what may be shown of a source."""
        search = self.search
        every = search.around > 0 or self.sections is not None
        entries: Iterator[Entry] = (entry for some in self._of(reader, every=every) for entry in some)
        if self.sections is not None:
            entries = _within(entries, self.sections)
        return with_context(entries, search.around)

    def _sections(self, begin: Expression, end: Expression) -> Sections:
        """Return the sections of everything that is read, in the order that is shown."""
        streams = [one.entries(None, every=True) for one in self.readers]
        as_is = self.search.as_is
        return sections_of(in_order(streams, as_is=as_is), begin, end, as_is=as_is)

    def near(self) -> tuple[int | None, int | None]:
        """Return how many events would be hits in the hour before `since` and in the hour from `until` on."""
        asked = self.search.asked
        before = None if asked.since is None else self._count(_minus(asked.since, NEAR), asked.since)
        after = None if asked.until is None else self._count(asked.until, _minus(asked.until, -NEAR))
        return before, after

    def _count(self, since: datetime, until: datetime) -> int:
        moved = replace(
            self.search, asked=replace(self.search.asked, since=since, until=until), around=0, first=None, last=None
        )
        other = Finding(moved, self._engine)
        return sum(1 for _ in other.entries())


def _in_its_time(make: Callable[[], Generator[Entry]]) -> Generator[Entry]:
    """Yield what a stream yields; it is closed behind its first entry, and begun again when that has been taken.

    Of very many files only those are open whose times have come, and only their blocks are in memory.
    """
    with closing(make()) as stream:
        first = next(stream, None)
    if first is None:
        return
    yield first
    with closing(make()) as again:
        next(again, None)
        yield from again


def _within(entries: Iterator[Entry], sections: Sections) -> Iterator[Entry]:
    for entry in entries:
        if entry.hit and not sections.holds(entry):
            entry.hit = False
        yield entry


def _minus(time: datetime, span: timedelta) -> datetime:
    try:
        return time - span
    except OverflowError:
        return time


def last_time(sources: tuple[Source, ...], scale: Scale) -> datetime | None:
    """Return the latest time of all events of sources."""
    latest: datetime | None = None
    for at, one in enumerate(sources):
        for entry in SourceReader(one, at, scale).entries(None, every=True):
            if latest is None or entry.clock > latest:
                latest = entry.clock
    return latest
