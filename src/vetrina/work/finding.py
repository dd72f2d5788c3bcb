"""A search: sources read, asked, put in order and counted."""

from __future__ import annotations

from collections.abc import Generator, Iterator
from contextlib import ExitStack, closing
from datetime import datetime, timedelta
from typing import Protocol

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import Scale
from vetrina.core.finding.asked import Asked
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.order import FirstHits, in_order, last_hits, with_context
from vetrina.core.finding.sections import Sections, sections_of
from vetrina.formats.sources import Source, SourceRead, SourceReader

NEAR = timedelta(hours=1)


class Search(Struct, frozen=True):
    """What is searched, and what of it is shown, in which order.

    ``around`` is how many events before and after each hit are shown, ``first`` and ``last`` how many hits at most,
    ``between`` what begins and ends the sections in which hits must lie.
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


class Searched(Protocol):
    """What is known of a search afterwards; ``names`` are those of its sources, which may become more."""

    search: Search
    names: list[str]
    hits: list[int]
    sections: Sections | None
    stopped: bool

    @property
    def reads(self) -> list[SourceRead]:
        """What was read of each source."""

    def near(self) -> tuple[int | None, int | None]:
        """Return how many events would be hits in the hour before `since` and in the hour from `until` on."""


class Finding:
    """A search at work: what it found is known when its entries were all taken.

    ``sections`` are those that hits had to lie in, ``stopped`` tells whether `first` ended it early, ``hits`` how many hits
    were shown.
    """

    def __init__(self, search: Search) -> None:
        self.search = search
        self.readers = [
            SourceReader(one, at, search.scale, keeps_raw=search.keeps_raw) for at, one in enumerate(search.sources)
        ]
        self.sections: Sections | None = None
        self.stopped = False
        self.hits = [0] * len(self.readers)
        self.names = [one.name for one in search.sources]

    @property
    def reads(self) -> list[SourceRead]:
        """What was read of each source."""
        return [one.read for one in self.readers]

    def entries(self) -> Iterator[Entry]:
        """Yield hits, and what is shown around them, in order."""
        if self.search.between is not None:
            self.sections = self._sections(*self.search.between)
        for entry in self._limited():
            if entry.hit:
                self.hits[entry.source] += 1
            yield entry

    def _limited(self) -> Iterator[Entry]:
        search = self.search
        with ExitStack() as stack:
            streams = [stack.enter_context(closing(self._stream(one))) for one in self.readers]
            if search.first is not None:
                first = FirstHits(search.first, search.around)
                yield from first.of(streams, as_is=search.as_is)
                self.stopped = first.stopped
                return
            merged = in_order(streams, as_is=search.as_is)
            yield from merged if search.last is None else last_hits(merged, search.last, search.around)

    def _stream(self, reader: SourceReader) -> Generator[Entry]:
        """Yield what may be shown of a source."""
        meets = self.search.asked.compiled(self.search.scale)
        every = self.search.around > 0 or self.sections is not None
        entries: Iterator[Entry] = reader.entries(meets, every=every)
        if self.sections is not None:
            entries = _within(entries, self.sections)
        return with_context(entries, self.search.around)

    def _sections(self, begin: Expression, end: Expression) -> Sections:
        """Return the sections of everything that is read, in the order that is shown."""
        streams = [one.entries(_anything, every=True) for one in self.readers]
        as_is = self.search.as_is
        return sections_of(in_order(streams, as_is=as_is), begin, end, as_is=as_is)

    def near(self) -> tuple[int | None, int | None]:
        """Return how many events would be hits in the hour before `since` and in the hour from `until` on."""
        asked = self.search.asked
        before = None if asked.since is None else self._count(_minus(asked.since, NEAR), asked.since)
        after = None if asked.until is None else self._count(asked.until, _minus(asked.until, -NEAR))
        return before, after

    def _count(self, since: datetime, until: datetime) -> int:
        moved = replace(self.search, asked=replace(self.search.asked, since=since, until=until), around=0, first=None, last=None)
        other = Finding(moved)
        return sum(1 for _ in other.entries())


def _within(entries: Iterator[Entry], sections: Sections) -> Iterator[Entry]:
    for entry in entries:
        if entry.hit and not sections.holds(entry):
            entry.hit = False
        yield entry


def _anything(event: object) -> bool:
    del event
    return True


def _minus(time: datetime, span: timedelta) -> datetime:
    try:
        return time - span
    except OverflowError:
        return time


def last_time(sources: tuple[Source, ...], scale: Scale) -> datetime | None:
    """Return the latest time of all events of sources."""
    latest: datetime | None = None
    for at, one in enumerate(sources):
        for entry in SourceReader(one, at, scale).entries(_anything, every=True):
            if latest is None or entry.clock > latest:
                latest = entry.clock
    return latest


