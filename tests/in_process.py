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
    return answer(folder, [word.replace("\u00a0", " ") for word in words.split(" ")])[0]


def answer(folder: Path, words: list[str]) -> tuple[int, bytes, str]:
    """Run a call in this process; return its exit code, standard output, and what it says besides."""
    out, err = _taker(), _taker()
    with contextlib.chdir(folder), pytest.MonkeyPatch.context() as patch, contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):  # fmt: skip
        patch.setattr(sys, "argv", ["vetrina", *words])
        patch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO()))
        code, faults = _ended()
        out.flush()
        err.flush()
    return code, out.buffer.getvalue(), err.buffer.getvalue().decode() + faults  # type: ignore[attr-defined]


def _ended() -> tuple[int, str]:
    try:
        return app.run(), ""
    except Refused as refused:
        return 2, repr(refused.faults)
    except SystemExit as end:
        return int(end.code or 0), ""
