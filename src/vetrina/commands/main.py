"""The way in: answers what needs nothing loaded, hands the rest to the commands, and lets no traceback out."""

from __future__ import annotations

import gc
import os
import sys
from typing import NoReturn

from vetrina import __version__
from vetrina.commands.overview import page

WRONG = 2
INTERRUPTED = 130


def main() -> NoReturn:
    """Run the program with the process's arguments and end the process."""
    gc.disable()  # start-up makes much and throws nothing away; the commands switch it on again
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    arguments = sys.argv[1:]
    if arguments in ([], ["--help"], ["-h"]) and not os.environ.get("_VETRINA_COMPLETE"):
        _leave(_say(page()) if arguments else _say(page(), to_stderr=True) or WRONG)
    if arguments == ["--version"]:
        _leave(_say(f"vetrina {__version__}"))
    _leave(_run())


def _say(text: str, *, to_stderr: bool = False) -> int:
    try:
        print(text, file=sys.stderr if to_stderr else sys.stdout)
    except BrokenPipeError:
        return _broken_pipe()
    return 0


def _run() -> int:
    from vetrina.core.faults import Refused  # noqa: PLC0415  (nothing is loaded for --help)

    try:
        from vetrina.commands.app import run  # noqa: PLC0415

        code = run()
        sys.stdout.flush()
    except Refused as refused:
        from vetrina.views.faults import fault_lines  # noqa: PLC0415
        from vetrina.views.screen import show  # noqa: PLC0415

        show(fault_lines(refused.faults), sys.stderr)
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
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 0


def _leave(code: int) -> NoReturn:
    sys.exit(code)
