"""Which bytes of a large log hold the times that are asked for: found by halves, where its times run forward."""

from __future__ import annotations

import io
from collections.abc import Iterator
from datetime import datetime
from typing import IO, cast

from msgspec import Struct

from vetrina.core.base.levels import Scale
from vetrina.formats.candidates import again_from, lines_in
from vetrina.formats.inputs import open_raw
from vetrina.formats.opening import only_once
from vetrina.formats.pieces import Range
from vetrina.formats.sources import Source, SourceReader

PAYS_FROM = 16 << 20
"""Bytes of a file from which on it is worth looking where its times stand."""
PLACES = 64
_LOOK = 1 << 14
_NEAR = 1 << 16
_MARGIN = 1 << 20


class Span(Struct, frozen=True):
    """The bytes of a file that are read, since its times ran forward at so many ``places``."""

    part: Range
    places: int

    def lines_before(self) -> int:
        """Return how many lines stand before it: they are counted, and not read otherwise."""
        return lines_in(again_from(self.part.file.path, 0)(0, self.part.start))


def span_of(source: Source, scale: Scale, since: datetime | None, until: datetime | None) -> Span | None:
    """Return what of a source need be read for the events from ``since`` on and before ``until``.

    None where all of it must be: it is small, packed, or its times have no date, or do not run forward where it was looked at.
    """
    path = source.file.path
    if (since is None and until is None) or not source.grows or only_once(path) or source.file.size < PAYS_FROM:
        return None
    if source.layout is not None and not source.layout.apart:
        return None
    with open_raw(path) as raw:
        whole = raw.seek(0, io.SEEK_END)
        times = _Times(source, scale, raw, whole)
        if not times.run_forward():
            return None
        start = 0 if since is None else max(0, times.last_before(since) - _MARGIN)
        end = whole if until is None else min(whole, times.first_from(until) + _MARGIN)
        if start == 0 and end == whole:
            return None
        start, end = times.begun(start) if start else 0, times.begun(end) if end < whole else whole
    return Span(Range(source.file, start, end, whole), PLACES) if start < end else None


class _Times:
    """The times of events at places of a file."""

    def __init__(self, source: Source, scale: Scale, raw: IO[bytes], whole: int) -> None:
        self._reader = SourceReader(source, 0, scale)
        self._raw, self._whole = raw, whole
        self._begins = self._reader.begins

    def run_forward(self) -> bool:
        """Tell whether times run forward at places spread over the file, and from one to the next."""
        before: datetime | None = None
        for at in range(PLACES):
            for time in self._from(self._whole * at // PLACES, _LOOK):
                if before is not None and time < before:
                    return False
                before = time
        return before is not None

    def last_before(self, time: datetime) -> int:
        """Return a place before which there are only earlier times than this one."""
        low, high = 0, self._whole
        while high - low > _NEAR:
            middle = (low + high) // 2
            found = next(self._from(middle, _NEAR), None)
            low, high = (low, middle) if found is None or found >= time else (middle, high)
        return low

    def first_from(self, time: datetime) -> int:
        """Return a place from which on there are only this time and later ones."""
        low, high = 0, self._whole
        while high - low > _NEAR:
            middle = (low + high) // 2
            found = next(self._from(middle, _NEAR), None)
            low, high = (middle, high) if found is not None and found < time else (low, middle)
        return high

    def _from(self, place: int, size: int) -> Iterator[datetime]:
        """Yield the times of events that begin after a place."""
        begun = self.begun(place)
        self._raw.seek(begun)
        data = self._raw.read(size)
        cut = data.rfind(b"\n") + 1
        for entry in self._reader.entries_of(cast(IO[bytes], io.BytesIO(data[:cut]))):
            yield entry.event.time

    def begun(self, place: int) -> int:
        """Return where the first record begins from a place on, the file's end where none does."""
        if place == 0:
            return 0
        self._raw.seek(place - 1)
        line = self._raw.readline(_FAR)
        at = place - 1 + len(line)
        while line := self._raw.readline(_FAR):
            if self._begins(line.removesuffix(b"\n")):
                return at
            at += len(line)
        return self._whole


_FAR = 1 << 24
