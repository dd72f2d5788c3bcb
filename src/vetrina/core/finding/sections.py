"""Sections between marks: from an event whose message matches one expression to the next that matches another.

Both ends are part of it. An event that matches both ends one section first, then begins another.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from datetime import datetime

from msgspec import Struct

from vetrina.core.base.events import filled
from vetrina.core.base.expressions import Expression
from vetrina.core.finding.entry import Entry

Spot = tuple[datetime, int, int] | tuple[int, int]
"""Where an entry stands in the order that is shown: equal for none, greater for what comes later."""


def spot(entry: Entry, *, as_is: bool) -> Spot:
    """Return where an entry stands by time, or ``as_is``."""
    return (entry.source, entry.at) if as_is else (entry.clock, entry.source, entry.at)


class Sections(Struct, frozen=True):
    """Sections in order, from their first spots to their last ones; the last is ``open`` where its end was not met."""

    firsts: tuple[Spot, ...]
    lasts: tuple[Spot, ...]
    open: Entry | None
    as_is: bool

    def holds(self, entry: Entry) -> bool:
        """Tell whether an entry is part of one."""
        here = spot(entry, as_is=self.as_is)
        at = bisect_right(self.firsts, here) - 1
        if at < 0:
            return False
        return at == len(self.lasts) or here <= self.lasts[at] or (at > 0 and here == self.lasts[at - 1])


def sections_of(entries: Iterable[Entry], begin: Expression, end: Expression, *, as_is: bool) -> Sections:
    """Return the sections of all entries, in the order that is shown."""
    firsts: list[Spot] = []
    lasts: list[Spot] = []
    opened: Entry | None = None
    for entry in entries:
        text = filled(entry.event)
        if opened is not None and end.found_in(text):
            lasts.append(spot(entry, as_is=as_is))
            opened = None
        if opened is None and begin.found_in(text):
            firsts.append(spot(entry, as_is=as_is))
            opened = entry
    return Sections(tuple(firsts), tuple(lasts), opened, as_is)
