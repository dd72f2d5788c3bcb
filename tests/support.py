"""What tests share: the program, how a call of it ended, and events as records."""

from __future__ import annotations

import ctypes
import json
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

PROGRAM = Path(sys.executable).with_name("vetrina")
PATIENCE = 240.0
"""How many seconds a test waits for what is to come, before it says that it did not: much longer than it takes anywhere."""
DEMO = Path(__file__).parent.parent / "src" / "vetrina" / "demo"


@dataclass(frozen=True)
class Ran:
    """How a call of the program ended."""

    code: int
    out: str
    err: str

    @property
    def json(self) -> Any:
        """What it answers; how it ended, and what it says besides, are asked first."""
        assert self.out, (self.code, self.err)
        return json.loads(self.out)

    @property
    def lines(self) -> list[Any]:
        return [json.loads(line) for line in self.out.splitlines()]


Run = Callable[..., Ran]


def every_other(rows: list[Any]) -> list[Any]:
    """Return rows of which every second is tried with --long only: they vary what the others try already."""
    found = []
    for at, row in enumerate(rows):
        if at % 2 == 0:
            found.append(row)
        elif hasattr(row, "marks"):
            found.append(pytest.param(*row.values, id=row.id, marks=[*row.marks, pytest.mark.long]))
        else:
            found.append(pytest.param(*(row if isinstance(row, tuple) else (row,)), marks=pytest.mark.long))
    return found


def event(logger: str = "ropeway.gate", level: object = "info", message: str = "hello", **more: Any) -> dict[str, Any]:
    """Return an event as a record, with usual values for what a test does not care about."""
    return {"time": "2026-11-16T05:12:00.123Z", "level": level, "logger": logger, "message": message, **more}


def give_up_override() -> None:
    """Let root obey permissions: give up CAP_DAC_OVERRIDE and CAP_DAC_READ_SEARCH before the program starts."""
    libc = ctypes.CDLL(None)
    for capability in (1, 2):
        libc.prctl(24, capability, 0, 0, 0)
