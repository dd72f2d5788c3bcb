"""Events of a file or of a program, to be read as often as the work wants them."""

from __future__ import annotations

import pickle
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.formats.events import EventStream
from vetrina.formats.inputs import Inputs, inputs_of, open_input
from vetrina.formats.pieces import Piece
from vetrina.formats.read_parts import BadLine
from vetrina.work.asked import known_level
from vetrina.work.engines import cut
from vetrina.work.jobs import BatchesJob, CountingJob, Engine, EventsJob, Job, Taken, Taker, numbered

if TYPE_CHECKING:
    from vetrina.work.shown import ShowingJob

T = TypeVar("T", bound=Taker[Any])
R = TypeVar("R")


class Recording:
    """Events that can be read again and again; what was not readable is known from the first time.

    Args:
        events: A file of JSON Lines (also compressed; `-` is standard input), a folder or a pattern, several of these as
            `Inputs`, or events that a program made.
        strict: Whether the first line that is no event raises Refused.
        engine: Who reads them, where others than this process do.
    """

    def __init__(
        self, events: str | Path | Inputs | Iterable[Event], *, strict: bool = False, engine: Engine | None = None
    ) -> None:
        given = inputs_of(str(events)) if isinstance(events, str | Path) else events
        self._made = None if isinstance(given, Inputs) else tuple(given)
        self._inputs = given if isinstance(given, Inputs) else Inputs((), "events")
        self.name = self._inputs.label
        self.strict, self._engine = strict, engine
        self._pieces: dict[tuple[bool, bool, bool], list[Piece]] = {}
        self._first: EventStream | None = None

    @property
    def unreadable(self) -> int:
        """How many lines were no events."""
        return self._first.unreadable if self._first else 0

    @property
    def bad_lines(self) -> list[BadLine]:
        """The first lines that were no events, with the reasons."""
        return self._first.bad_lines if self._first else []

    @property
    def alone(self) -> bool:
        """Whether this process reads alone."""
        return self._engine is None

    def batches(self, scale: Scale) -> Iterator[list[Event]]:
        """Yield the events of a file in batches, read by this process."""
        for _, events in self._numbered(scale):
            yield events

    def _numbered(self, scale: Scale) -> Iterator[tuple[Sequence[int], list[Event]]]:
        stream = self._stream(scale)
        with open_input(self._inputs) as file:
            yield from stream.batches(file)
        self._first = self._first or stream

    def read(self, scale: Scale) -> Iterator[Event]:
        """Yield the events; raise Refused where a program made one of a level that ``scale`` does not know."""
        if self._made is not None:
            yield from map(_known(scale), self._made)
            return
        for events in self.batches(scale):
            yield from events

    def in_order(self, scale: Scale) -> Iterator[tuple[Sequence[int], list[Event]]]:
        """Yield the events in batches with the numbers of their lines, for this process to decide on them in their order.

        It reads them itself where it can; what only others can read is handed over by them.
        """
        if self._made is not None:
            made = list(map(_known(scale), self._made))
            yield range(1, len(made) + 1), made
        elif self._engine is None or self._engine.near:
            yield from self._numbered(scale)
        else:
            from vetrina.work.shown import HandedJob  # noqa: PLC0415  (views, for what is shown only)

            yield from self.show(scale, HandedJob())

    def gather(
        self,
        scale: Scale,
        make: Callable[[int], T],
        *,
        into: T | None = None,
        counts: bool = False,
        small: bool = False,
        in_order: bool = False,
    ) -> T:
        """Return ``into``, or what ``make`` makes, with all events taken.

        Args:
            scale: The levels that there are.
            make: Makes a `Taker` of the number of events before its first one; it travels to other processes.
            into: What takes the events at last, where that is another one.
            counts: Whether that number matters.
            small: Whether what is taken of a piece grows with the piece.
            in_order: Whether one process must see all events, in their order.
        """
        taker = make(0) if into is None else into
        if in_order:
            for _, events in self.in_order(scale):
                taker.feed(events)
        elif self._made is not None:
            taker.feed(map(_known(scale), self._made))
        elif self._engine is None:
            for events in self.batches(scale):
                taker.feed(events)
        else:
            pieces = self._cut(self._engine, scale, counts=counts, shown=small)
            for sums in self._sums(self._engine, EventsJob(make, scale, self.strict), pieces, scale):
                taker.add(sums)
        return taker

    def show(self, scale: Scale, job: ShowingJob[R]) -> Iterator[R]:
        """Yield what is shown of the events, batch by batch, in order."""
        in_order = job.in_order()
        if self._engine is None or in_order:
            shows, before = job.opened(), 0
            for numbers, events in self.in_order(scale):
                yield shows(numbers, events, before)
                before += len(events)
            if in_order and hasattr(shows, "end"):
                yield shows.end()
        else:
            pieces = self._cut(self._engine, scale, counts=job.counts(), lines=job.tells_lines(), shown=True)
            for shown in self._sums(self._engine, BatchesJob(job, scale, self.strict), pieces, scale):
                for packed in shown:
                    yield pickle.loads(packed)  # noqa: S301  (from a process of ours)

    def _sums(self, engine: Engine, job: Job[Taken], pieces: list[Piece], scale: Scale) -> Iterator[Any]:
        """Yield what came of the pieces, in order; of a file that broke off nothing more counts."""
        stream, broken = self._stream(scale), ""
        for piece, taken in zip(pieces, engine.run(job, pieces), strict=True):
            if piece.ranges[0].file.path == broken and not piece.ranges[0].begins:
                continue
            if any(part.refused is not None for part in taken.parts):
                yield taken.sums  # what was shown before the line that is refused
            broken = piece.ranges[-1].file.path if taken.added(piece, stream) else ""
            yield taken.sums
        self._first = self._first or stream

    def _cut(self, engine: Engine, scale: Scale, *, counts: bool, lines: bool = False, shown: bool = False) -> list[Piece]:
        """Return the pieces of the input; with ``counts`` they know how many events stand before them, else with ``lines`` lines."""
        known = (counts, lines, shown)
        if known not in self._pieces:
            pieces = cut(self._inputs, engine, shown=shown)
            if counts or lines:
                pieces = numbered(engine, CountingJob(scale if counts else None), pieces)
            self._pieces[known] = pieces
        return self._pieces[known]

    def _stream(self, scale: Scale) -> EventStream:
        return EventStream(self.name, scale=scale, strict=self.strict)


def _known(scale: Scale) -> Callable[[Event], Event]:
    """Return a function that lets an event through, and raises Refused for one that no file could hold."""

    def known(event: Event) -> Event:
        known_level(scale, event.level, "events")
        if event.time.tzinfo is None:
            raise refuse("the time of an event has no offset", fix="give it a tzinfo", where="events")
        return event

    return known
