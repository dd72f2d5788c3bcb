"""What every kind of sink does with deliveries: one small protocol, one module for each kind."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar, Protocol

from msgspec import Struct

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import Event
from vetrina.core.plan.model import Appender, Plan
from vetrina.rehearsal.sandbox import LimitReached, Sandbox

if TYPE_CHECKING:
    from vetrina.rehearsal.client import Client

_PIECE, _BLOCK = 1 << 16, 1 << 20


class RenderedEvent(Struct, gc=False):
    """One event on its way to one sink: the bytes that are written for it, ``times`` times."""

    event: Event
    number: int
    severity: int
    data: bytes
    times: int


class Undelivered(VetrinaError):
    """A delivery failed; the message says how."""


class RehearsalSite(Struct, frozen=True):
    """Where an outlet writes: the plan, the folder, and with --send the post that carries to a receiver."""

    plan: Plan
    folder: str
    sandbox: Sandbox
    post: Client | None = None
    keep_removed: bool = False


class Outlet(Protocol):
    """Writes for one appender. ``arrive`` is asked when an event arrives, ``deliver`` when its group is delivered."""

    def arrive(self, time: datetime, parcel: RenderedEvent) -> None:
        """Take note of an event that will be delivered; a file decides here which file it belongs to."""

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Deliver a group of events in order; raise Undelivered or DiskFull where that fails."""

    def lose(self, group: list[RenderedEvent]) -> None:
        """Forget events that arrived and are not delivered: a crash lost them."""

    def start(self, time: datetime) -> None:
        """Hear that the process started."""

    def finish(self) -> None:
        """End: close what is open."""

    def said(self) -> Iterator[bytes] | None:
        """Yield what stands in the folder, one thing after the other, as ``taken`` gives it; None where that is not read."""

    def count(self) -> int | None:
        """Return how many deliveries stand in the folder, None where that cannot be told of this appender alone."""

    def taken(self, data: bytes) -> bytes:
        """Return what a rendered event must say there: without what the way changes."""


MOST_IN_ONE = 16 << 20  # bytes of one mail or request: it is made whole


def size_of(group: list[RenderedEvent]) -> int:
    """Return a group's bytes."""
    return sum(len(one.data) * one.times for one in group)


def pieces(group: list[RenderedEvent]) -> Iterator[bytes]:
    """Yield a group's bytes in their order; what is written many times comes in pieces of some size."""
    for one in group:
        yield from repeated(one.data, one.times)


def repeated(data: bytes, times: int) -> Iterator[bytes]:
    """Yield bytes so many times, in pieces of some size."""
    together = max(1, _PIECE // max(1, len(data)))
    for begun in range(0, times, together):
        yield data * min(together, times - begun)


def batched(some: Iterable[bytes]) -> Iterator[bytes]:
    """Yield the same bytes joined to blocks of about a megabyte."""
    block: list[bytes] = []
    size = 0
    for one in some:
        block.append(one)
        size += len(one)
        if size >= _BLOCK:
            yield b"".join(block)
            block, size = [], 0
    if block:
        yield b"".join(block)


def whole(group: list[RenderedEvent], what: str) -> bytes:
    """Return a group's bytes; raise LimitReached where they are more than one mail or request is made of."""
    size = size_of(group)
    if size > MOST_IN_ONE:
        raise LimitReached(
            f"{what} of {size:,} bytes, and one is made of at most {MOST_IN_ONE:,}",
            "let the appender's buffer hold fewer events, or lower the count of the events",
        )
    return b"".join(pieces(group))


class BlockOutlet(Protocol):
    """An outlet that takes text many events at once, where nothing waits."""

    def write(self, time: datetime, data: bytes, times: int) -> None:
        """Take an event that waits for nothing."""

    def quick_block(self) -> list[str] | None:
        """Return where texts may be put without asking, before ``quick_until``, None where that may not be now."""

    @property
    def quick_until(self) -> datetime | None:
        """Return the time from which on asking is needed, None where it never is."""

    def settle_block(self, *, write: bool = False) -> int:
        """Take over the texts that were put without asking; return how many there were."""


class NotRead:
    """An outlet whose deliveries are not read back."""

    reads_events: ClassVar[bool] = False

    def said(self) -> Iterator[bytes] | None:
        """Tell nothing."""

    def count(self) -> int | None:
        """Tell nothing."""

    def taken(self, data: bytes) -> bytes:
        """Return all of it."""
        return data


class PlainOutlet(NotRead):
    """An outlet that needs nothing but deliveries."""

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        self.appender, self.place = appender, place

    def arrive(self, time: datetime, parcel: RenderedEvent) -> None:
        """Need nothing."""

    def lose(self, group: list[RenderedEvent]) -> None:
        """Need nothing."""

    def start(self, time: datetime) -> None:
        """Need nothing."""

    def finish(self) -> None:
        """Need nothing."""


def without_breaks(data: bytes) -> bytes:
    """Return bytes without what a mail or a message changes on its way: line ends, and NUL."""
    return b"".join(data.replace(b"\0", "\ufffd".encode()).splitlines())


def numbered(folder: Path, pattern: str) -> list[Path]:
    """Return the files of a folder in the order of their numbers."""
    return sorted(folder.glob(pattern), key=lambda one: (len(one.name), one.name))
