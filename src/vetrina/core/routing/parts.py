"""A part of all events: those of a logger, of some levels, with some fields."""

from __future__ import annotations

from msgspec import Struct

from vetrina.core.base.events import MISSING, Event, look_up
from vetrina.core.base.levels import LevelRange
from vetrina.core.base.logger_names import below
from vetrina.core.plan.conditions import json_equal


class Part(Struct, frozen=True):
    """Which events to look at: everything given must hold."""

    logger: str = ""
    levels: LevelRange | None = None
    fields: tuple[tuple[str, object], ...] = ()

    def holds(self, event: Event, severity: int, separator: str) -> bool:
        """Tell whether an event belongs to the part."""
        return self.holds_flow(event.logger, severity, separator) and self.holds_fields(event)

    def holds_flow(self, logger: str, severity: int, separator: str) -> bool:
        """Tell whether a logger's events of a severity may belong to the part."""
        if self.logger and not below(logger or "root", self.logger, separator):
            return False
        return self.levels is None or self.levels.holds(severity)

    def holds_fields(self, event: Event) -> bool:
        """Tell whether an event has the part's fields."""
        return all(
            (found := look_up(event.fields, name)) is not MISSING and json_equal(found, value) for name, value in self.fields
        )
