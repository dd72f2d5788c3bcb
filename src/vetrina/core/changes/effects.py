"""What a change does to given traffic, counted: what each appender, logger and day gains and loses, with examples of new lines.

Here: the record. Not here: how it is counted (side_by_side.py), what it means (outcome.py).
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, timedelta

from msgspec import Struct, field

from vetrina.core.base.events import Event
from vetrina.core.foresight.lessons import Ends, Lessons, Total
from vetrina.core.rolling.pace import Pace
from vetrina.core.routing.router import Route


class Tally(Struct):
    """So many events and so many bytes; ``estimated`` tells that events are in it of which none is recorded.

    ``events_ends`` and ``bytes_ends`` are there where a part was estimated from another recording.
    """

    events: int = 0
    bytes: int = 0
    estimated: bool = False
    events_ends: Ends | None = None
    bytes_ends: Ends | None = None

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


class Example(Struct):
    """A delivery that is new: the event, its number in the input, and the bytes that the appender writes for it."""

    event: Event
    number: int
    size: int


class Examples(Struct):
    """A few of an appender's new deliveries: the first, the longest, and the first of every size, to some 3 percent."""

    first: Example | None = None
    longest: Example | None = None
    sizes: dict[int, tuple[int, Example]] = field(default_factory=dict)

    def take(self, one: Example) -> None:
        """Look at one new delivery."""
        self._take(one, 1)
        self.first = self.first or one
        if self.longest is None or one.size > self.longest.size:
            self.longest = one

    def _take(self, one: Example, count: int) -> None:
        shift = max(0, one.size.bit_length() - 6)
        rounded = one.size >> shift << shift
        known = self.sizes.get(rounded)
        self.sizes[rounded] = (count, one) if known is None else (known[0] + count, known[1])

    def add(self, later: Examples, before: int) -> None:
        """Look at the deliveries that were looked at elsewhere, of events that come ``before`` events later."""
        longest = self.longest
        for one in {id(one): one for one in later.each()}.values():
            one.number += before
        self.first = self.first or later.first
        if longest is None or (later.longest is not None and later.longest.size > longest.size):
            self.longest = later.longest
        for count, one in later.sizes.values():
            self._take(one, count)

    def each(self) -> Iterator[Example]:
        """Yield the deliveries that are kept."""
        yield from (one for one in (self.first, self.longest) if one is not None)
        yield from (one for _, one in self.sizes.values())

    def count(self) -> int:
        """Return how many deliveries were looked at."""
        return sum(count for count, _ in self.sizes.values())

    def typical(self) -> Example | None:
        """Return the first delivery of middle size, to some 3 percent."""
        left = self.count() // 2
        for _, (count, one) in sorted(self.sizes.items()):
            left -= count
            if left < 0:
                return one
        return None


class Estimated(Struct, frozen=True):
    """Events of one logger and level on one day that are estimated to be there, and their bytes by appender, before and after."""

    day: date
    own: tuple[str, int]
    routes: tuple[Route, Route]
    count: int
    before: dict[str, int]
    after: dict[str, int]


class Foreseen(Struct):
    """What was learned from another recording: ``events`` are those estimated, in ``draws`` drawings.

    ``days`` are bytes a day by appender, before and after; ``added`` how far below and above (5th and 95th of a hundred) lies
    what is added in a day by kind of sink. ``turned`` are the estimated events in `seen` and `silenced` (by logger and
    severity) and `twice` (by logger and place). ``gained`` and ``lost`` are deliveries in all, ``totals`` the events of each
    lesson, ``examples`` one new delivery by appender, as the other recording has it. ``played`` tells that the drawings were played event by event, since a
    limit, a recall or a queue decides.
    """

    lessons: Lessons
    draws: int
    events: int = 0
    played: bool = False
    days: dict[str, tuple[Ends | None, Ends | None]] = field(default_factory=dict)
    added: dict[str, tuple[int, int]] = field(default_factory=dict)
    turned: dict[tuple[str, int] | tuple[str, str], Ends] = field(default_factory=dict)
    gained: Ends | None = None
    lost: Ends | None = None
    totals: list[Total] = field(default_factory=list)
    examples: dict[str, Example] = field(default_factory=dict)


class Effects(Struct):
    """What a change does, counted. ``cells`` are by (logger, severity, appender), ``days`` by (day in the plan's zone, appender).

    ``twice``: events that arrive more than once at a sink after the change and did not before, by (logger, place).
    ``silenced``: events that arrived and arrive nowhere now, ``seen`` the other way round, by (logger, severity).
    ``recorded``: all events by (logger, severity), wherever they went, but round both plans. ``streamed`` of ``events`` are of added streams.
    ``pace`` is what a day is worked out from. ``further`` loggers share rows with others (`RowNames`). ``foreseen`` is there
    where events of another recording told of what this one holds nothing of.
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
    foreseen: Foreseen | None = None

    @property
    def unrecorded(self) -> int:
        """Return how many of the events nobody recorded: those of streams, and estimated ones."""
        return self.streamed + (self.foreseen.events if self.foreseen else 0)

    @property
    def span(self) -> timedelta:
        """Return the time from the first event to the last."""
        return self.last - self.first if self.first and self.last else timedelta(0)

    def a_day(self, name: str) -> tuple[int | None, int | None]:
        """Return the bytes that an appender writes in a day, before and after; None where nothing tells of a day."""
        shift = self.appenders[name]
        days = {day: one for (day, appender), one in self.days.items() if appender == name}
        return (
            self.pace.a_day(shift.before.bytes, {day: one.before.bytes for day, one in days.items()}),
            self.pace.a_day(shift.after.bytes, {day: one.after.bytes for day, one in days.items()}),
        )
