"""An event where it stands: in which source, on which line."""

from __future__ import annotations

from datetime import datetime

from msgspec import Struct

from vetrina.core.base.events import Event


class Entry(Struct, gc=False):
    """An event of a source.

    Attributes:
        event: The event.
        source: The number of its source among those of the call, from 0.
        line: The number of its first line there, from 1.
        clock: The latest time so far in its source: its own, unless the source's times run back.
        at: Its number among the events of its source, from 0.
        hit: Whether it meets all conditions; else it is shown for its neighbour's sake.
        raw: Its own bytes with all its lines, where those are wanted.
    """

    event: Event
    source: int
    line: int
    clock: datetime
    at: int = 0
    hit: bool = True
    raw: bytes = b""
