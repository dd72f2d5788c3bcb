"""Journeys: the events that share one value, across sources."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.events import MISSING, Event, filled, look_up, text_of
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.finding.entry import Entry

GROUP = "it"
MOST = 1_000_000
_LONGEST = 2000


class Shared(Struct, frozen=True):
    """Where the value stands that the events of a journey share: in a field, else in the filled message."""

    field: str = ""
    expression: Expression | None = None

    def value(self, event: Event) -> str | None:
        """Return the value as text, None where an event has none."""
        if self.field:
            found = look_up(event.fields, self.field)
            if found is not MISSING:
                return text_of(found)
        if self.expression is not None:
            match = self.expression.search(filled(event))
            if match is not None:
                return match.group(GROUP)  # type: ignore[no-any-return]
        return None


class Gap(Struct, frozen=True):
    """The longest time between two events of a journey that follow one another, and their messages."""

    seconds: float
    after: str
    before: str


class Journey(Struct):
    """The events that share a value: how many, in which sources, from when to when, how grave the worst is."""

    value: str
    first: datetime
    last: datetime
    worst: int
    events: int = 0
    sources: list[int] = []
    gap: Gap | None = None
    text: str = ""

    @property
    def seconds(self) -> float:
        """How long it took."""
        return (self.last - self.first).total_seconds()

    def add(self, entry: Entry, severity: int) -> None:
        """Take one more event."""
        text = filled(entry.event)
        text = text if len(text) <= _LONGEST else text[:_LONGEST] + "…"
        if self.events:
            seconds = (entry.clock - self.last).total_seconds()
            if self.gap is None or seconds > self.gap.seconds:
                self.gap = Gap(seconds, self.text, text)
        self.events += entry.event.count or 1
        self.worst = max(self.worst, severity)
        self.last, self.text = entry.clock, text
        if entry.source not in self.sources:
            self.sources.append(entry.source)


def journeys(entries: Iterable[Entry], shared: Callable[[Event], str | None], scale: Scale) -> list[Journey]:
    """Return the journeys of entries in the order of time, the slowest first.

    Raises:
        NotUnderstood: Where there are more than a million of them.
    """
    severities = Severities(scale)
    found: dict[str, Journey] = {}
    for entry in entries:
        value = shared(entry.event)
        if value is None:
            continue
        severity = severities[entry.event.level]
        journey = found.get(value)
        if journey is None:
            if len(found) >= MOST:
                raise NotUnderstood(f"there are more than {MOST:,} journeys")
            journey = found[value] = Journey(value, entry.clock, entry.clock, severity)
        journey.add(entry, severity)
    return sorted(found.values(), key=lambda one: (-one.seconds, one.first))
