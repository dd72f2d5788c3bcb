"""What was read of a part of a stream of events: how many lines, and those that were no events."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.faults import Fault


class BadLine(Struct, frozen=True):
    """A line that could not be read, and why."""

    number: int
    reason: str
    name: str = ""


class ReadPart(Struct):
    """What was read of a part of a stream: lines, those that were no events, and what ended it early."""

    lines: int
    unreadable: int
    bad_lines: list[BadLine]
    broken: bool = False
    refused: tuple[Fault, ...] | None = None


def moved(fault: Fault, lines: int) -> Fault:
    """Return a fault of a line that stands so many lines further down."""
    place = fault.place
    return fault if place is None else replace(fault, place=place._replace(line=place.line + lines))
