"""What a plan says of the rush hour: channels that are brought in, limits, recalls, queues.

Here: the typed policies. Not here: what they decide (core/rush/).
"""

from __future__ import annotations

from datetime import timedelta

from msgspec import Struct

from vetrina.core.base.levels import Scale
from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.base.quantities import exact_span
from vetrina.core.base.wording import counted
from vetrina.core.plan.model import Waiver

SECOND = 1_000_000_000
UNITS = {"second": SECOND, "minute": 60 * SECOND, "hour": 3600 * SECOND}
"""How many nanoseconds a unit of a drain has."""
SAME_WORDS = ("logger", "level", "message", "text", "thread", "channel")
"""What events may be told apart by, beside `field NAME`."""


class Channel(Struct, frozen=True):
    """A channel that the plan names: while ``enabled``, its events count as ones of ``logger`` at ``level`` (None: their own)."""

    name: str
    origin: Origin
    logger: Sourced[str] | None = None
    level: Sourced[int] | None = None
    enabled: Sourced[bool] = Sourced(value=True)
    waivers: tuple[Waiver, ...] = ()


class Limit(Struct, frozen=True):
    """At most ``events`` that are alike in ``same`` within ``per``."""

    events: int
    per: timedelta
    same: tuple[str, ...]
    origin: Origin

    def terms(self) -> dict[str, str]:
        """Return what it says, key by key, as it could be written."""
        return _terms("limit", {"events": str(self.events), "per": exact_span(self.per)}, self.same)

    def words(self) -> str:
        """Return it for people, as `5 events per 1 minute of the same logger`."""
        return f"{counted(self.events, 'event')} per {exact_span(self.per)}{same_words(self.same)}"


class Recall(Struct, frozen=True):
    """The last ``events`` below ``below`` that are alike in ``same`` are remembered, and written before one from ``at`` on."""

    events: int
    below: int
    at: int
    same: tuple[str, ...]
    origin: Origin

    def terms(self, scale: Scale) -> dict[str, str]:
        """Return what it says, key by key, as it could be written."""
        own = {"events": str(self.events), "below": scale.name(self.below), "at": scale.name(self.at)}
        return _terms("recall", own, self.same)

    def words(self, scale: Scale) -> str:
        """Return it for people."""
        below, at = scale.name(self.below), scale.name(self.at)
        return f"the last {counted(self.events, 'event')} below {below}{same_words(self.same)}, before one at {at} or above"


class Drain(Struct, frozen=True):
    """How fast a sink takes events: ``count`` each ``unit``."""

    count: int
    unit: str

    @property
    def step(self) -> int:
        """Return the nanoseconds that each event takes, rounded down."""
        return UNITS[self.unit] // self.count

    def __str__(self) -> str:
        """Return it as it is written."""
        return f"{self.count}/{self.unit}"


class Full(Struct, frozen=True):
    """What happens while a line is full: events of ``waits_from`` on are held, those below are dropped; None drops all."""

    waits_from: int | None

    def words(self, scale: Scale) -> str:
        """Return it as it could be written."""
        if self.waits_from is None:
            return "drop"
        return f"drop-below {scale.name(self.waits_from)}" if self.waits_from > 0 else "wait"


class Queue(Struct, frozen=True):
    """A line of at most ``events`` before a sink that takes as many as ``drains`` says."""

    events: int
    drains: Drain
    full: Full
    origin: Origin

    def terms(self, scale: Scale) -> dict[str, str]:
        """Return what it says, key by key, as it could be written."""
        return {"queue.events": str(self.events), "queue.drains": str(self.drains), "queue.full": self.full.words(scale)}

    def words(self, scale: Scale) -> str:
        """Return it for people."""
        return f"{counted(self.events, 'event')}, drained {self.drains}, when full: {self.full.words(scale)}"


def same_words(same: tuple[str, ...]) -> str:
    """Return what events are told apart by, as the end of a phrase; nothing where all share one key."""
    if not same:
        return ""
    words = [f'field "{one.partition(" ")[2]}"' if " " in one else one for one in same]
    return " of the same " + (words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}")


def _terms(name: str, own: dict[str, str], same: tuple[str, ...]) -> dict[str, str]:
    found = {f"{name}.{key}": text for key, text in own.items()}
    return found | ({f"{name}.same": ", ".join(same)} if same else {})
