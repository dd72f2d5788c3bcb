"""A process that has the program loaded, and gives each call of it a process of its own: starting one anew takes most of a test's time.

Standard streams, folder, environment, arguments and the end are those of a real process, for it is one; only the start of
the interpreter and the imports are shared. With `--cold` every call starts the program anew.
"""

from __future__ import annotations

import array
import gc
import importlib
import json
import os
import pkgutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import NoReturn

_ENOUGH = 1 << 20
_SAME = ("PYTHON", "LC_", "LANG", "COVERAGE", "LD_", "MALLOC")
"""What an interpreter reads when it starts: a call with other such values starts anew."""


class Warm:
    """Calls of the program, each in a process that a loaded one makes."""

    def __init__(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        environment = {**os.environ, "PYTHONUTF8": "1"}
        self._kept = _read_at_start(environment)
        command = [sys.executable, __file__, str(theirs.fileno())]
        self._server = subprocess.Popen(command, pass_fds=[theirs.fileno()], env=environment)
        self._asks = ours
        theirs.close()

    def serves(self, environment: Mapping[str, str]) -> bool:
        """Tell whether a call may be made here: nothing is asked for that an interpreter decides on when it starts."""
        return _read_at_start(environment) == self._kept

    def call(
        self, program: Path, words: Sequence[str], cwd: Path, environment: Mapping[str, str], given: bytes, timeout: float
    ) -> tuple[int, bytes, bytes]:
        """Return how a call ends, and what it writes; raise subprocess.TimeoutExpired where it does not end in time."""
        pipes = [os.pipe() for _ in range(3)]
        answer, done = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        asked = json.dumps([[str(program), *words], str(cwd), dict(environment)]).encode()
        theirs = [pipes[0][0], pipes[1][1], pipes[2][1], done.fileno()]
        sent = self._asks.sendmsg([asked], [(socket.SOL_SOCKET, socket.SCM_RIGHTS, array.array("i", theirs))])
        assert sent == len(asked)
        for one in theirs[:3]:
            os.close(one)
        done.close()
        with answer, ThreadPoolExecutor(3) as hands:
            answer.settimeout(timeout)
            hands.submit(_give, pipes[0][1], given)
            out, err = (hands.submit(_take, pipes[at][0]) for at in (1, 2))
            child = int(answer.recv(64))
            try:
                code = int(answer.recv(64))
            except TimeoutError:
                os.kill(child, signal.SIGKILL)
                raise subprocess.TimeoutExpired([str(program), *words], timeout) from None
            return code, out.result(), err.result()

    def close(self) -> None:
        """End the loaded process."""
        self._asks.close()
        self._server.wait(10)


def _read_at_start(environment: Mapping[str, str]) -> dict[str, str]:
    return {name: value for name, value in environment.items() if name.startswith(_SAME)}


def _give(pipe: int, given: bytes) -> None:
    with suppress(BrokenPipeError), os.fdopen(pipe, "wb") as stream:  # the program may end before it has read all
        stream.write(given)


def _take(pipe: int) -> bytes:
    with os.fdopen(pipe, "rb") as stream:
        return stream.read()


def _serve(asks: socket.socket) -> bool:
    """Make a process for each call; return in that one, True, or at the end, False."""
    while True:
        asked, fds, _, _ = socket.recv_fds(asks, _ENOUGH, 4)
        if not asked:
            return False
        if os.fork():
            for fd in fds:
                os.close(fd)
            _reap()
            continue
        answer = socket.socket(fileno=fds[3])
        child = os.fork()
        if not child:
            asks.close()
            answer.close()
            words, cwd, environment = json.loads(asked)
            _become(words, cwd, environment, fds[:3])
            return True
        for fd in fds[:3]:
            os.close(fd)
        answer.send(str(child).encode())
        _, status = os.waitpid(child, 0)
        answer.send(str(os.waitstatus_to_exitcode(status)).encode())
        os._exit(0)


def _reap() -> None:
    """Forget the processes that have ended."""
    try:
        while os.waitpid(-1, os.WNOHANG)[0]:
            pass
    except ChildProcessError:
        return


def _become(words: list[str], cwd: str, environment: dict[str, str], fds: list[int]) -> None:
    """Take a call's streams, folder, environment and arguments."""
    for at, fd in enumerate(fds):
        os.dup2(fd, at)
        os.close(fd)
    os.chdir(cwd)
    os.environ.clear()
    os.environ.update(environment)
    time.tzset()
    sys.argv = words
    sys.stdin = os.fdopen(0, encoding="utf-8", errors="surrogateescape")
    sys.stdout = os.fdopen(1, "w", encoding="utf-8", errors="surrogateescape")
    sys.stderr = os.fdopen(2, "w", encoding="utf-8", errors="backslashreplace", buffering=1)


def _load() -> None:
    """Load every command, as far as it does not load what it has a use for."""
    import vetrina.commands as room

    for one in pkgutil.iter_modules(room.__path__):
        importlib.import_module(f"{room.__name__}.{one.name}")
    gc.freeze()


def _main() -> NoReturn:
    asks = socket.socket(fileno=int(sys.argv[1]))
    _load()
    if not _serve(asks):
        sys.exit(0)
    from vetrina.commands.main import main

    main()


if __name__ == "__main__":
    _main()
