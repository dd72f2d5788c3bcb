"""What several documents hold: origins, deliveries."""

from __future__ import annotations

from msgspec import Struct

from vetrina.core.base.faults import Place
from vetrina.core.base.origins import Origin, OriginKind


class OriginPlace(Struct, omit_defaults=True):
    """Where an effective value came from; file and line are null where no file holds it."""

    kind: OriginKind
    file: str | None
    line: int | None
    column: int | None
    label: str = ""


class Delivery(Struct):
    """An arrival; `via` is the logger whose attachment it was."""

    appender: str
    via: str


def spot(place: Place | None) -> tuple[str | None, int | None, int | None]:
    """Return file, line and column of a place, nulls for none."""
    return (place.file, place.line, place.column) if place else (None, None, None)


def origin_place(origin: Origin) -> OriginPlace:
    """Return where an effective value came from."""
    return OriginPlace(origin.kind, *spot(origin.place), origin.label if origin.kind != "file" else "")
