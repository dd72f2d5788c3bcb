"""Something for each logger and level: found once, and looked up for every event after."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Generic, TypeVar

from vetrina.core.events import Event

T = TypeVar("T")


class Flows(Generic[T]):
    """What was found for (logger, level as written).

    Inner loops ask ``by_logger[event.logger][event.level]``, which raises KeyError for what is not known yet: two plain
    look-ups are quicker than one of a pair.
    """

    __slots__ = ("_count", "_most", "by_logger")

    def __init__(self, most: int | None = None) -> None:
        """Keep at most so many, all where None is given."""
        self.by_logger: dict[str, dict[int | str, T]] = {}
        self._most = most
        self._count = 0

    def get(self, event: Event) -> T | None:
        """Return what is known for an event's logger and level."""
        levels = self.by_logger.get(event.logger)
        return levels.get(event.level) if levels is not None else None

    def keep(self, event: Event, thing: T) -> T:
        """Remember ``thing`` for an event's logger and level, unless there are too many."""
        if self._most is None or self._count < self._most:
            levels = self.by_logger.setdefault(event.logger, {})
            self._count += event.level not in levels
            levels[event.level] = thing
        return thing

    def clear(self) -> None:
        """Forget all."""
        self.by_logger.clear()
        self._count = 0

    def __iter__(self) -> Iterator[T]:
        """Yield all, by logger."""
        for levels in self.by_logger.values():
            yield from levels.values()
