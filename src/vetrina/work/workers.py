"""Processes of this machine that work pieces: started when they are wanted, and gone when the work is."""

from __future__ import annotations

import pickle
import queue
import signal
import subprocess
import sys
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from typing import IO, TypeVar, cast

from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.hidden import hidden
from vetrina.formats.pieces import Piece
from vetrina.formats.progress import watcher
from vetrina.work.jobs import Job
from vetrina.work.worker import Done, Failed, Order, Progress, outcome

R = TypeVar("R")
_AHEAD = 3
"""Pieces for each process that may be begun, or wait for their turn, before the oldest is through."""
_PATIENCE = 0.5
_PROCESS = "from vetrina.work.worker import main; main()"


class Workers:
    """So many processes, started for the first job; ``close`` ends them, and so does a job that is not done to its end."""

    near = True

    def __init__(self, hands: int) -> None:
        self.hands = hands
        self._pool: _Pool | None = None

    def run(self, job: Job[R], pieces: Iterable[Piece]) -> Iterator[R]:
        """Yield what comes of every piece, in order; raise what was raised of one, or that a process ended by itself."""
        waiting = list(pieces)
        pool, self._pool = self._pool or _Pool(), None
        try:
            pool.begin(job, min(self.hands, len(waiting)))
            yield from cast(Iterator[R], pool.results(waiting))
            self._pool = pool
        finally:
            if self._pool is None:
                pool.end()

    def close(self) -> None:
        """End the processes."""
        if self._pool is not None:
            self._pool.end()
            self._pool = None


class _Pool:
    def __init__(self) -> None:
        self._heard: queue.Queue[tuple[int, Done | Failed | Progress | None]] = queue.Queue()
        self._processes: list[subprocess.Popen[bytes]] = []

    def begin(self, job: object, count: int) -> None:
        """Give a job to all processes, ``count`` of them at least."""
        packed = pickle.dumps(Order(job, hidden()), pickle.HIGHEST_PROTOCOL)
        for at in range(len(self._processes), count):
            with deaf_children():
                process = subprocess.Popen(  # noqa: S603  (this very Python)
                    [sys.executable, "-P", "-c", _PROCESS],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    stderr=subprocess.DEVNULL,
                )
            self._processes.append(process)
            threading.Thread(target=self._listen, args=(at, process.stdout), daemon=True).start()
        for at in range(len(self._processes)):
            self._give(at, packed)

    def _listen(self, at: int, given: IO[bytes]) -> None:
        """Put what a process says into the queue, at last that it says nothing more."""
        try:
            while True:
                self._heard.put((at, pickle.load(given)))  # noqa: S301  (from a process of ours)
        except (EOFError, OSError, pickle.UnpicklingError, ValueError):
            pass  # it is gone
        finally:
            self._heard.put((at, None))

    def _give(self, at: int, message: bytes) -> None:
        given = self._processes[at].stdin
        assert given is not None  # noqa: S101  (a pipe)
        with suppress(OSError):  # whoever listens to the process finds out that it is gone
            given.write(message)
            given.flush()

    def results(self, pieces: list[Piece]) -> Iterator[object]:
        """Yield the results in order; each process gets its next piece when it is through with one."""
        reading = watcher()
        ready: dict[int, Done | Failed] = {}
        idle, begun, told = list(range(len(self._processes)))[::-1], 0, 0
        while told < len(pieces):
            while idle and begun < min(len(pieces), told + _AHEAD * len(self._processes)):
                self._give(idle.pop(), pickle.dumps((begun, pieces[begun]), pickle.HIGHEST_PROTOCOL))
                begun += 1
            answer = ready.pop(told, None)
            if answer is not None:
                told += 1
                yield outcome(answer)
                continue
            try:
                at, message = self._heard.get(timeout=_PATIENCE)
            except queue.Empty:
                continue
            if message is None:
                raise self._ended(at)
            if isinstance(message, Progress):
                if reading is not None:
                    reading.events += message.events
                    reading.add_bytes(message.bytes)
                continue
            ready[message.number] = message
            idle.append(at)

    def _ended(self, at: int) -> Refused:
        """Return what is said of a process that is gone."""
        code = self._processes[at].wait()
        try:
            how = f"killed by {signal.Signals(-code).name}" if code < 0 else f"ended with {code}"
        except ValueError:
            how = f"killed by signal {-code}"
        return refuse(
            f"a worker process was {how} before it was through"
            if code < 0
            else f"a worker process {how} before it was through",
            "a part of the input was not worked, so nothing is told of it",
            "see that there is memory enough, or give --workers 1",
            where="--workers",
        )

    def end(self) -> None:
        """End all processes, whatever they are at."""
        for process in self._processes:
            with suppress(OSError):
                process.kill()
        for process in self._processes:
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe is not None:
                    with suppress(OSError):
                        pipe.close()


@contextmanager
def deaf_children() -> Iterator[None]:
    """Start processes within this that do not hear Ctrl-C: it is for the one that started them, which ends them.

    It hears what came meanwhile afterwards.
    """
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
