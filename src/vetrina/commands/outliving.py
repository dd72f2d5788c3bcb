"""A call that changes or writes something does so whatever becomes of its output: a reader who leaves does not end it."""

from __future__ import annotations

import io
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, TextIO

import typer

ACTING = frozenset({"apply", "undo", "live", "capture", "mimic", "receive", "rehearse"})
"""Commands that change something, or serve."""
WRITING = frozenset({"--as-events", "--copy", "--junit", "--note", "--out", "--page", "--plot", "--sarif", "--service"})
"""Options that write a file besides the output."""


class _Outliving(io.FileIO):
    """A standard stream that takes what nobody reads any more, or no disk holds; the first reason is kept."""

    def __init__(self, stream: TextIO) -> None:
        super().__init__(stream.fileno(), "w", closefd=False)
        self.failed: OSError | None = None

    def write(self, data: Any, /) -> int:
        """Write what can be written; the rest goes nowhere."""
        if self.failed is None:
            try:
                return super().write(data)
            except BlockingIOError:
                raise
            except OSError as error:
                self.failed = error
        return len(memoryview(data).cast("B"))


@contextmanager
def outlived(command: str, words: list[str]) -> Iterator[None]:
    """Within, a call that acts goes on where its output is not taken; after it, raise what else than a reader's leave was in the way."""
    if command not in ACTING and not any(word.partition("=")[0] in WRITING for word in words):
        yield
        return
    before, kept = (sys.stdout, sys.stderr), [_kept(sys.stdout), _kept(sys.stderr)]
    sys.stdout, sys.stderr = (old if new is None else new[0] for old, new in zip(before, kept, strict=True))
    try:
        yield
    except typer.Exit:
        if _lost(kept[0]) is None:
            raise
    finally:
        for new in filter(None, kept):
            new[0].flush()
            if new[1].failed is not None:
                os.dup2(os.open(os.devnull, os.O_WRONLY), new[1].fileno())
        sys.stdout, sys.stderr = before
    lost = _lost(kept[0])
    if lost is not None:
        raise lost


def _lost(kept: tuple[TextIO, _Outliving] | None) -> OSError | None:
    """Return why the output could not be written, but for a reader who left; all of it is tried first."""
    if kept is None:
        return None
    kept[0].flush()
    return None if isinstance(kept[1].failed, BrokenPipeError) else kept[1].failed


def _kept(stream: TextIO) -> tuple[TextIO, _Outliving] | None:
    """Return a stream in place of one of this process's own, and what keeps its end; None where it is none."""
    try:
        stream.flush()
        raw = _Outliving(stream)
    except (OSError, ValueError):
        return None
    text = io.TextIOWrapper(
        io.BufferedWriter(raw), stream.encoding, stream.errors or "backslashreplace", line_buffering=stream.isatty() or stream is sys.stderr
    )  # fmt: skip
    return text, raw
