"""What is searched: files of events and logs of any layout, each a stream of events with their places."""

from __future__ import annotations

import io
from collections.abc import Callable, Generator, Iterator
from contextlib import closing, contextmanager
from datetime import UTC, date, datetime, timedelta
from typing import IO, cast

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.needles import Form
from vetrina.core.templates.forms import CsvRow, PlainText, Template
from vetrina.formats.candidates import Again, Candidates, again_from
from vetrina.formats.events import EventStream
from vetrina.formats.inputs import InputFile, open_one, open_raw
from vetrina.formats.logs import SHOWN, LogReader
from vetrina.formats.opening import only_once
from vetrina.formats.pieces import Range, open_range
from vetrina.formats.raw_lines import RawLines
from vetrina.formats.read_parts import BadLine
from vetrina.formats.remote import is_url
from vetrina.formats.turns import Turn, Turns

Meets = Callable[[Event], bool]
_TOGETHER = 500
_SOON = 4096
_EARLIEST = datetime.min.replace(tzinfo=UTC)


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

    @property
    def form(self) -> Form:
        """How records are written, for those who look through bytes."""
        if not isinstance(self.template, PlainText):
            return Form.RECORDS
        escapes = any(step.name == "json" for one in self.template.placeholders for step in one.steps)
        return Form.RECORDS if escapes else Form.TEXT

    @property
    def has_fields(self) -> bool:
        """Whether its events may have fields."""
        return not isinstance(self.template, PlainText) or bool(self.template.sources() & {"fields", "other-fields", "field"})

    @property
    def a_record_a_line(self) -> bool:
        """Whether every line is a record."""
        return not isinstance(self.template, PlainText | CsvRow)

    @property
    def apart(self) -> bool:
        """Whether its records can be read apart: where they tell by themselves when they were, and lines end with one byte."""
        return self.reader().splits


class Source(Struct, frozen=True):
    """A file that is searched; without ``layout`` it holds events as JSON Lines. Its clock is ``shift`` behind.

    ``appender`` is whose file it is, where it is one of a plan's; ``named`` tells that its name says so.
    """

    file: InputFile
    layout: Layout | None = None
    shift: timedelta = timedelta(0)
    appender: str = ""
    named: bool = True

    @property
    def name(self) -> str:
        """What it is called."""
        return self.file.name

    @property
    def grows(self) -> bool:
        """Whether it can grow: a file that is no packed one."""
        return not (self.file.packed or self.file.path == "-" or is_url(self.file.path))


class SourceRead(Struct):
    """What was read of a source: lines, those that were no events, the first of these with the reasons.

    ``looked_through`` is how many bytes were looked through for what hits must hold, None where all lines were read.
    """

    name: str
    of_events: bool = True
    lines: int = 0
    unreadable: int = 0
    bad_lines: list[BadLine] = []
    looked_through: int | None = None

    def add(self, other: SourceRead) -> None:
        """Take over what was read of a part that comes next."""
        self.lines += other.lines
        self.unreadable += other.unreadable
        self.bad_lines = [*self.bad_lines, *other.bad_lines][:SHOWN]
        if other.looked_through is not None:
            self.looked_through = (self.looked_through or 0) + other.looked_through

    def move(self, lines: int) -> None:
        """Count its lines from so many lines further before."""
        if lines:
            self.bad_lines = [replace(one, number=one.number + lines) for one in self.bad_lines]


