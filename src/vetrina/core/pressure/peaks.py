"""The busiest second, minute and hour of a stream whose clock never runs back, and its course along time."""

from __future__ import annotations

from msgspec import Struct, field

_LENGTHS = {"second": 1, "minute": 60, "hour": 3600}
_MOST_STRETCHES = 2048


class Busiest(Struct):
    """A stretch of time, in whole seconds since 1970, with the events and bytes that arrived in it."""

    at: int
    events: int
    bytes: int


class Peaks:
    """Whole seconds, minutes and hours (UTC) with their arrivals: of each the one with most events, the earliest of equals."""

    def __init__(self) -> None:
        self._now: dict[str, Busiest] = {}
        self._best: dict[str, Busiest] = {}
        self._second = Busiest(0, 0, 0)

    def take(self, second: int, events: int, size: int) -> None:
        """Take arrivals of a second; seconds never run back."""
        here = self._second
        if here.at != second:
            self._settle()
            here = self._second = Busiest(second, 0, 0)
        here.events += events
        here.bytes += size

    def _settle(self) -> None:
        """Count the second that is over."""
        over = self._second
        if not over.events:
            return
        for name, length in _LENGTHS.items():
            begun, now = over.at - over.at % length, self._now.get(name)
            if now is None or now.at != begun:
                now = self._now[name] = Busiest(begun, 0, 0)
            now.events += over.events
            now.bytes += over.bytes
            best = self._best.get(name)
            if best is None or now.events > best.events:
                self._best[name] = now

    def result(self) -> dict[str, Busiest]:
        """Return the busiest second, minute and hour; nothing where nothing arrived. Nothing is taken afterwards."""
        self._settle()
        self._second = Busiest(0, 0, 0)
        return self._best


class Stretch(Struct):
    """What happened within a stretch of time: arrivals, stops by gate, the longest line, the latest leaving in nanoseconds."""

    arrived: int = 0
    stopped: dict[str, int] = field(default_factory=dict)
    longest: int = 0
    late: int = 0

    def add(self, other: Stretch) -> None:
        """Take another stretch in."""
        self.arrived += other.arrived
        self.longest, self.late = max(self.longest, other.longest), max(self.late, other.late)
        for gate, count in other.stopped.items():
            self.stopped[gate] = self.stopped.get(gate, 0) + count


class Course:
    """Stretches of equal length along time, in seconds: a second each, doubled as often as there would be more than 2,048."""

    def __init__(self) -> None:
        self.length = 1
        self.stretches: dict[int, Stretch] = {}

    def at(self, second: int) -> Stretch:
        """Return the stretch that a second lies in."""
        found = self.stretches.get(second // self.length)
        if found is None:
            found = self.stretches[second // self.length] = Stretch()
            while len(self.stretches) > _MOST_STRETCHES:
                self._double()
            return self.stretches[second // self.length]
        return found

    def span(self) -> int:
        """Return how many stretches lie from the first to the last."""
        return max(self.stretches) - min(self.stretches) + 1 if self.stretches else 0

    def coarser(self, length: int) -> Course:
        """Return the same course in stretches of a length that is this one's, doubled some times."""
        found = Course()
        found.length, found.stretches = self.length, dict(self.stretches)
        while found.length < length:
            found._double()
        return found

    def _double(self) -> None:
        self.length *= 2
        joined: dict[int, Stretch] = {}
        for at, one in self.stretches.items():
            joined.setdefault(at // 2, Stretch()).add(one)
        self.stretches = joined
