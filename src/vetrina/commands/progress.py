"""A bar on standard error for what takes long: on a terminal only, from the third second on, gone when it is done."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from vetrina.formats.progress import Reading, watching
from vetrina.views.screen import number

if TYPE_CHECKING:
    from rich.progress import Progress

    from vetrina.formats.inputs import Inputs

SILENT = 2.0
_PAUSE = 0.1


@contextmanager
def watched(inputs: Inputs, *, prints: bool = False) -> Iterator[None]:
    """Show how far the reading is: a bar by bytes, events a second, the time left.

    What ``prints`` while it reads shows none where standard output is the same terminal.
    """
    if not sys.stderr.isatty() or (prints and sys.stdout.isatty()):
        yield
        return
    bar = _Bar(inputs.label, inputs.size)
    try:
        with watching(bar.tell):
            yield
    finally:
        bar.end()


@contextmanager
def counting(words: str) -> Iterator[Callable[[int], None]]:
    """Yield what is told how many were done so far; on a terminal it is shown, from the third second on."""
    if not sys.stderr.isatty():
        yield lambda _count: None
        return
    begun = drawn = time.monotonic()

    def tell(count: int) -> None:
        nonlocal drawn
        now = time.monotonic()
        if now - begun >= SILENT and now - drawn >= _PAUSE:
            drawn = now
            sys.stderr.write(f"\r{words}: {number(count)}")
            sys.stderr.flush()

    try:
        yield tell
    finally:
        if drawn != begun:
            sys.stderr.write("\r\x1b[K")


class _Bar:
    """Begins to be drawn when reading has taken two seconds; what is read again begins anew."""

    def __init__(self, label: str, size: int | None) -> None:
        self._label, self._size = label, size
        self._begun = self._drawn = time.monotonic()
        self._progress: Progress | None = None
        self._again = 0

    def tell(self, reading: Reading) -> None:
        """Hear of a block; draw now and then."""
        now = time.monotonic()
        if now - self._begun < SILENT or now - self._drawn < _PAUSE:
            return
        self._drawn = now
        read = reading.bytes
        if self._size:
            self._again, read = divmod(read, self._size) if read > self._size else (0, read)
        told = f"reading {self._label}" + (", once more" if self._again else "")
        speed = f"{number(round(reading.events / (now - self._begun)))} events a second" if reading.events else ""
        if self._progress is None:
            self._progress = self._started(told, read, speed)
        self._progress.update(self._progress.task_ids[0], completed=read, description=told, speed=speed, refresh=True)

    def _started(self, told: str, read: int, speed: str) -> Progress:
        from rich.console import Console  # noqa: PLC0415  (on terminals, for long work only)
        from rich.progress import BarColumn, DownloadColumn, Progress, TextColumn, TimeRemainingColumn  # noqa: PLC0415

        columns = (
            TextColumn("{task.description}", markup=False),
            BarColumn(24, complete_style="cyan", finished_style="cyan"),
            DownloadColumn(binary_units=True),
            TextColumn("{task.fields[speed]}", markup=False),
            TimeRemainingColumn(compact=True),
            TextColumn("left", markup=False),
        )
        found = Progress(*columns, console=Console(file=sys.stderr), transient=True, auto_refresh=False)
        found.add_task(told, total=self._size, completed=read, speed=speed)
        found.start()
        return found

    def end(self) -> None:
        """Take the bar away."""
        if self._progress is not None:
            self._progress.stop()
