"""When hits were, by source and level, in steps of time that grow with what they span, so that memory stays bounded."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime, timedelta

from vetrina.core.base.levels import Scale, Severities
from vetrina.core.finding.entry import Entry

MOST_STEPS = 2000
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_SECOND = timedelta(seconds=1)
_STEPS = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 21600, 43200, 86400)


class Moments:
    """Counts hits by (source, severity, step of time); ``step`` is how many seconds one has."""

    def __init__(self, scale: Scale) -> None:
        self._severities = Severities(scale)
        self._counts: Counter[tuple[int, int, int]] = Counter()
        self._least = self._most = 0
        self.step = 1

    def watched(self, entries: Iterable[Entry]) -> Iterator[Entry]:
        """Yield entries, and count the hits among them."""
        for entry in entries:
            if entry.hit:
                self._add(entry)
            yield entry

    def _add(self, entry: Entry) -> None:
        event = entry.event
        second = (event.time - _EPOCH) // _SECOND
        if not self._counts:
            self._least = self._most = second
        self._least, self._most = min(self._least, second), max(self._most, second)
        while (self._most - self._least) // self.step >= MOST_STEPS:
            self._coarsen()
        key = (entry.source, self._severities[event.level], second // self.step)
        self._counts[key] += event.count or 1

    def _coarsen(self) -> None:
        """Take longer steps: the next of the usual ones, at last twice as long ones. Each holds whole ones of those before."""
        longer = next((one for one in _STEPS if one > self.step and one % self.step == 0), self.step * 2)
        counts: Counter[tuple[int, int, int]] = Counter()
        for (source, severity, at), count in self._counts.items():
            counts[source, severity, at * self.step // longer] += count
        self._counts, self.step = counts, longer

    def counts(self) -> dict[tuple[int, int, int], int]:
        """Return the events by source, severity and step, counted from 1970."""
        return dict(self._counts)

    def span(self) -> tuple[datetime, datetime] | None:
        """Return the first and the last second in which there are hits, None where there are none."""
        if not self._counts:
            return None
        return _EPOCH + self._least * _SECOND, _EPOCH + self._most * _SECOND
