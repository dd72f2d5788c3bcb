"""The guardian: a process of its own session that puts levels back when whoever changed them goes away, or takes too long.

It is told what to guard on its standard input, a pipe whose other end the changer alone holds: when that ends without a
word, the changer has gone. It holds the service's lock with the changer, and after it.
"""

from __future__ import annotations

import os
import select
import signal
import sys
import time
from contextlib import suppress
from pathlib import Path
from typing import IO

import msgspec
from msgspec import Struct

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.faults import Refused
from vetrina.core.base.hidden import shown
from vetrina.running.asking import Asked
from vetrina.running.changing import Changer, PutBack, now_text, put_back_problems
from vetrina.running.holding import Holder, lock_path, note_holder, turn
from vetrina.running.opening import Given, known_service
from vetrina.views.screen import safe

PATIENCE = 600.0
FIRST_PAUSE, LONGEST_PAUSE = 2.0, 10.0
_OTHERS_TURN = 30.0
READY, DONE = b"ready\n", b"done\n"


class Orders(Struct):
    """What is guarded: one step on a service's record, for so many seconds at most; where it is told what was done."""

    service: str
    env: list[str]
    env_files: list[str]
    step: str
    at_most: float
    settle: float
    log: str
    changer: int
    lock: int


class Told(Struct):
    """What the guardian tells the changer after it put levels back."""

    why: str
    back: dict[str, str]
    left: dict[str, str]


def main() -> None:
    """Guard, until the changer says that it is done, or is gone and all is put back."""
    for one in (signal.SIGINT, signal.SIGHUP, signal.SIGPIPE, signal.SIGTTOU):
        signal.signal(one, signal.SIG_IGN)
    first, rest = _first_line()
    orders = msgspec.json.decode(first, type=Orders)
    guardian = _Guardian(orders)
    _tell(READY)
    guardian.guard(rest)


def _first_line() -> tuple[bytes, bytes]:
    data = b""
    while b"\n" not in data:
        piece = os.read(0, 1 << 16)
        if not piece:
            sys.exit(0)
        data += piece
    line, _, rest = data.partition(b"\n")
    return line, rest


def _tell(data: bytes) -> None:
    with suppress(OSError):  # nobody may be there any more
        os.write(1, data)


class _Guardian:
    def __init__(self, orders: Orders) -> None:
        self.orders = orders
        known = known_service(Path(orders.service), Given(tuple(orders.env), tuple(orders.env_files)))
        self._service = known.service
        self._changer = Changer(Asked(known.service, known.words), known.path, orders.settle)
        self._until = time.monotonic() + orders.at_most
        self._begun = now_text()
        self._log: IO[str] | None = None

    def guard(self, heard: bytes) -> None:
        """Wait for the end, in whatever way it comes."""
        late = False
        while True:
            left = None if late else max(0.0, self._until - time.monotonic())
            if DONE in heard:
                return
            ready, _, _ = select.select([0], [], [], left)
            if ready:
                piece = os.read(0, 4096)
                if not piece:
                    break
                heard += piece
            elif not late:
                late = True
                self._act("the time of --at-most is over")
        if not self._over():
            self._act(f"process {self.orders.changer}, which had changed the levels, is gone")

    def _over(self) -> bool:
        """Tell whether nothing of what is guarded is on record any more."""
        try:
            return self._changer.record().step(self.orders.step) is None
        except (Refused, OSError):
            return False

    def _act(self, why: str) -> None:
        """Put everything back, again and again while the service does not answer."""
        self._say(f"{why}: levels are put back")
        note_holder(self.orders.lock, Holder(os.getpid(), now_text(), "the guardian, which puts levels back"))
        until, pause = time.monotonic() + PATIENCE, FIRST_PAUSE
        back: dict[str, str] = {}
        while True:
            result = self._try()
            back |= result.back
            for name, how in result.back.items():
                self._say(f"{name}: put back and verified: {how}")
            for name, note in result.notes.items():
                self._say(f"{name}: {note}")
            for name, reason in put_back_problems(result):
                self._say(f"{name}: NOT put back: {reason}")
            if not result.failed or time.monotonic() + pause > until:
                break
            time.sleep(pause)
            pause = min(LONGEST_PAUSE, pause * 1.5)
        left = dict(put_back_problems(result))
        self._say("all is put back" if not left else "given up: what is not put back stays on record")
        _tell(msgspec.json.encode(Told(why, back, left)) + b"\n")

    def _try(self) -> PutBack:
        try:
            with turn(lock_path(self._service, "turn"), _OTHERS_TURN):
                return self._changer.put_back([self.orders.step], late=True)
        except (Refused, VetrinaError, OSError) as error:
            return PutBack(failed={"the record": shown(str(error))})

    def _say(self, text: str) -> None:
        with suppress(OSError):
            if self._log is None:
                handle = os.open(self.orders.log, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW, 0o600)
                self._log = os.fdopen(handle, "a", encoding="utf-8", errors="backslashreplace")
                self._log.write(f"{self._begun} guarding for process {self.orders.changer}\n")
            self._log.write(safe(shown(f"{now_text()} {text}")) + "\n")
            self._log.flush()


if __name__ == "__main__":
    main()
