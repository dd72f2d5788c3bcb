"""One call's dealings with a service: asked; and where it changes something, its lock held and its guardian at work."""

from __future__ import annotations

import os
import sys
import uuid
from collections.abc import Callable, Mapping
from pathlib import Path
from types import TracebackType
from typing import Self

from vetrina.core.base.faults import refuse
from vetrina.core.services.levels_now import LevelNow
from vetrina.core.services.records import Record, RecordStep
from vetrina.running.asking import Asked
from vetrina.running.changing import Changer, PutBack, now_text
from vetrina.running.guardian import Orders
from vetrina.running.guarding import Guard
from vetrina.running.holding import Held, Hold, Holder, hold, lock_path, turn
from vetrina.running.opening import Given, Known

_TURN = 60.0


class Session:
    """A service that a call talks with; ``stopped`` tells whether the call is to end early."""

    def __init__(self, known: Known, settle: float, stopped: Callable[[], bool] = lambda: False) -> None:
        self.known = known
        self.asked = Asked(known.service, known.words)
        self.settle = settle
        self._changer = Changer(self.asked, known.path, settle, stopped)
        self._hold: Hold | None = None
        self.guard: Guard | None = None
        self.step = uuid.uuid4().hex[:12]

    def __enter__(self) -> Self:
        """Begin."""
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        """End what is open; a guardian that still has something to do goes on alone."""
        if self.guard is not None:
            self.guard.leave()
        self.asked.close()
        if self._hold is not None:
            self._hold.release()

    def record(self) -> Record:
        """Return what is on record."""
        return self._changer.record()

    def changed_still(self) -> list[str]:
        """Return the loggers on record that are not as they were before."""
        return self._changer.changed_still()

    def hold(self, work: str) -> None:
        """Be the one who changes this service; refuse where somebody else does."""
        try:
            self._hold = hold(self.known.service, Holder(os.getpid(), now_text(), work))
        except Held as held:
            raise refuse(
                str(held), "one at a time changes a service", "wait until it has ended", where=str(self.known.path)
            ) from None

    def start_guard(self, given: Given, at_most: float, log: Path) -> Guard:
        """Have a guardian put back what this call will change, if this call goes away or takes longer."""
        assert self._hold is not None  # noqa: S101  (callers hold it)
        orders = Orders(
            str(self.known.path), list(given.env), list(map(os.path.abspath, given.env_files)), self.step, at_most, self.settle,
            str(log.absolute()), os.getpid(), self._hold.handle,
        )  # fmt: skip
        self.guard = Guard(orders, self._hold)
        return self.guard

    def change(self, wanted: Mapping[str, int], before: Mapping[str, LevelNow], command: str) -> RecordStep:
        """Set levels; see `Changer.change`."""
        with turn(lock_path(self.known.service, "turn"), _TURN):
            return self._changer.change(wanted, before, command, self.step)

    def put_back(self, *, everything: bool = False, anyway: bool = False) -> PutBack:
        """Put back what this call changed, or ``everything`` on record; see `Changer.put_back`."""
        with turn(lock_path(self.known.service, "turn"), _TURN):
            names = {change.logger for one in self.record().steps for change in one.changes} if anyway else set()
            return self._changer.put_back(None if everything else [self.step], anyway=names)

    def end_guard(self, *, done: bool) -> None:
        """Let the guardian go, or let it go on alone where something is not put back."""
        guard, self.guard = self.guard, None
        if guard is not None:
            (guard.done if done else guard.leave)()


def command_words() -> str:
    """Return which command this process is, without its options: they may hold what is secret."""
    return f"vetrina {sys.argv[1]}" if len(sys.argv) > 1 else "vetrina"
