"""When waiting events are delivered: a buffer's four limits, marks, and what a crash loses.

A buffer decides when and in what groups events arrive. One that arrives more than `age` after the oldest waiting finds
the waiting ones delivered before it, and begins to wait anew; one at or above `at-once` goes along at once.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import Generic, TypeVar

from msgspec import Struct, field

from vetrina.core.plan.model import Buffer

T = TypeVar("T")


class Waiting(Struct, Generic[T]):
    """Events that wait for their delivery, oldest first; without ``limits`` nothing waits."""

    limits: Buffer | None
    parcels: list[T] = field(default_factory=list)
    times: list[datetime] = field(default_factory=list)

    def take(self, time: datetime, severity: int, parcel: T) -> Iterator[list[T]]:
        """Take an event that arrives, and yield the groups that are delivered now."""
        limits = self.limits
        if limits is None:
            yield [parcel]
            return
        if limits.age is not None and self.times and time - self.times[0] > limits.age:
            yield self.release()
        self.parcels.append(parcel)
        self.times.append(time)
        full = limits.events is not None and len(self.parcels) >= limits.events
        if full or (limits.at_once is not None and severity >= limits.at_once):
            yield self.release()

    def release(self) -> list[T]:
        """Return all that wait, and let nothing wait any more: they are delivered, or lost."""
        released, self.parcels, self.times = self.parcels, [], []
        return released

    def put_back(self, parcels: list[T], times: list[datetime]) -> None:
        """Let parcels wait again, before all others: their delivery failed."""
        self.parcels = [*parcels, *self.parcels]
        self.times = [*times, *self.times]
