"""What one appender did in a rehearsal, in sums."""

from __future__ import annotations

from random import Random

from msgspec import Struct, field

from vetrina.rehearsal.outlets.outlet import RenderedEvent

_SAMPLES = 4096


class Lateness:
    """How late deliveries were, in seconds: the longest, and the median of an even sample."""

    __slots__ = ("_chance", "_seen", "kept", "longest")

    def __init__(self) -> None:
        self.kept: list[float] = []
        self.longest = 0.0
        self._seen = 0
        self._chance = Random(1)  # noqa: S311  (a sample that repeats)

    def take(self, seconds: float) -> None:
        """Take one delivery's lateness."""
        self._seen += 1
        self.longest = max(self.longest, seconds)
        if len(self.kept) < _SAMPLES:
            self.kept.append(seconds)
        elif (at := self._chance.randrange(self._seen)) < _SAMPLES:
            self.kept[at] = seconds

    @property
    def median(self) -> float:
        """Return the median, 0 without deliveries."""
        return sorted(self.kept)[len(self.kept) // 2] if self.kept else 0.0


class Sum(Struct):
    """What one appender did: events reached and delivered, in groups; what was lost and how; what waited at the end."""

    reached: int = 0
    delivered: int = 0
    groups: int = 0
    waited: int = 0
    lost: dict[str, int] = field(default_factory=dict)
    late: Lateness = field(default_factory=Lateness)
    failed: dict[str, int] = field(default_factory=dict)

    def lose(self, why: str, parcels: list[RenderedEvent]) -> None:
        """Count events that never arrive."""
        self.count_lost(why, sum(one.times for one in parcels))

    def count_lost(self, why: str, events: int) -> None:
        """Count so many events that never arrive."""
        self.lost[why] = self.lost.get(why, 0) + events
