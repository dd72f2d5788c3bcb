"""What a capture is to do, and who is told of it meanwhile."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from msgspec import Struct

from vetrina.core.base.expressions import Expression
from vetrina.running.logs_followed import LogKnown
from vetrina.work.capture_state import Asked


class Stops(Protocol):
    """What tells whether a call is to end early."""

    name: str
    hurry: bool

    @property
    def asked(self) -> bool:
        """Whether it is to end."""


class Wish(Struct):
    """What a capture is to do.

    ``enter`` lets Enter end the wait; ``apart`` keeps what the command writes out of standard output.
    """

    asked: Asked
    wanted: dict[str, int]
    into: Path
    until: Expression | None = None
    enter: bool = False
    apart: bool = False
    cost: list[str] = []
    logs: list[LogKnown] = []

    def ends(self) -> list[str]:
        """Return what ends the wait, for people."""
        asked = self.asked
        return [
            *(["the command"] if asked.command else []),
            *([f"{asked.for_:g} seconds"] if asked.for_ is not None else []),
            *(["a line like --until"] if asked.until else []),
            *(["Enter"] if self.enter else []),
        ]


class Arrived(Struct):
    """What arrived in the sections so far, for who looks on."""

    bytes: int = 0
    lines: dict[str, int] = {}
