"""Work that is done piece by piece, in this process or in others, and put together in the order of the pieces."""

from __future__ import annotations

import pickle
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from typing import Any, Generic, Protocol, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.faults import Refused
from vetrina.core.base.levels import Scale
from vetrina.core.rolling.codecs import ERRORS
from vetrina.formats.events import EventStream
from vetrina.formats.lines import BOM
from vetrina.formats.pieces import Piece, open_range
from vetrina.formats.read_parts import ReadPart

R_co = TypeVar("R_co", covariant=True)
S = TypeVar("S")
_BLOCK = 1 << 18


class Job(Protocol[R_co]):
    """What is to be done with each piece; it travels to other processes."""

    def opened(self) -> Callable[[Piece], R_co]:
        """Return the function from a piece to what comes of it; it is made once in every process."""


class Engine(Protocol):
    """Who does a job: processes of this machine, or of others."""

    near: bool
    """Whether what they read this process could read as well."""

    @property
    def hands(self) -> int:
        """How many pieces are worked at once."""

    def run(self, job: Job[S], pieces: Iterable[Piece]) -> Iterator[S]:
        """Yield what comes of every piece, in the order of the pieces; raise what was raised of one when its turn comes."""


class Taker(Protocol[S]):
    """What takes events, and adds up with others of its kind that took other events."""

    def feed(self, events: Iterable[Event]) -> None:
        """Take events, in order."""

    def sums(self) -> S:
        """Return what was made of them."""

    def add(self, sums: S) -> None:
        """Add what was made of events that come later."""


class Taken(Struct):
    """What came of the events of one piece, and what was read of each of its ranges."""

    sums: Any
    parts: list[ReadPart]

    def added(self, piece: Piece, stream: EventStream) -> bool:
        """Take over what was read; tell whether a file broke off here."""
        for one, part in zip(piece.ranges, self.parts, strict=False):
            stream.add(part, one.file.name, begins=one.begins)
            if part.broken and one is piece.ranges[-1]:
                return True
        return False


class EventsJob(Struct, Generic[S]):
    """The events of a piece, taken by what ``make`` makes of the number of the events before it."""

    make: Callable[[int], Taker[S]]
    scale: Scale
    strict: bool

    def opened(self) -> Callable[[Piece], Taken]:
        """Return what takes the events of a piece."""
        return self._taken

    def _taken(self, piece: Piece) -> Taken:
        taker = self.make(piece.events)
        parts = []
        for part, batches in read_ranges(piece, self.scale, strict=self.strict):
            for _, events in batches:
                taker.feed(events)
            parts.append(part())
        return Taken(taker.sums(), parts)


_Batches = Iterator[tuple[Any, list[Event]]]


class BatchesJob(Struct):
    """What is shown of the events of a piece, batch by batch; each is packed as it is made, so that little waits."""

    job: Any
    scale: Scale
    strict: bool

    def opened(self) -> Callable[[Piece], Taken]:
        """Return what shows a piece."""
        shows = self.job.opened()

        def shown(piece: Piece) -> Taken:
            found, parts, before = [], [], piece.events
            for part, batches in read_ranges(piece, self.scale, strict=self.strict):
                for numbers, events in batches:
                    found.append(pickle.dumps(shows(numbers, events, before), pickle.HIGHEST_PROTOCOL))
                    before += len(events)
                parts.append(part())
            return Taken(found, parts)

        return shown


def read_ranges(piece: Piece, scale: Scale, *, strict: bool) -> Iterator[tuple[Callable[[], ReadPart], _Batches]]:
    """Yield, for each range of a piece, its batches of events and, when they are through, what was read.

    A line that `strict` refuses ends the piece.
    """
    lines = piece.lines
    for one in piece.ranges:
        stream = EventStream(one.file.name, scale=scale, strict=strict)
        stream.number = lines
        refused: list[Refused] = []
        with open_range(one) as file:
            batches = _until_refused(stream.part_batches(one.file.name, file, begins=one.begins), refused)

            def read(stream: EventStream = stream, refused: list[Refused] = refused) -> ReadPart:
                part = stream.read_part()
                return replace(part, refused=refused[0].faults) if refused else part

            yield read, batches
        if refused:
            return
        lines = stream.number


def _until_refused(batches: _Batches, refused: list[Refused]) -> _Batches:
    try:
        yield from batches
    except Refused as one:
        refused.append(one)


class Counted(Struct):
    """How many lines and events stand in a piece; of its lines those of its last file alone."""

    lines: int = 0
    events: int = 0
    in_last: int = 0


class CountingJob(Struct):
    """Lines, and where a ``scale`` tells what an event is, events."""

    scale: Scale | None = None

    def opened(self) -> Callable[[Piece], Counted]:
        """Return what counts a piece."""
        return self._lines if self.scale is None else self._events

    def _lines(self, piece: Piece) -> Counted:
        found = Counted()
        for one in piece.ranges:
            lines, last, first = 0, b"\n", one.begins
            with open_range(one) as file, suppress(EOFError, OSError, ValueError, *ERRORS):  # a file that breaks off ends there
                while block := file.read(_BLOCK):
                    lines += block.count(b"\n")
                    last = block[-1:] if not first or block != BOM else last  # a mark alone is no line
                    first = False
            found.in_last = lines + (last != b"\n")
            found.lines += found.in_last
        return found

    def _events(self, piece: Piece) -> Counted:
        assert self.scale is not None  # noqa: S101  (asked where it is opened)
        found = Counted()
        for read, batches in read_ranges(piece, self.scale, strict=False):
            found.events += sum(len(events) for _, events in batches)
            found.in_last = read().lines
            found.lines += found.in_last
        return found


def numbered(engine: Engine, job: CountingJob, pieces: list[Piece]) -> list[Piece]:
    """Return pieces that know what stands before each of them."""
    if len(pieces) < 2:
        return pieces
    found: list[Piece] = []
    lines = events = in_file = 0
    for piece, counted in zip(pieces, engine.run(job, pieces), strict=True):
        in_file = 0 if piece.ranges[0].begins else in_file
        found.append(replace(piece, lines=lines, events=events, in_file=in_file))
        lines += counted.lines
        events += counted.events
        in_file = counted.in_last + (in_file if len(piece.ranges) == 1 else 0)
    return found
