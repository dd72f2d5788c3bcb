"""The way in: answers what needs nothing loaded, hands the rest to the commands, and lets no traceback out."""

from __future__ import annotations

import errno
import gc
import os
import signal
import sys
from contextlib import suppress
from typing import NoReturn, TextIO

from vetrina import __version__
from vetrina.commands.overview import page

WRONG = 2
INTERRUPTED = 130


def main() -> NoReturn:
    """Run the program with the process's arguments and end the process."""
    signal.signal(signal.SIGTERM, _end)
    gc.disable()  # start-up makes much and throws nothing away; the commands switch it on again
    closed = _replace_closed()
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    if closed:
        _say("vetrina: standard output is closed: there is nowhere to answer to", to_stderr=True)
        _leave(WRONG)
    arguments = sys.argv[1:]
    if arguments in ([], ["--help"], ["-h"]) and not os.environ.get("_VETRINA_COMPLETE"):
        _leave(_say(page()) if arguments else _say(page(), to_stderr=True) or WRONG)
    if arguments == ["--version"]:
        _leave(_say(f"vetrina {__version__}"))
    _leave(_run())


def _end(number: int, _frame: object) -> NoReturn:
    """End as if by Ctrl-C when the system asks for it, so that nothing is left behind."""
    raise SystemExit(128 + number)


def _replace_closed() -> bool:
    """Put something in the place of standard streams that were closed; tell whether the output was."""
    if sys.stdin is None:
        sys.stdin = open(os.devnull, encoding="utf-8")  # noqa: PTH123, SIM115  (for the whole process)
    if sys.stderr is None:
        sys.stderr = open(os.devnull, "w", encoding="utf-8")  # noqa: PTH123, SIM115
    if sys.stdout is None:
        sys.stdout = open(os.devnull, "w", encoding="utf-8")  # noqa: PTH123, SIM115
        return True
    return False


def _say(text: str, *, to_stderr: bool = False) -> int:
    """Print a text; return the exit code: that of a reader who has gone is no error, one that cannot be written to is."""
    stream = sys.stderr if to_stderr else sys.stdout
    try:
        print(text, file=stream, flush=True)
    except BrokenPipeError:
        return _broken_pipe()
    except OSError as error:
        _silence(stream)
        return WRONG if to_stderr else _own_fault(error)
    return 0


def _silence(stream: TextIO) -> None:
    """Send what is left in a stream nowhere, so that the end of the process does not try it again."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())


def _run() -> int:
    from vetrina.core.base.faults import Refused  # noqa: PLC0415  (nothing is loaded for --help)

    try:
        from vetrina.commands.app import run  # noqa: PLC0415

        code = run()
        sys.stdout.flush()
        if code == INTERRUPTED:  # that is how Click ends on Ctrl-C
            _say("stopped", to_stderr=True)
    except Refused as refused:
        from vetrina.views.faults import fault_lines  # noqa: PLC0415
        from vetrina.views.screen import show  # noqa: PLC0415

        try:
            show(fault_lines(refused.faults), sys.stderr)
            sys.stderr.flush()
        except OSError:
            _silence(sys.stderr)
        return WRONG
    except BrokenPipeError:
        return _broken_pipe()
    except KeyboardInterrupt:
        _say("stopped", to_stderr=True)
        return INTERRUPTED
    except MemoryError:
        _say("vetrina: this needs more memory than there is", to_stderr=True)
        return WRONG
    except Exception as error:  # noqa: BLE001  (the outer edge: no traceback ever reaches a user)
        return _own_fault(error)
    return code


def _own_fault(error: Exception) -> int:
    if isinstance(error, OSError):
        if error.filename is None and error.errno in {errno.ENOSPC, errno.EIO, errno.EBADF}:
            _silence(sys.stdout)
            _say(f"vetrina: the output cannot be written: {error.strerror}", to_stderr=True)
            return WRONG
        _say(f"vetrina: {error.strerror or error}" + (f": {error.filename}" if error.filename else ""), to_stderr=True)
        return WRONG
    if os.environ.get("VETRINA_TRACE"):
        raise error
    _say(
        f"vetrina: a fault in Vetrina itself ({type(error).__name__}: {str(error)[:200]}).\n"
        "  fix: please report it; with VETRINA_TRACE=1 the same call prints where it happened",
        to_stderr=True,
    )
    return WRONG


def _broken_pipe() -> int:
    """Whoever read our output has gone: that is their right, and no error."""
    _silence(sys.stdout)
    return 0


def _leave(code: int) -> NoReturn:
    sys.exit(code)
