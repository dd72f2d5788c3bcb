"""What every kind of sink does with deliveries: one small protocol, one module for each kind."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Protocol

from msgspec import Struct

from vetrina.core.events import Event
from vetrina.core.plan import Appender, Plan
from vetrina.sinks.sandbox import Sandbox

if TYPE_CHECKING:
    from vetrina.sinks.posting import Post


class Parcel(Struct, gc=False):
    """One event on its way to one sink: the bytes that are written for it, ``times`` times."""

    event: Event
    number: int
    severity: int
    data: bytes
    times: int


class Undelivered(Exception):
    """A delivery failed; the message says how."""


class Place(Struct, frozen=True):
    """Where an outlet writes: the plan, the folder, and with --send the post that carries to a receiver."""

    plan: Plan
    folder: str
    sandbox: Sandbox
    post: Post | None = None
    keep_removed: bool = False


class Outlet(Protocol):
    """Writes for one appender. ``arrive`` is asked when an event arrives, ``deliver`` when its group is delivered."""

    def arrive(self, time: datetime, parcel: Parcel) -> None:
        """Take note of an event that will be delivered; a file decides here which file it belongs to."""

    def deliver(self, time: datetime, group: list[Parcel]) -> None:
        """Deliver a group of events in order; raise Undelivered or DiskFull where that fails."""

    def lose(self, group: list[Parcel]) -> None:
        """Forget events that arrived and are not delivered: a crash lost them."""

    def start(self, time: datetime) -> None:
        """Hear that the process started."""

    def finish(self) -> None:
        """End: close what is open."""


class PlainOutlet:
    """An outlet that needs nothing but deliveries."""

    def __init__(self, appender: Appender, place: Place) -> None:
        self.appender, self.place = appender, place

    def arrive(self, time: datetime, parcel: Parcel) -> None:
        """Need nothing."""

    def lose(self, group: list[Parcel]) -> None:
        """Need nothing."""

    def start(self, time: datetime) -> None:
        """Need nothing."""

    def finish(self) -> None:
        """Need nothing."""