class SourceReader:
    """Reads a source, as often as it is asked to; ``read`` tells of the last time.

    Args:
        source: The source.
        number: Its number among those of the call, from 0.
        scale: The levels that there are.
        keeps_raw: Whether hits get their own bytes.

    ``together`` is how many entries are given at once, ``turns`` in which very many files are open.
    """

    def __init__(self, source: Source, number: int, scale: Scale, *, keeps_raw: bool = False) -> None:
        self.source, self.number, self._scale, self._keeps_raw = source, number, scale, keeps_raw
        self.together = _TOGETHER
        self.turns: Turns | None = None
        self._begin()

    def _begin(self) -> None:
        source = self.source
        self.read = SourceRead(source.name, source.layout is None)
        self._stream = EventStream(source.name, scale=self._scale)
        self._reader = None if source.layout is None else source.layout.reader()
        self._clock: datetime | None = None
        self._at = 0

    def entries(
        self, meets: Meets | None, *, every: bool, through: Candidates | None = None, part: Range | None = None, before: int = 0
    ) -> Generator[Entry]:
        """Yield the hits, or ``every`` event, in the order of the file; as `batches` does."""
        for some in self.batches(meets, every=every, through=through, part=part, before=before):
            yield from some

    def entries_of(self, file: IO[bytes]) -> Iterator[Entry]:
        """Yield every event of a stream of whole records."""
        self._begin()
        for some in self._of(file, 1, None, every=True):  # no file begins with it
            yield from some

    @property
    def begins(self) -> Callable[[bytes], bool]:
        """What tells whether a record begins with a line of bytes."""
        layout, reader = self.source.layout, self._reader
        if layout is None or reader is None or layout.a_record_a_line:
            return lambda _line: True

        def begins(line: bytes) -> bool:
            try:
                return reader.begins(line.decode(reader.encoding).removesuffix("\r"))
            except UnicodeDecodeError:
                return False

        return begins

    def batches(
        self, meets: Meets | None, *, every: bool, through: Candidates | None = None, part: Range | None = None, before: int = 0
    ) -> Generator[list[Entry]]:
        """Yield the hits, or ``every`` event, some at a time, in the order of the file.

        Args:
            meets: Tells whether an event is a hit; without it all are.
            every: Whether other events are wanted, too.
            through: What looks through the file for records that may be hits, where only these are parsed.
            part: A range of the file that begins and ends with whole records.
            before: How many lines stand before that.
        """
        self._begin()
        with self._open() if part is None else open_range(part) as file:
            if through is None:
                yield from self._of(file, before, meets, every=every)
                return
            parsed = 0
            try:
                for lines, data in through.slices(file, self._again(part)):
                    parsed += data.count(b"\n") + (not data.endswith(b"\n"))
                    yield from self._of(cast(IO[bytes], io.BytesIO(data)), before + lines, meets, every=False)
            finally:
                self.read.lines, self.read.looked_through = parsed, through.size

    @contextmanager
    def _open(self) -> Iterator[IO[bytes]]:
        path = self.source.file.path
        if self.turns is None or not self.source.grows or only_once(path):
            with open_one(path) as file:
                yield file
            return
        with open_raw(path) as raw:
            turn = Turn(path, raw, self.turns)
            try:
                yield cast(IO[bytes], turn)
            finally:
                turn.close()

    def _again(self, part: Range | None) -> Again | None:
        """Return what gives the bytes once more that are read here, None for those of a stream."""
        if not self.source.grows or only_once(self.source.file.path):
            return None
        return again_from(self.source.file.path, 0 if part is None else part.start)

    def _of(self, file: IO[bytes], before: int, meets: Meets | None, *, every: bool) -> Generator[list[Entry]]:
        """Yield entries of a stream of whole records, before which so many lines stand."""
        raw = self._raw(file)
        read = file if raw is None else cast(IO[bytes], raw)
        reader, shift, number, at = self._reader, self.source.shift, self.number, self._at
        clock = _EARLIEST if self._clock is None else self._clock
        some: list[Entry] = []
        line, together = 0, self.together
        try:
            with closing(self._events(read, before) if reader is None else self._log(read, before, reader)) as events:
                for one in events:
                    if reader is None:
                        line, event = one  # type: ignore[misc]
                    else:
                        line, event = reader.line, one
                    if shift:
                        event.time = self._shifted(event.time)
                    time = event.time
                    clock = max(clock, time)
                    hit = meets is None or meets(event)
                    if raw is not None:
                        raw.drop(line - before)
                    if hit or every:
                        own = b"" if raw is None or not hit else raw.take(line - before, 1 if reader is None else reader.lines)
                        some.append(Entry(event, number, line, clock, at, hit, own))
                        if len(some) >= together:
                            yield some
                            some = []
                    at += 1
                    if some and not at % _SOON:  # rare hits are shown soon, too
                        yield some
                        some = []
        finally:
            self.read.lines = max(self.read.lines, line - before)
        self._at, self._clock = at, clock
        if some:
            yield some

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

    def _events(self, file: IO[bytes], before: int) -> Generator[tuple[int, Event]]:
        """Yield events with their lines."""
        stream, last = self._stream, before
        stream.number = before
        try:
            for numbers, events in stream.part_batches(self.source.name, file, begins=not before):
                yield from zip(numbers, events, strict=True)
                last = numbers[-1] if numbers else last
        finally:
            self.read.lines = max(stream.number, last) - before
            self.read.unreadable, self.read.bad_lines = stream.unreadable, stream.bad_lines

    def _log(self, file: IO[bytes], before: int, reader: LogReader) -> Generator[Event]:
        """Yield events; the reader knows their lines."""
        try:
            yield from reader.read_on(file, self.source.name, before)
        finally:
            self.read.lines = reader.read_lines.number
            self.read.unreadable, self.read.bad_lines = reader.misfits, reader.bad_lines
