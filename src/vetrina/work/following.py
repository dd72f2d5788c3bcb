"""A search that goes on as its files grow, roll, are emptied, vanish and come again; files that are new join it."""

from __future__ import annotations

import io
import time
from collections.abc import Callable, Iterator
from datetime import datetime

from vetrina.core.base.events import Event
from vetrina.core.base.levels import Scale
from vetrina.core.finding.asked import Meets
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.order import Context, in_order, with_context
from vetrina.core.finding.sections import Sections
from vetrina.core.templates.forms import CsvRow, PlainText
from vetrina.formats.events import EventStream
from vetrina.formats.growing import GrowingFile, begins_with, identity_at, opened_at
from vetrina.formats.lines import LONGEST_LINE
from vetrina.formats.logs import LogReader
from vetrina.formats.read_parts import BadLine
from vetrina.formats.sources import Source, SourceRead, SourceReader
from vetrina.work.finding import Search
from vetrina.work.spans import Span

_PAUSE = 0.2
_PATIENCE = 0.6
"""Seconds after which the last record of a file is taken for whole."""
_LATE = 10.0
_LOOKS = 2000


class Following:
    """A search at work that does not end by itself; ``join`` gives sources that are new since it was asked last."""

    def __init__(self, search: Search, join: Callable[[], list[Source]]) -> None:
        self.search = search
        self.sections: Sections | None = None
        self.stopped = False
        self.spans: list[Span | None] = []
        self.names: list[str] = []
        self.hits: list[int] = []
        self._join = join
        self._meets = search.asked.compiled(search.scale)
        self._growing: list[Grown] = []
        self._still: list[SourceReader] = []
        self._left = search.first
        for one in search.sources:
            self._take(one)

    @property
    def reads(self) -> list[SourceRead]:
        """What was read of each source."""
        by_number = {one.number: one.read for one in self._growing} | {one.number: one.read for one in self._still}
        return [by_number[at] for at in range(len(self.names))]

    def _take(self, source: Source) -> None:
        number = len(self.names)
        self.names.append(source.name)
        self.hits.append(0)
        if source.grows:
            self._growing.append(Grown(source, number, self._meets, self.search.scale, self.search.around))
        else:
            self._still.append(SourceReader(source, number, self.search.scale))

    def entries(self) -> Iterator[Entry]:
        """Yield what is there in the order of time, then what comes as it comes."""
        try:
            yield from self._entries()
        finally:
            for one in self._growing:
                one.close()

    def _entries(self) -> Iterator[Entry]:
        still = [
            with_context(one.entries(self._meets, every=self.search.around > 0), self.search.around) for one in self._still
        ]
        streams: list[Iterator[Entry]] = [*still, *(one.caught_up() for one in self._growing)]
        while True:
            for entry in in_order(streams):
                if entry.hit:
                    self.hits[entry.source] += 1
                yield entry
                if entry.hit and self._left is not None:
                    self._left -= 1
                    if not self._left:
                        self.stopped = True
                        return
            time.sleep(_PAUSE)
            self._joined()
            streams = [one.caught_up() for one in self._growing]

    def _joined(self) -> None:
        names = set(self.names)
        for one in self._join():
            renamed = begins_with(one.file.path, [mark for grown in self._growing for mark in grown.marks])
            if one.grows and one.name not in names and not renamed:
                self._take(one)

    def near(self) -> tuple[int | None, int | None]:
        """Return nothing: what is followed has no end to look behind."""
        return None, None


