"""How late events were: exact median and 95 percent by nearest rank, weighed by what each stands for."""

from __future__ import annotations

from array import array

from msgspec import Struct


class Lateness(Struct, frozen=True):
    """The median, the 95th of a hundred, and the longest, in nanoseconds."""

    median: int
    p95: int
    longest: int


class Latenesses:
    """Takes lateness in nanoseconds, eight bytes an event."""

    def __init__(self) -> None:
        self._values = array("q")
        self._weights: dict[int, int] = {}

    def take(self, nanoseconds: int, weight: int) -> None:
        """Take one event that stands for ``weight``."""
        if weight != 1:
            self._weights[len(self._values)] = weight
        self._values.append(nanoseconds)

    def result(self) -> Lateness | None:
        """Return the three figures, None without any event."""
        if not self._values:
            return None
        weights = self._weights
        order = sorted(range(len(self._values)), key=self._values.__getitem__) if weights else None
        ordered = sorted(self._values) if order is None else [self._values[at] for at in order]
        whole = len(ordered) + sum(weights.values()) - len(weights)
        wanted = [-(-whole // 2), -(-whole * 95 // 100)]
        if order is None:
            median, p95 = (ordered[rank - 1] for rank in wanted)
        else:
            found: list[int] = []
            passed = 0
            for at, value in zip(order, ordered, strict=True):
                passed += weights.get(at, 1)
                while len(found) < len(wanted) and passed >= wanted[len(found)]:
                    found.append(value)
            median, p95 = found
        return Lateness(median, p95, ordered[-1])
