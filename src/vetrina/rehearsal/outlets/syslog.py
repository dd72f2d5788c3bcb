"""Syslog: datagrams by RFC 5424, framed by octet counts (RFC 6587) on streams and in the captured file."""

from __future__ import annotations

import os
from collections.abc import Iterator
from datetime import datetime
from itertools import repeat
from pathlib import Path
from typing import IO

from vetrina.core.plan.model import Appender
from vetrina.rehearsal.outlets.outlet import PlainOutlet, RehearsalSite, RenderedEvent, batched, without_breaks
from vetrina.rehearsal.sandbox import as_part


class Syslog(PlainOutlet):
    """Sends each event as one message; a group is sent in one go."""

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        super().__init__(appender, place)
        self.transport = appender.sink.text("transport", "udp")
        self._file: IO[bytes] | None = None

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Send, or write frames to the captured file."""
        del time
        messages = (data for one in group for data in repeat(one.data, one.times))
        size = sum(len(frame(one.data)) * one.times for one in group)
        if self.place.post is not None:
            self.place.sandbox.foresee(size)
            self.place.sandbox.send(sum(one.times for one in group))
            self.place.post.syslog(self.appender, self.transport, messages)
            return
        self.place.sandbox.take(size)
        if self._file is None:
            target = self.place.sandbox.own("syslog", f"{as_part(self.appender.name)}.{self.transport}")
            self._file = os.fdopen(self.place.sandbox.open(target), "wb", buffering=1 << 16)
        for data in batched(frame(one) for one in messages):
            self._file.write(data)

    def finish(self) -> None:
        """Close the captured file."""
        if self._file is not None:
            self._file.close()

    def said(self) -> Iterator[bytes]:
        """Yield the messages."""
        path = self._kept()
        for message in unframed(path.read_bytes()) if path.exists() else ():
            yield without_breaks(message)

    def count(self) -> int:
        """Return how many messages there are."""
        path = self._kept()
        return len(unframed(path.read_bytes())) if path.exists() else 0

    def _kept(self) -> Path:
        return self.place.sandbox.folder / "syslog" / f"{as_part(self.appender.name)}.{self.transport}"

    def taken(self, data: bytes) -> bytes:
        """Return an event's text as a message carries it."""
        return without_breaks(data)


def frame(message: bytes) -> bytes:
    """Return a message with its octet count before it, as RFC 6587 has it."""
    return b"%d %b" % (len(message), message)


def unframed(data: bytes) -> list[bytes]:
    """Return the messages of octet-counted frames; raise ValueError where the counts do not fit."""
    found, at = [], 0
    while at < len(data):
        blank = data.index(b" ", at)
        size = int(data[at:blank])
        found.append(data[blank + 1 : blank + 1 + size])
        if len(found[-1]) != size:
            message = "the last frame is cut off"
            raise ValueError(message)
        at = blank + 1 + size
    return found


OUTLET = Syslog