class Grown:
    """A source that grows: what it has more than before, as entries.

    Where another file takes its place, the one before is read on for a while: whoever writes may be late to notice.
    """

    def __init__(self, source: Source, number: int, meets: Meets | None, scale: Scale, around: int) -> None:
        self.number = number
        self.read = SourceRead(source.name, source.layout is None)
        self._source, self._meets, self._scale = source, meets, scale
        self._context = Context(around) if around else None
        self._tracks: list[_Track] = []
        self._marks: list[bytes] = []
        self._at = 0
        self._clock: datetime | None = None

    @property
    def marks(self) -> list[bytes]:
        """What the files began with that were read."""
        return [*self._marks, *(mark for one in self._tracks for mark in one.file.marks)]

    def caught_up(self) -> Iterator[Entry]:
        """Yield entries of what is there by now."""
        identity = identity_at(self._source.file.path)
        if identity is not None and (not self._tracks or self._tracks[-1].file.identity != identity):
            new = opened_at(self._source.file.path)
            if new is not None:
                self._tracks.append(_Track(new, self._source, self.read, self._scale))
        for track in self._tracks:
            for line, event in track.caught_up():
                yield from self._shown(line, event)
        while len(self._tracks) > 1 and self._tracks[0].still_for > _LATE:
            old = self._tracks.pop(0)
            for line, event in old.rest():
                yield from self._shown(line, event)
            self._marks += old.file.marks
            old.file.close()

    def close(self) -> None:
        """Close its files."""
        for track in self._tracks:
            track.file.close()

    def _shown(self, line: int, event: Event) -> Iterator[Entry]:
        event.time += self._source.shift
        self._clock = event.time if self._clock is None else max(self._clock, event.time)
        hit = self._meets is None or self._meets(event)
        entry = Entry(event, self.number, line, self._clock, self._at, hit, b"")
        self._at += 1
        if self._context is not None:
            yield from self._context.of(entry)
        elif hit:
            yield entry


class _Track:
    """One file: its whole records as they come, with the lines at which they begin."""

    def __init__(self, file: GrowingFile, source: Source, read: SourceRead, scale: Scale) -> None:
        self.file = file
        self._source, self._read, self._scale = source, read, scale
        self._reader = None if source.layout is None else source.layout.reader()
        self._pending = b""
        self._grew = time.monotonic()
        self._line = 0

    @property
    def still_for(self) -> float:
        """For how many seconds it has not grown."""
        return time.monotonic() - self._grew

    def caught_up(self) -> Iterator[tuple[int, Event]]:
        """Yield what is there by now; the last record waits shortly for lines that belong to it."""
        while data := self.file.more():
            if self.file.begun_anew:
                yield from self.rest()
                self._line = 0
                self._reader = None if self._source.layout is None else self._source.layout.reader()
            self._grew = time.monotonic()
            self._pending += data
            yield from self._take(self._cut(self._pending))
        if self._pending and self.still_for > _PATIENCE:
            yield from self._take(self._pending.rfind(b"\n") + 1)

    def rest(self) -> Iterator[tuple[int, Event]]:
        """Yield what is left over: nothing more comes."""
        yield from self._take(len(self._pending))

    def _cut(self, data: bytes) -> int:
        """Return where the last record begins that may go on; the end of the last whole line where none can."""
        if len(data) > 2 * LONGEST_LINE:
            return len(data)
        whole = data.rfind(b"\n") + 1
        reader = self._reader
        if reader is None or not whole:
            return whole
        if isinstance(reader.template, CsvRow):
            return whole if data.count(b'"', 0, whole) % 2 == 0 else 0
        if not isinstance(reader.template, PlainText):
            return whole
        end = whole
        for _ in range(_LOOKS):
            begun = data.rfind(b"\n", 0, end - 1) + 1
            if reader.begins(data[begun:end].decode(reader.encoding, "replace").rstrip("\r\n")):
                return begun
            if not begun:
                return 0
            end = begun
        return whole

    def _take(self, count: int) -> Iterator[tuple[int, Event]]:
        data, self._pending = self._pending[:count], self._pending[count:]
        if not data:
            return
        before, lines = self._line, data.count(b"\n") + (not data.endswith(b"\n"))
        self._line += lines
        self._read.lines += lines
        yield from self._of_events(data, before) if self._reader is None else self._of_log(data, before, self._reader)

    def _of_events(self, data: bytes, before: int) -> Iterator[tuple[int, Event]]:
        stream = EventStream(self._source.name, scale=self._scale)
        stream.number = before
        for numbers, events in stream.part_batches(self._source.name, io.BytesIO(data), begins=not before):
            yield from zip(numbers, events, strict=True)
        self._bad(stream.unreadable, stream.bad_lines)

    def _of_log(self, data: bytes, before: int, reader: LogReader) -> Iterator[tuple[int, Event]]:
        misfits, told = reader.misfits, len(reader.bad_lines)
        for event in reader.read_on(io.BytesIO(data), self._source.name, before):
            yield reader.line, event
        self._bad(reader.misfits - misfits, reader.bad_lines[told:])

    def _bad(self, count: int, lines: list[BadLine]) -> None:
        self._read.add(SourceRead("", unreadable=count, bad_lines=lines))
