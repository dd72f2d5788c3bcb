"""Where an effective value came from."""

from __future__ import annotations

from typing import Generic, Literal, TypeVar

from msgspec import Struct

from vetrina.core.base.faults import Place

T_co = TypeVar("T_co", covariant=True)


OriginKind = Literal["file", "stage", "layer", "option", "environment", "default"]


class Origin(Struct, frozen=True):
    """The origin of a value.

    ``kind`` is ``file`` (the plan itself), ``stage``, ``layer`` (a file given by `--with`), ``option``,
    ``environment`` (filled in from there; ``place`` is then the place of use) or ``default``. ``label`` names the
    stage, the layer file, the option or the variable.
    """

    kind: OriginKind
    place: Place | None = None
    label: str = ""

    def __str__(self) -> str:
        """Return it as a remark for people: `live stage, plan.yaml:41:18`."""
        spot = str(self.place) if self.place else ""
        if self.kind in {"file", "layer"}:
            return spot
        if self.kind == "default":
            return "default"
        if self.kind == "stage":
            return f"{self.label} stage, {spot}"
        return f"{self.label}, {spot}" if spot else self.label

    def brief(self) -> str:
        """Return it without the column, for a table: `plan.yaml:41`, `live stage, plan.yaml:41`, `default`."""
        spot = f"{self.place.file}:{self.place.line}" if self.place else ""
        if self.kind in {"file", "layer"}:
            return spot
        if self.kind == "stage":
            return f"{spot} ({self.label} stage)"
        if self.kind == "default":
            return "default"
        return f"{spot} ({self.label})" if spot else self.label


DEFAULT = Origin("default")


class Sourced(Struct, Generic[T_co], frozen=True):
    """A value with its origin; ``shown`` is its text for people, with what must stay secret as `***`."""

    value: T_co
    origin: Origin = DEFAULT
    shown: str = ""

    def __str__(self) -> str:
        """Return the text that may be shown."""
        return self.shown or str(self.value)
