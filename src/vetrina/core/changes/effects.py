"""What a change does to given traffic, counted: what each appender, logger and day gains and loses, with examples of new lines.

Here: the record. Not here: how it is counted (side_by_side.py), what it means (outcome.py).
"""

from __future__ import annotations

from datetime import date, datetime, timedelta

from msgspec import Struct, field

from vetrina.core.base.events import Event
from vetrina.core.rolling.pace import Pace

_SAMPLES = 64


class Tally(Struct):
    """So many events and so many bytes; ``estimated`` tells that added streams are in it, of which no event is recorded."""

    events: int = 0
    bytes: int = 0
    estimated: bool = False

    def add(self, events: int, size: int, *, estimated: bool = False) -> None:
        """Add events and bytes."""
        self.events += events
        self.bytes += size
        self.estimated = self.estimated or (estimated and events > 0)


class Delta(Struct):
    """What one appender (of one logger and level, or on one day) got before and gets after, and the difference event by event."""

    before: Tally = field(default_factory=Tally)
    after: Tally = field(default_factory=Tally)
    gained: Tally = field(default_factory=Tally)
    lost: Tally = field(default_factory=Tally)

    @property
    def estimated(self) -> bool:
        """Tell whether added streams are in it."""
        return self.before.estimated or self.after.estimated

    @property
    def changes(self) -> bool:
        """Tell whether anything is different."""
        return self.before != self.after or bool(self.gained.events or self.lost.events)


class Example(Struct, frozen=True):
    """A delivery that is new: the event, its number in the input, and the bytes that the appender writes for it."""

    event: Event
    number: int
    size: int


class Examples(Struct):
    """A few of an appender's new deliveries: the first, the longest, and an even sample of all."""

    first: Example | None = None
    longest: Example | None = None
    met: int = 0
    sampled: list[Example] = field(default_factory=list)
    step: int = 1

    def take(self, one: Example) -> None:
        """Look at one new delivery; a sample of every n-th is kept, n doubling as it fills."""
        self.first = self.first or one
        if self.longest is None or one.size > self.longest.size:
            self.longest = one
        if self.met % self.step == 0:
            if len(self.sampled) >= _SAMPLES:
                self.sampled = self.sampled[::2]
                self.step *= 2
            if self.met % self.step == 0:
                self.sampled.append(one)
        self.met += 1

    def typical(self) -> Example | None:
        """Return the sampled delivery of middle size."""
        ordered = sorted(self.sampled, key=lambda one: (one.size, one.number))
        return ordered[len(ordered) // 2] if ordered else None


class Effects(Struct):
    """What a change does, counted. ``cells`` are by (logger, severity, appender), ``days`` by (day in the plan's zone, appender).

    ``twice``: events that arrive more than once at a sink after the change and did not before, by (logger, place).
    ``silenced``: events that arrived and arrive nowhere now, ``seen`` the other way round, by (logger, severity).
    ``recorded``: all events by (logger, severity), wherever they went. ``streamed`` of ``events`` are of added streams.
    ``pace`` is what a day is worked out from. ``further`` loggers share rows with others (`RowNames`).
    """

    events: int = 0
    first: datetime | None = None
    last: datetime | None = None
    appenders: dict[str, Delta] = field(default_factory=dict)
    cells: dict[tuple[str, int, str], Delta] = field(default_factory=dict)
    days: dict[tuple[date, str], Delta] = field(default_factory=dict)
    twice: dict[tuple[str, str], int] = field(default_factory=dict)
    silenced: dict[tuple[str, int], int] = field(default_factory=dict)
    seen: dict[tuple[str, int], int] = field(default_factory=dict)
    recorded: dict[tuple[str, int], int] = field(default_factory=dict)
    examples: dict[str, Examples] = field(default_factory=dict)
    streamed: int = 0
    further: int = 0
    pace: Pace = Pace(timedelta(0))

    @property
    def span(self) -> timedelta:
        """Return the time from the first event to the last."""
        return self.last - self.first if self.first and self.last else timedelta(0)

    def a_day(self, name: str) -> tuple[int | None, int | None]:
        """Return the bytes that an appender writes in a day, before and after; None where the recording has no length."""
        shift = self.appenders[name]
        days = {day: one for (day, appender), one in self.days.items() if appender == name}
        return (
            self.pace.a_day(shift.before.bytes, {day: one.before.bytes for day, one in days.items()}),
            self.pace.a_day(shift.after.bytes, {day: one.after.bytes for day, one in days.items()}),
        )
