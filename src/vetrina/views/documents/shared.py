"""What several documents hold: origins, deliveries."""

from __future__ import annotations

from msgspec import Struct

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


def origin_place(origin: Origin) -> OriginPlace:
    """Return where an effective value came from."""
    place = origin.place
    return OriginPlace(
        origin.kind,
        place.file if place else None,
        place.line if place else None,
        place.column if place else None,
        origin.label if origin.kind != "file" else "",
    )
