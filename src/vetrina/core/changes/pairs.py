"""What two plans do with the events of one logger and level, or of one pair of routes, counted by day."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import date, datetime

from msgspec import Struct, field

from vetrina.core.base.events import Event
from vetrina.core.changes.effects import Examples
from vetrina.core.routing.cache import LoggerLevelCache
from vetrina.core.routing.router import Route
from vetrina.core.templates.compiling import MakeMeasure, Measure


class Pair:
    """Both routes of the events of one logger and level (or of one such pair of routes), counted together.

    Where loggers share it, ``rows`` counts by the name of the row.
    """

    __slots__ = (
        "after",
        "before",
        "count",
        "logger",
        "new",
        "quick",
        "remembers",
        "row",
        "rows",
        "severity",
        "sizes",
        "slots",
        "ways",
    )

    def __init__(self, logger: str, severity: int, before: Route | None, after: Route | None) -> None:
        self.logger, self.severity, self.before, self.after = logger, severity, before, after
        self.quick = self.remembers = False
        self.count = 0
        self.rows: dict[str, list[int]] | None = None
        self.row = ""
        self.ways: tuple[MakeMeasure, ...] = ()
        self.slots: tuple[Measure, ...] = ()
        self.sizes: list[int] = []
        self.new: tuple[tuple[str, Measure], ...] = ()

    @property
    def settled(self) -> bool:
        """Tell whether both routes are known for all its events."""
        return self.before is not None and self.after is not None

    @property
    def routes(self) -> tuple[Route, Route]:
        """Return both routes of a settled pair."""
        assert self.before is not None  # noqa: S101  (settled)
        assert self.after is not None  # noqa: S101  (settled)
        return self.before, self.after

    def add(self, count: int, sizes: list[int]) -> None:
        """Add events and their bytes on each way."""
        self.count += count
        add_up(self.sizes, sizes)

    def add_row(self, name: str, counts: Sequence[int]) -> None:
        """Add events and their bytes on each way to a row, where loggers share the pair."""
        assert self.rows is not None  # noqa: S101  (they do)
        add_up(self.rows.setdefault(name, [0] * len(counts)), counts)

    def by_row(self) -> Iterable[tuple[str, list[int]]]:
        """Return the names of its rows, each with its events and their bytes on each way."""
        return ((self.logger, [self.count, *self.sizes]),) if self.rows is None else self.rows.items()


class Apart(Struct):
    """Events that were counted one by one, since they mean something else on each side or their fates depend on others.

    ``before`` and ``after`` are appender to the bytes of all its deliveries of them.
    """

    count: int = 0
    before: dict[str, int] = field(default_factory=dict)
    after: dict[str, int] = field(default_factory=dict)

    def add(self, other: Apart) -> None:
        """Add what was counted elsewhere."""
        self.count += other.count
        for mine, more in ((self.before, other.before), (self.after, other.after)):
            for name, size in more.items():
                mine[name] = mine.get(name, 0) + size


class Joint(Struct):
    """One event on its way through both plans: on each side as what it counts, and where it went, None while that is open."""

    event: Event
    number: int
    day: date
    events: list[Event]
    routes: list[Route | None] = field(default_factory=lambda: [None, None])


Routes = tuple[Route, Route]
Rows = dict[tuple[str, int], list[int]]


class ComparedSums(Struct):
    """What a `Comparison` has counted, to be added to another one's, also in another process.

    ``days`` are by day, by the two routes, by row's name and severity: the events, and their bytes on each way.
    ``before`` and ``number`` are the numbers of the events before the first one and of the last one; ``others`` are the
    marks of loggers without a row (`RowNames`).
    """

    days: dict[date, list[tuple[Routes, Rows]]]
    first: datetime
    last: datetime
    before: int
    number: int
    examples: dict[str, Examples]
    others: set[int]
    apart: list[tuple[date, Routes, str, int, Apart]]


class Day:
    """The pairs of one day."""

    def __init__(self, places: Callable[[str], object]) -> None:
        self.pairs: LoggerLevelCache[Pair] = LoggerLevelCache(places)
        self.kept: dict[tuple[object, int], Pair] = {}
        self.split: dict[Routes, dict[tuple[str, int], Pair]] = {}
        self.apart: dict[Routes, dict[tuple[str, int], Apart]] = {}
        self.imagined: dict[Routes, dict[tuple[str, int], Apart]] = {}
        self.streamed: dict[tuple[Routes, tuple[str, int], int | None], int] = {}

    def pairs_counted(self) -> Iterator[Pair]:
        """Yield the pairs that events were counted for."""
        all_ = [*self.kept.values(), *(pair for rows in self.split.values() for pair in rows.values())]
        yield from (pair for pair in all_ if pair.count and pair.settled)


def add_up(sums: list[int], counts: Sequence[int]) -> None:
    """Add counts to sums, each to its own."""
    for turn, count in enumerate(counts):
        sums[turn] += count


def rows_of(day: Day) -> Iterable[str]:
    """Yield the names of the rows of a day."""
    yield from (pair.logger for rows in day.split.values() for pair in rows.values())
    yield from (logger for rows in day.apart.values() for logger, _ in rows)
    for pair in day.kept.values():
        yield from pair.rows if pair.rows is not None else (pair.logger,)
