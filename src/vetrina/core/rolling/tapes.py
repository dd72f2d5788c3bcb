"""What reaches one file, in order: taken down first, then played into a simulation many writes at once.

A tape that travels between processes has its times as whole microseconds since 1970.
"""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right
from datetime import UTC, datetime, timedelta
from itertools import accumulate
from typing import Any

from msgspec import Struct, field

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)


class Tape(Struct):
    """Writes: their times and sizes, and where it is packed their content; ``odd`` are (place, times) of those written not once.

    ``starts`` are (place, time) of the marks `start` before the write at that place; ``clocks`` and ``start_clocks`` the latest
    time of all events so far at each write and start, where somebody asks for it. ``packed`` tells that the times travel.
    """

    times: Any = field(default_factory=list)
    sizes: Any = field(default_factory=list)
    data: list[bytes] = field(default_factory=list)
    odd: list[tuple[int, int]] = field(default_factory=list)
    starts: list[tuple[int, datetime]] = field(default_factory=list)
    clocks: list[datetime] = field(default_factory=list)
    start_clocks: list[datetime] = field(default_factory=list)
    packed: bool = False

    def extend(self, other: Tape) -> None:
        """Add what another tape has to this one, which travels."""
        begun = len(self.sizes)
        self.times.extend(other.times if other.packed else [(time - _EPOCH) // _MICROSECOND for time in other.times])
        self.sizes.extend(other.sizes)
        self.data += other.data
        self.odd += [(begun + at, count) for at, count in other.odd]
        self.starts += [(begun + at, time) for at, time in other.starts]
        self.clocks += other.clocks
        self.start_clocks += other.start_clocks

    def time(self, value: Any) -> datetime:
        """Return the instant of a time of the tape."""
        return _EPOCH + timedelta(microseconds=value) if self.packed else value

    def key(self, time: datetime) -> Any:
        """Return an instant as the tape's times are."""
        return (time - _EPOCH) // _MICROSECOND if self.packed else time

    def content(self, at: int) -> bytes:
        """Return the content of a write, nothing where it is not asked for."""
        return self.data[at] if self.data else b""

    def stops(self) -> list[tuple[int, datetime | int]]:
        """Return the places at which something else happens than one write: a start (its time), a write of so many times."""
        both: list[tuple[int, datetime | int]] = [*self.starts, *self.odd]
        return sorted(both, key=lambda one: (one[0], isinstance(one[1], int)))


def travelling_tape() -> Tape:
    """Return an empty tape of the form that travels."""
    return Tape(array("q"), array("q"), packed=True)


class TapeReader:
    """A tape that is read, with what makes that quick: running sums of sizes, and the latest times so far."""

    def __init__(self, tape: Tape) -> None:
        self.tape = tape
        self._sums = list(accumulate(tape.sizes, initial=0))
        self._latest: list[Any] | None = None

    def until(self, at: int, end: int, limit: datetime, room: int) -> int:
        """Return the place of the first write from ``at`` on that is not before ``limit`` or for which there is no ``room``."""
        sums, times = self._sums, self.tape.times
        end = max(at, bisect_right(sums, sums[at] + room, at, end + 1) - 1)
        key = self.tape.key(limit)
        if at < end and max(times[at:end]) >= key:
            if self._latest is None:
                self._latest = list(accumulate(times, max))
            end = bisect_left(self._latest, key, at, end)
        return end

    def bytes(self, at: int, end: int) -> int:
        """Return the sizes of some writes, all together."""
        total: int = self._sums[end] - self._sums[at]
        return total

    def span(self, at: int, end: int) -> tuple[datetime, datetime]:
        """Return the least and the greatest time of some writes."""
        some = self.tape.times[at:end]
        return self.tape.time(min(some)), self.tape.time(max(some))
