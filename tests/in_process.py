"""The program called in this process."""

from __future__ import annotations

import contextlib
import io
import sys
from pathlib import Path

import pytest

from vetrina.commands import app
from vetrina.core.base.faults import Refused


def _taker() -> io.TextIOWrapper:
    return io.TextIOWrapper(io.BytesIO(), encoding="utf-8", errors="backslashreplace")


def call(folder: Path, words: str) -> int:
    """Run a call in this process; return its exit code. Whatever else is raised is a fault of ours."""
    with contextlib.chdir(folder), pytest.MonkeyPatch.context() as patch, contextlib.redirect_stdout(_taker()), contextlib.redirect_stderr(_taker()):  # fmt: skip
        patch.setattr(sys, "argv", ["vetrina", *(word.replace("\u00a0", " ") for word in words.split(" "))])
        patch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO()))
        try:
            return app.run()
        except Refused:
            return 2
        except SystemExit as end:
            return int(end.code or 0)
