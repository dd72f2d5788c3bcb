"""A process that works pieces: it takes a job and then pieces from standard input, and answers on standard output."""

from __future__ import annotations

import os
import pickle
import signal
import sys
import time
import traceback
from collections.abc import Callable
from typing import IO, Any

from msgspec import Struct

from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.hidden import hide_as_elsewhere
from vetrina.formats.pieces import Piece
from vetrina.formats.progress import Reading, watching

_PAUSE = 0.1


class Order(Struct):
    """A job, and what is shown nowhere."""

    job: Any
    hidden: tuple[str, ...]


class Progress(Struct):
    """So many bytes and events more were read."""

    bytes: int
    events: int


class Done(Struct):
    """What came of the piece of a number."""

    number: int
    result: Any


class Failed(Struct):
    """What was raised of the piece of a number: refused, or a fault of ours as text."""

    number: int
    error: Refused | None
    text: str = ""
    memory: bool = False


class Opened:
    """An order in the process that works it: its job is opened with the first piece."""

    def __init__(self, order: Order) -> None:
        hide_as_elsewhere(order.hidden)
        self._job = order.job
        self._work: Callable[[Piece], Any] | None = None

    def answer(self, number: int, piece: Piece) -> Done | Failed:
        """Return what came of a piece, or what was raised of it."""
        try:
            self._work = self._work or self._job.opened()
            return Done(number, self._work(piece))
        except Refused as refused:
            return Failed(number, refused)
        except MemoryError:
            return Failed(number, None, memory=True)
        except BrokenPipeError:
            raise
        except Exception:  # noqa: BLE001  (the outer edge of this process: the other one tells it)
            return Failed(number, None, traceback.format_exc())


def outcome(answer: Done | Failed) -> Any:
    """Return what came of a piece; raise what was raised."""
    if isinstance(answer, Done):
        return answer.result
    if answer.memory:
        raise refuse("a worker process ran out of memory", "a part of the input was not worked, so nothing is told of it",
                     "give --workers 1, or look at fewer events", where="--workers")  # fmt: skip
    if answer.error is not None:
        raise answer.error
    raise RuntimeError(answer.text.strip().rpartition("\n")[2])


class _Teller:
    """Tells now and then how far the reading is; that the other end is gone is found out so, too."""

    def __init__(self, out: IO[bytes]) -> None:
        self._out = out
        self._told = Progress(0, 0)
        self._last = time.monotonic()

    def tell(self, reading: Reading) -> None:
        """Hear of a block."""
        now = time.monotonic()
        if now - self._last > _PAUSE:
            self._last = now
            self.settle(reading)

    def settle(self, reading: Reading) -> None:
        """Tell what is not told yet."""
        more = Progress(reading.bytes - self._told.bytes, reading.events - self._told.events)
        self._told = Progress(reading.bytes, reading.events)
        if more.bytes:
            send(self._out, more)


def send(out: IO[bytes], message: object) -> None:
    """Write one message."""
    pickle.dump(message, out, pickle.HIGHEST_PROTOCOL)
    out.flush()


def work(given: IO[bytes], out: IO[bytes]) -> None:
    """Answer until the other end closes."""
    teller = _Teller(out)
    with watching(teller.tell) as reading:
        while True:
            try:
                message = pickle.load(given)  # noqa: S301  (from the process that started this one)
            except EOFError:
                return
            if isinstance(message, Order):
                opened = Opened(message)
                continue
            answer = opened.answer(*message)
            teller.settle(reading)
            send(out, answer)


def main() -> None:
    """Work for the process that started this one; whoever is gone at its other end ends it."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C reaches the one that started this one, which ends it
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    try:
        work(sys.stdin.buffer, out)
    except (BrokenPipeError, EOFError):
        os._exit(0)
