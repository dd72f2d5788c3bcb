"""Something for each logger and level: found once, and looked up for every event after, however many loggers there are.

Here: what is remembered for a logger by itself, what loggers at one place of the plan share, and which loggers have
rows of their own in a result.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from hashlib import blake2b
from typing import Generic, TypeVar

from vetrina.core.base.events import Event
from vetrina.core.plan.loggers import Places

T = TypeVar("T")
_OWN = 4096
_MOST_THINGS = 65_536
MOST_ROWS = 10_000
"""Loggers, the first by name, that have rows of their own in a result."""
MOST_COUNTED = 1_000_000
FURTHER = "(further loggers)"


class LoggerLevelCache(Generic[T]):
    """What was found for (logger, level as written).

    Inner loops ask ``by_logger[event.logger][event.level]``, which raises KeyError for what is not known yet. The first
    4,096 loggers have things of their own. Further ones share theirs with all at their place, which is a pair of names
    of the plan (or of two): such a thing must hold for any logger there (`is_shared`).
    """

    __slots__ = ("_count", "by_logger")

    def __init__(self, places: Callable[[str], object]) -> None:
        self.by_logger: _ByLogger[T] = _ByLogger(places)
        self._count = 0

    def get(self, event: Event) -> T | None:
        """Return what is known for an event's logger and level."""
        return self.by_logger[event.logger].get(event.level)

    def is_shared(self, event: Event) -> bool:
        """Tell whether an event's logger shares its thing with others."""
        self.by_logger[event.logger]
        return event.logger not in self.by_logger

    def keep(self, event: Event, thing: T) -> T:
        """Remember ``thing`` for an event's logger and level; a flood of spellings of levels is not remembered."""
        if self._count < _MOST_THINGS:
            self._count += 1
            self.by_logger[event.logger][event.level] = thing
        return thing

    def clear(self) -> None:
        """Forget all."""
        self.by_logger.forget()
        self._count = 0


class _ByLogger(dict[str, dict[int | str, T]]):
    """Logger to its levels; for loggers past the first ones, those of its place."""

    def __init__(self, places: Callable[[str], object]) -> None:
        super().__init__()
        self._place = places
        self.shared: dict[object, dict[int | str, T]] = {}

    def __missing__(self, logger: str) -> dict[int | str, T]:
        if len(self) < _OWN:
            found = self[logger] = {}
            return found
        place = self._place(logger)
        known = self.shared.get(place)
        if known is None:
            known = self.shared[place] = {}
        return known

    def forget(self) -> None:
        """Forget all."""
        self.clear()
        self.shared.clear()


class RowNames:
    """Which loggers have rows of their own in a result: the first 10,000 by name, whatever the order they come in.

    The others share a row for each place of the plan, which bears the name of a logger below that place. When loggers
    lose their rows in favour of others, ``moved`` is called: what was counted for them moves, by asking anew. ``others``
    are marks of the loggers without a row, the same in every process.
    """

    def __init__(self, places: Places, separator: str, moved: Callable[[], None]) -> None:
        self._places, self._separator, self._moved = places, separator, moved
        self._own: set[str] = set()
        self._end: str | None = None
        self._noted: set[int] = set()
        self.others: set[int] = set()

    def of(self, logger: str, shared: str = "") -> str:
        """Return the name of a logger's row; ``shared`` is the one at its place, where that is known."""
        if logger in self._own:
            return logger
        if logger.endswith(FURTHER):
            return logger  # a row's name already
        if self._end is not None and logger >= self._end:
            self._note(logger)
            return shared or self.shared(logger)
        self._own.add(logger)
        if len(self._own) >= 2 * MOST_ROWS:
            self.settle()
            return self.of(logger, shared)
        return logger

    def shared(self, logger: str) -> str:
        """Return the name of the row that the loggers at a logger's place share."""
        place, _ = self._places.of(logger)
        return FURTHER if place == "root" else f"{place}{self._separator}{FURTHER}"

    def settle(self) -> None:
        """Leave no more than 10,000 loggers their own rows."""
        if len(self._own) <= MOST_ROWS:
            return
        names = sorted(self._own)
        self._own, self._end = set(names[:MOST_ROWS]), names[MOST_ROWS]
        for name in names[MOST_ROWS:]:
            self._note(name)
        self._moved()

    def _note(self, logger: str) -> None:
        """Note a logger without a row of its own."""
        own = hash(logger)  # 64 bits, as a mark: of a million names two are alike once in a hundred million times
        if own not in self._noted and len(self.others) <= MOST_COUNTED:
            self._noted.add(own)
            self.others.add(int.from_bytes(blake2b(logger.encode("utf-8", "surrogatepass"), digest_size=8).digest()))

    def add_others(self, marks: Iterable[int]) -> None:
        """Note loggers that had no row of their own elsewhere, by their marks."""
        self.others.update(marks)

    @property
    def further(self) -> int:
        """Return how many loggers share rows; past 1,000,000 that many and one."""
        return min(len(self.others), MOST_COUNTED + 1)
