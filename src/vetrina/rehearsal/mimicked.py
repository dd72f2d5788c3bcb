"""A process that is mimicked: events through a plan whose levels can be read and changed while they come.

Here: the levels, the marks, the events. Not here: who asks (mimic_server.py), when events are due (the caller).
"""

from __future__ import annotations

import threading
from collections.abc import Iterable, Sequence
from datetime import datetime

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.logger_names import ROOT, tree_name
from vetrina.core.plan.live_levels import with_levels
from vetrina.core.plan.loggers import Tree
from vetrina.core.plan.model import Plan
from vetrina.core.routing.router import Router
from vetrina.rehearsal.rehearsal import Rehearsal

MARK_LOGGER = "mark"


class LoggerLevels(Struct):
    """A logger's own level, null where it inherits, and the one in effect."""

    name: str
    level: str | None
    effective: str


class Mimicked:
    """A process at work; every call may come from another thread."""

    def __init__(self, rehearsal: Rehearsal, loggers: Iterable[str]) -> None:
        self._rehearsal = rehearsal
        self._planned: Plan = rehearsal.router.plan
        self._set: dict[str, int | None] = {}
        self._lock = threading.Lock()
        self._tree = Tree(self._planned)
        self._known = {ROOT, *self._tree.entries, *map(tree_name, loggers)}
        self.changes = self.marks = 0

    def knows(self, logger: str) -> bool:
        """Tell whether there is such a logger: one of the plan's or of the events'."""
        return logger in self._known

    def levels(self) -> list[LoggerLevels]:
        """Return all loggers by name, root first."""
        with self._lock:
            return [self._of(name) for name in sorted(self._known, key=lambda one: (one != ROOT, one))]

    def level(self, logger: str) -> LoggerLevels:
        """Return one logger that is known."""
        with self._lock:
            return self._of(logger)

    def _of(self, logger: str) -> LoggerLevels:
        standing, name = self._tree.standing(logger), self._planned.scale.name
        own = None if standing.entry is None or standing.entry.level is None else name(standing.entry.level.value)
        return LoggerLevels(logger, own, name(standing.severity))

    def change(self, logger: str, level: int | None) -> None:
        """Set a logger's level, or take it away; the next event goes by it."""
        with self._lock:
            self._set[logger] = level
            plan = with_levels(self._planned, self._set)
            self._tree = Tree(plan)
            self._rehearsal.reroute(Router(plan))
            self.changes += 1

    def severity(self, text: str) -> int | None:
        """Return the severity of a level's name, None for one that is not known."""
        return self._planned.scale.threshold(text)

    def mark(self, text: str, now: datetime) -> None:
        """Write a line into the log: it passes every gate of root's appenders."""
        with self._lock:
            root = self._tree.entries.get(ROOT)
            names = (
                [] if root is None else [one.appender for one in root.to if self._planned.appenders[one.appender].enabled.value]
            )
            self._rehearsal.put(Event(now, "info", MARK_LOGGER, text), list(dict.fromkeys(names)))
            self._rehearsal.write_out()
            self.marks += 1

    def play(self, events: Sequence[Event]) -> None:
        """Send events through, and write out what comes of them."""
        with self._lock:
            self._rehearsal.feed(events)
            self._rehearsal.write_out()
