"""Log files back into events as JSON Lines: by one process, or piece by piece by several."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date, datetime
from itertools import islice

import msgspec
from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.routing.parts import Part
from vetrina.core.templates.forms import Template
from vetrina.formats.inputs import Inputs
from vetrina.formats.logs import PATIENCE, LogPart, LogReader
from vetrina.formats.pieces import Piece
from vetrina.work.engines import cut
from vetrina.work.jobs import CountingJob, Engine, numbered

_TOGETHER = 1000


class Wanted(Struct, frozen=True):
    """Which events to give: those of a part, from ``since`` on, before ``until``."""

    part: Part
    separator: str
    since: datetime | None = None
    until: datetime | None = None

    def only(self, events: Iterator[Event], scale: Scale) -> Iterator[Event]:
        """Return those of some events that are wanted."""
        if self.part == Part() and self.since is None and self.until is None:
            return events
        severities = Severities(scale)
        return (event for event in events if self._holds(event, severities[event.level]))

    def _holds(self, event: Event, severity: int) -> bool:
        if (self.since and event.time < self.since) or (self.until and event.time >= self.until):
            return False
        return self.part.holds(event, severity, self.separator)


class ReadPiece(Struct):
    """The events of a piece as JSON Lines, how many they are, and what was read."""

    data: bytes
    shown: int
    part: LogPart


class ReadJob(Struct):
    """Logs that a template wrote, read back."""

    template: Template
    scale: Scale
    encoding: str
    day: date | None
    default_level: str
    wanted: Wanted

    def reader(self) -> LogReader:
        """Return what reads them; raise Refused for a template that cannot be read back."""
        return LogReader(self.template, encoding=self.encoding, day=self.day, default_level=self.default_level)

    def opened(self) -> Callable[[Piece], ReadPiece]:
        """Return what reads a piece."""

        def read(piece: Piece) -> ReadPiece:
            reader = self.reader()
            reader.patient = False
            data, shown = [], 0
            for one in self._ranges(reader, piece):
                for count, lines in _encoded(self.wanted.only(one, self.scale)):
                    shown += count
                    data.append(lines)
            return ReadPiece(b"".join(data), shown, reader.part())

        return read

    @staticmethod
    def _ranges(reader: LogReader, piece: Piece) -> Iterator[Iterator[Event]]:
        before = piece.in_file
        for one in piece.ranges:
            yield reader.read_range(one, before)
            before = 0


class LogReading:
    """The reading of logs; afterwards its ``reader`` knows what did not fit, and ``shown`` how many events were given."""

    def __init__(self, job: ReadJob) -> None:
        self._job = job
        self.reader = job.reader()
        self.shown = 0

    def lines(self, logs: Inputs, engine: Engine | None, first: int | None) -> Iterator[bytes]:
        """Yield the wanted events, ``first`` of them at most, as JSON Lines."""
        if engine is None:
            yield from self._alone(logs, first)
            return
        pieces = numbered(engine, CountingJob(), cut(logs, engine, shown=True))
        for one in engine.run(self._job, pieces):
            if not self.reader.events and self.reader.misfits + one.part.unfit_before >= PATIENCE:
                self.reader = self._job.reader()  # nothing was given yet: whoever gives up says where
                yield from self._alone(logs, first)
                return
            self.reader.add(one.part)
            self.shown += one.shown
            yield one.data

    def _alone(self, logs: Inputs, first: int | None) -> Iterator[bytes]:
        events = self._job.wanted.only(self.reader.read_all([one.path for one in logs.parts]), self._job.scale)
        for count, lines in _encoded(islice(events, first)):
            self.shown += count
            yield lines


def _encoded(events: Iterator[Event]) -> Iterator[tuple[int, bytes]]:
    """Yield events as JSON Lines, some at a time, with how many they are."""
    encode = msgspec.json.Encoder().encode_lines
    while some := list(islice(events, _TOGETHER)):
        yield len(some), encode(some)
