"""What is searched: files of events and logs of any layout, each a stream of events with their places."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator
from contextlib import closing
from datetime import date, datetime, timedelta
from typing import IO, cast

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.core.finding.entry import Entry
from vetrina.core.templates.forms import Template
from vetrina.formats.events import EventStream
from vetrina.formats.inputs import InputFile, open_one
from vetrina.formats.logs import LogReader
from vetrina.formats.raw_lines import RawLines
from vetrina.formats.read_parts import BadLine
from vetrina.formats.remote import is_url

Meets = Callable[[Event], bool]


class Layout(Struct, frozen=True):
    """How a log is written: its template, its encoding, the first day where its times have none, the level where it has none."""

    template: Template
    encoding: str = "utf-8"
    day: date | None = None
    default_level: str = "info"

    def reader(self) -> LogReader:
        """Return what reads it; raise Refused for a template that cannot be read back."""
        reader = LogReader(self.template, encoding=self.encoding, day=self.day, default_level=self.default_level)
        reader.patient = False
        return reader


class Source(Struct, frozen=True):
    """A file that is searched; without ``layout`` it holds events as JSON Lines. Its clock is ``shift`` behind.

    ``appender`` is whose file it is, where it is one of a plan's.
    """

    file: InputFile
    layout: Layout | None = None
    shift: timedelta = timedelta(0)
    appender: str = ""

    @property
    def name(self) -> str:
        """What it is called."""
        return self.file.name

    @property
    def grows(self) -> bool:
        """Whether it can grow: a file that is no packed one."""
        return not (self.file.packed or self.file.path == "-" or is_url(self.file.path))


class SourceRead(Struct):
    """What was read of a source: lines, those that were no events, the first of these with the reasons."""

    name: str
    of_events: bool = True
    lines: int = 0
    unreadable: int = 0
    bad_lines: list[BadLine] = []


class SourceReader:
    """Reads a source, as often as it is asked to; ``read`` tells of the last time.

    Args:
        source: The source.
        number: Its number among those of the call, from 0.
        scale: The levels that there are.
        keeps_raw: Whether hits get their own bytes.
    """

    def __init__(self, source: Source, number: int, scale: Scale, *, keeps_raw: bool = False) -> None:
        self.source, self.number, self._scale, self._keeps_raw = source, number, scale, keeps_raw
        self.read = SourceRead(source.name, source.layout is None)

    def entries(self, meets: Meets, *, every: bool) -> Generator[Entry]:
        """Yield the hits, or ``every`` event, in the order of the file."""
        with open_one(self.source.file.path) as file:
            raw = self._raw(file)
            read = file if raw is None else cast(IO[bytes], raw)
            located = self._events(read) if self.source.layout is None else self._log(read, self.source.layout)
            with closing(located):
                yield from self._chosen(located, meets, raw, every=every)

    def _chosen(
        self, located: Iterator[tuple[int, int, Event]], meets: Meets, raw: RawLines | None, *, every: bool
    ) -> Generator[Entry]:
        """Yield entries of events with their first lines and how many they have."""
        shift, number = self.source.shift, self.number
        clock: datetime | None = None
        for at, (line, lines, event) in enumerate(located):
            if shift:
                event.time = self._shifted(event.time)
            if clock is None or event.time > clock:
                clock = event.time
            hit = meets(event)
            if raw is not None:
                raw.drop(line)
            if hit or every:
                yield Entry(event, number, line, clock, at, hit, raw.take(line, lines) if hit and raw is not None else b"")

    def _shifted(self, time: datetime) -> datetime:
        try:
            return time + self.source.shift
        except OverflowError:
            raise refuse("a time is past the end of the calendar once it is shifted", fix="give another --shift",
                         where=self.source.name) from None  # fmt: skip

    def _raw(self, file: IO[bytes]) -> RawLines | None:
        if not self._keeps_raw:
            return None
        return RawLines(file, "utf-8" if self.source.layout is None else self.source.layout.encoding)

    def _events(self, file: IO[bytes]) -> Generator[tuple[int, int, Event]]:
        stream = EventStream(self.source.name, scale=self._scale)
        last = 0
        try:
            for numbers, events in stream.part_batches(self.source.name, file):
                for last, event in zip(numbers, events, strict=True):
                    yield last, 1, event
        finally:
            self.read = SourceRead(self.source.name, True, max(stream.number, last), stream.unreadable, stream.bad_lines)

    def _log(self, file: IO[bytes], layout: Layout) -> Generator[tuple[int, int, Event]]:
        reader = layout.reader()
        try:
            for event in reader.read(file, self.source.name):
                yield reader.line, reader.lines, event
        finally:
            self.read = SourceRead(self.source.name, False, reader.read_lines.number, reader.misfits, reader.bad_lines)
