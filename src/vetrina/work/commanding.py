"""The command that reproduces a problem: started, watched, and ended with what it has started itself."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from contextlib import suppress

_PATIENCE = 5.0


class Command:
    """A command at work. It has the terminal, if there is one; else it is a group of processes of its own.

    ``apart`` keeps what it writes out of standard output. Raise OSError where it cannot be started.
    """

    def __init__(self, words: list[str], *, apart: bool) -> None:
        self._grouped = not sys.stdin.isatty()
        try:
            self._process = subprocess.Popen(  # noqa: S603  (the user's own command)
                words, process_group=0 if self._grouped else None, stdout=sys.stderr if apart else None
            )
        except ValueError as error:
            raise OSError(str(error)) from None

    def ended(self) -> bool:
        """Tell whether it has ended by itself."""
        return self._process.poll() is not None

    def end(self) -> int:
        """Return its exit code; where it has not ended, it is asked to first, then made to."""
        for how in (signal.SIGTERM, signal.SIGKILL):
            if self._process.poll() is not None:
                break
            with suppress(ProcessLookupError, PermissionError):
                os.killpg(self._process.pid, how) if self._grouped else self._process.send_signal(how)
            with suppress(subprocess.TimeoutExpired):
                self._process.wait(_PATIENCE)
        return self._process.wait()
