"""Ctrl-C and its like, noted and acted upon where that is safe: what was changed is put back first."""

from __future__ import annotations

import signal
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any


class Stop:
    """Whether this process is to end: ``asked`` by a signal, its ``name``."""

    def __init__(self) -> None:
        self.name = ""
        self.hurry = False

    @property
    def asked(self) -> bool:
        """Whether it is to end."""
        return bool(self.name)

    def note(self, number: int, _frame: object) -> None:
        """Note a signal; a second one counts as haste where nothing is left to be put back."""
        if self.asked and self.hurry:
            raise KeyboardInterrupt
        self.name = self.name or signal.Signals(number).name


@contextmanager
def noted() -> Iterator[Stop]:
    """Yield what notes SIGINT, SIGTERM and SIGHUP in place of ending at once."""
    stop = Stop()
    before: dict[signal.Signals, Any] = {}
    for one in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        before[one] = signal.signal(one, stop.note)
    try:
        yield stop
    finally:
        for one, how in before.items():
            signal.signal(one, how)
