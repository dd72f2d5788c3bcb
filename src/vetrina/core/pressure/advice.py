"""What would do: the slowest drain and the shortest line with which nothing is dropped, held, or later than wished.

Every figure is found by playing the arrivals at the queue through it again.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from vetrina.core.plan.model import Appender
from vetrina.core.plan.rush_policy import UNITS, Drain
from vetrina.core.rush.queue import QueueGate

_ENDLESS = 1 << 60
_MOST_EACH = 10**12


class Played(Struct, frozen=True):
    """A drain, with the longest line and the latest leaving (nanoseconds) that it comes to where nobody is dropped or held."""

    drains: Drain
    longest: int
    late: int


class QueueAdvice(Struct, frozen=True):
    """What would do for one queue: with the drain that it has, and with the slowest one that meets the wish.

    ``slowest`` is None where none does: an event takes its own time to leave, however fast the sink is.
    """

    appender: str
    wished: int
    now: Played | None
    slowest: Played | None


def advise(appender: Appender, arrivals: Sequence[int], late: int) -> QueueAdvice:
    """Return advice for an appender; ``arrivals`` at its queue and the wish, ``late``, are in nanoseconds."""
    now = _played(appender.queue.drains, arrivals) if appender.queue is not None else None
    return QueueAdvice(appender.name, late, now, _slowest(arrivals, late))


def _slowest(arrivals: Sequence[int], late: int) -> Played | None:
    """Return the slowest drain, in whole events an hour, with which nothing leaves later than wished."""
    low, high = 0, 1

    def meets(each_hour: int) -> bool:
        return latest(Drain(each_hour, "hour").step, arrivals) <= late

    while not meets(high):
        low, high = high, high * 2
        if high > _MOST_EACH:
            return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if meets(middle) else (middle, high)
    return _played(_in_largest_unit(high), arrivals)


def _in_largest_unit(each_hour: int) -> Drain:
    """Return so many events an hour in the largest unit that means exactly as long for each."""
    step = UNITS["hour"] // each_hour
    for unit in ("second", "minute"):
        count = each_hour * UNITS[unit] // UNITS["hour"]
        if count and UNITS[unit] // count == step:
            return Drain(count, unit)
    return Drain(each_hour, "hour")


def latest(step: int, arrivals: Sequence[int]) -> int:
    """Return how late the latest event leaves an endless line that takes ``step`` nanoseconds for each."""
    last = longest = 0
    for now in arrivals:
        last = (max(last, now)) + step
        longest = max(longest, last - now)
    return longest


def _played(drains: Drain, arrivals: Sequence[int]) -> Played:
    gate, late = QueueGate(_ENDLESS, drains.step, 0), 0
    for now in arrivals:
        place = gate.ask(0, now)
        late = max(late, place.leaves - now if place is not None else 0)
    return Played(drains, gate.longest, late)
