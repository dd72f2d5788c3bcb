"""Messages as written that come again and again, each once with how often, first and last."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from msgspec import Struct

from vetrina.core.base.levels import Scale, Severities
from vetrina.core.finding.entry import Entry


class Folded(Struct):
    """A message as written, by its logger and level: how many events, from when to when, the first of them."""

    severity: int
    logger: str
    message: str
    first: datetime
    last: datetime
    entry: Entry
    events: int = 0


def folded(entries: Iterable[Entry], scale: Scale) -> list[Folded]:
    """Return the messages of entries, in the order in which each comes first; `count` weighs."""
    severities = Severities(scale)
    found: dict[tuple[int, str, str], Folded] = {}
    for entry in entries:
        event = entry.event
        severity = severities[event.level]
        key = (severity, event.logger, event.message)
        one = found.get(key)
        if one is None:
            one = found[key] = Folded(severity, event.logger, event.message, event.time, event.time, entry)
        one.events += event.count or 1
        one.first, one.last = min(one.first, event.time), max(one.last, event.time)
    return list(found.values())
