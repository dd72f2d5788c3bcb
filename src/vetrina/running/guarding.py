"""The changer's side of the guardian: started before the first change, started again if it dies, told at the end."""

from __future__ import annotations

import os
import select
import subprocess
import sys
import time
from contextlib import suppress

import msgspec

from vetrina.core.base.faults import refuse
from vetrina.running.guardian import DONE, READY, Orders, Told
from vetrina.running.holding import Hold

_START = 30.0


class Guard:
    """A guardian at work; ``restarts`` counts how often it had to be started again."""

    def __init__(self, orders: Orders, hold: Hold) -> None:
        self._orders, self._hold = orders, hold
        self._begun = time.monotonic()
        self._heard = b""
        self.restarts = 0
        self.told: Told | None = None
        self._process = self._started()

    @property
    def process(self) -> int:
        """The guardian's process."""
        return self._process.pid

    def _started(self) -> subprocess.Popen[bytes]:
        left = max(0.0, self._orders.at_most - (time.monotonic() - self._begun))
        orders = msgspec.structs.replace(self._orders, at_most=left, lock=self._hold.handle)
        process = subprocess.Popen(
            [sys.executable, "-P", "-m", "vetrina.running.guardian"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            start_new_session=True, pass_fds=(self._hold.handle,),
        )  # fmt: skip
        assert process.stdin is not None  # noqa: S101  (a pipe)
        assert process.stdout is not None  # noqa: S101  (a pipe)
        with suppress(OSError):  # it has ended already: it will not be ready
            process.stdin.write(msgspec.json.encode(orders) + b"\n")
            process.stdin.flush()
        heard, until = b"", time.monotonic() + _START
        while READY not in heard:
            ready, _, _ = select.select([process.stdout], [], [], max(0.0, until - time.monotonic()))
            piece = os.read(process.stdout.fileno(), 4096) if ready else b""
            if not piece:
                process.kill()
                process.wait()
                raise refuse(
                    "the guardian could not be started", "without it nothing is changed", "call again", where="guardian"
                )
            heard += piece
        self._heard = heard.partition(READY)[2]
        os.set_blocking(process.stdout.fileno(), False)
        return process

    def look(self) -> Told | None:
        """Return what the guardian did, if it did anything; start it again where it has died alone."""
        self._listen()
        if self.told is None and self._process.poll() is not None:
            self._listen()
            self.restarts += 1
            self._process = self._started()
        return self.told

    def _listen(self) -> None:
        assert self._process.stdout is not None  # noqa: S101  (a pipe)
        with suppress(BlockingIOError, OSError):
            while piece := os.read(self._process.stdout.fileno(), 1 << 16):
                self._heard += piece
        line, end, rest = self._heard.partition(b"\n")
        if end:
            self._heard = rest
            self.told = msgspec.json.decode(line, type=Told)

    def leave(self) -> None:
        """Let it go on alone: what is not put back is put back by it, as soon as the service answers."""
        if self._process.stdin is not None:
            with suppress(OSError):
                self._process.stdin.close()

    def done(self) -> None:
        """Let it go: everything is put back, or told."""
        if self._process.stdin is not None:
            with suppress(OSError):
                self._process.stdin.write(DONE)
                self._process.stdin.close()
        try:
            self._process.wait(10)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        if self._process.stdout is not None:
            self._process.stdout.close()
