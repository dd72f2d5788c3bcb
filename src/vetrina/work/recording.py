"""Events of a file or of a program, to be read as often as the work wants them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.formats.events import BadLine, EventStream, EventTaker
from vetrina.formats.inputs import Inputs, inputs_of, open_input
from vetrina.work.asked import known_level


class Recording:
    """Events that can be read again and again; what was not readable is known from the first time.

    Args:
        events: A file of JSON Lines (also gzip or zstd; `-` is standard input), a folder or a pattern, several of these as
            `Inputs`, or events that a program made.
        strict: Whether the first line that is no event raises Refused.
    """

    def __init__(self, events: str | Path | Inputs | Iterable[Event], *, strict: bool = False) -> None:
        given = inputs_of(str(events)) if isinstance(events, str | Path) else events
        self._made = None if isinstance(given, Inputs) else tuple(given)
        self._inputs = given if isinstance(given, Inputs) else Inputs((), "events")
        self.name = self._inputs.label
        self._strict = strict
        self._first: EventStream | None = None

    @property
    def unreadable(self) -> int:
        """How many lines were no events."""
        return self._first.unreadable if self._first else 0

    @property
    def bad_lines(self) -> list[BadLine]:
        """The first lines that were no events, with the reasons."""
        return self._first.bad_lines if self._first else []

    def read(self, scale: Scale) -> Iterator[Event]:
        """Yield the events; raise Refused where a program made one of a level that ``scale`` does not know."""
        if self._made is not None:
            yield from map(_known(scale), self._made)
            return
        stream = self._stream(scale)
        with open_input(self._inputs) as file:
            yield from stream.read(file)
        self._first = self._first or stream

    def send(self, scale: Scale, taker: EventTaker) -> None:
        """Send all events to ``taker``, in batches."""
        if self._made is not None:
            taker.feed(map(_known(scale), self._made))
            return
        stream = self._stream(scale)
        with open_input(self._inputs) as file:
            stream.send(file, taker)
        self._first = self._first or stream

    def _stream(self, scale: Scale) -> EventStream:
        return EventStream(self.name, scale=scale, strict=self._strict)


def _known(scale: Scale) -> Callable[[Event], Event]:
    """Return a function that lets an event through, and raises Refused for one that no file could hold."""

    def known(event: Event) -> Event:
        known_level(scale, event.level, "events")
        if event.time.tzinfo is None:
            raise refuse("the time of an event has no offset", fix="give it a tzinfo", where="events")
        return event

    return known
