"""`levels --json`."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from vetrina.core.base.levels import Scale
from vetrina.core.routing.level_rows import LevelRow
from vetrina.views.documents.shared import OriginPlace, origin_place


class ClosedWay(Struct):
    """An attached appender that nothing can reach from a logger, and why."""

    appender: str
    why: str


class LevelEntry(Struct, omit_defaults=True):
    """One logger; `set` is null where its level is inherited; `closed` are the attachments at which nothing can pass."""

    logger: str
    set: str | None
    effective: str
    severity: int
    inherited_from: str | None
    origin: OriginPlace
    climb: bool
    enabled: bool
    delivers: list[str]
    closed: list[ClosedWay] = []
    changed_from: str = ""
    note: str = ""


class Levels(Struct):
    """`levels --json`."""

    loggers: list[LevelEntry]


def document(rows: Sequence[LevelRow], scale: Scale) -> Levels:
    """Return the document of the rows."""
    return Levels([_entry(row, scale) for row in rows])


def _entry(row: LevelRow, scale: Scale) -> LevelEntry:
    return LevelEntry(
        row.logger,
        None if row.set_level is None else scale.name(row.set_level),
        scale.name(row.effective),
        row.effective,
        row.inherited_from,
        origin_place(row.origin),
        row.climb,
        row.enabled,
        list(row.delivers),
        [ClosedWay(name, why) for name, why in zip(row.delivers, row.closed, strict=True) if why] if any(row.closed) else [],
        row.changed or "",
        row.note or "",
    )
