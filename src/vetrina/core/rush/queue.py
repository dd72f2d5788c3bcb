"""A line before a slow sink: events wait, and it takes one after the other."""

from __future__ import annotations

from collections import deque
from typing import NamedTuple


class Place(NamedTuple):
    """An event's place in the line, in nanoseconds: when it joined (later than its arrival where it was held) and when it leaves."""

    joined: int
    leaves: int


class QueueGate:
    """A line of at most ``events``, of which the sink takes one every ``step`` nanoseconds.

    When it is full, events of ``waits_from`` on are held until there is room, those below it are dropped; None drops all.
    ``longest`` is the longest line so far, ``held`` for how many nanoseconds at least one event was held.
    """

    def __init__(self, events: int, step: int, waits_from: int | None) -> None:
        self._events, self._step, self._waits_from = events, step, waits_from
        self._line: deque[int] = deque()
        self._last = 0
        self._held_until = 0
        self.longest = 0
        self.held = 0

    @property
    def line(self) -> int:
        """Return how many stand in line since the event that came last."""
        return min(len(self._line), self._events)

    def ask(self, severity: int, now: int) -> Place | None:
        """Return the place of an event that arrives, None for one that is dropped; ``now`` never runs back.

        One that leaves at exactly the arrival of another has left.
        """
        line = self._line
        while line and line[0] <= now:
            line.popleft()
        joined = now
        if len(line) >= self._events:
            if self._waits_from is None or severity < self._waits_from:
                return None
            joined = line[len(line) - self._events]
            self.held += joined - max(now, self._held_until)
            self._held_until = joined
        leaves = max(joined, self._last) + self._step
        line.append(leaves)
        self._last = leaves
        self.longest = max(self.longest, min(len(line), self._events))
        return Place(joined, leaves)
