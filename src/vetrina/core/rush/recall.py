"""The last so many before an error: what is below a level is remembered, and written only where an error follows."""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Iterator
from typing import Generic, NamedTuple, TypeVar

from vetrina.core.rush.keys import Key

MOST_KEYS = 10_000
T = TypeVar("T")


class Fates(NamedTuple, Generic[T]):
    """What an event decides: what is written now, in order, and what is stopped, the oldest first."""

    written: tuple[T, ...] = ()
    stopped: tuple[T, ...] = ()


class RecallGate(Generic[T]):
    """Remembers, for each key, the last ``events`` things below ``below``; one at or above ``at`` recalls them.

    At most 10,000 keys are remembered: the one whose last remembered thing is oldest gives way.
    """

    def __init__(self, events: int, below: int, at: int) -> None:
        self._events, self._below, self._at = events, below, at
        self._kept: OrderedDict[Key, deque[T]] = OrderedDict()

    def ask(self, key: Key, severity: int, thing: T) -> Fates[T]:
        """Take a thing of a severity: it is written, with what it recalls before it, or remembered."""
        if severity >= self._below:
            recalled = tuple(self._kept.pop(key, ())) if severity >= self._at else ()
            return Fates((*recalled, thing))
        kept = self._kept.get(key)
        if kept is None:
            kept = self._kept[key] = deque()
        self._kept.move_to_end(key)
        kept.append(thing)
        stopped = (kept.popleft(),) if len(kept) > self._events else ()
        if len(self._kept) > MOST_KEYS:
            _, given_way = self._kept.popitem(last=False)
            stopped = (*stopped, *given_way)
        return Fates((), stopped)

    def remembered(self, key: Key) -> int:
        """Return how many things of a key are remembered."""
        return len(self._kept.get(key, ()))

    def left(self) -> Iterator[T]:
        """Yield what is remembered at the end, key by key: it is stopped."""
        for kept in self._kept.values():
            yield from kept
        self._kept.clear()
