"""file-flood: thousands of files a day.

Limit `files` (1000): from how many files a day on. Needs `--events`.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 1 B, rename-to: "/x/a.{n}.log", keep: {files: 5}}}}
    # events
    # 1500 times info ropeway hello

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 1 MiB, rename-to: "/x/a.{n}.log", keep: {files: 5}}}}
    # events
    # 1500 times info ropeway hello
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from vetrina.core.checks._check import Check, Hit, Scene
from vetrina.core.checks._rolls import rolls


def find(scene: Scene) -> Iterator[Hit]:
    """Find files that come too fast."""
    for appender, roll in rolls(scene):
        simulation = (scene.rolled or {}).get(appender.name)
        if simulation is None or not simulation.files:
            continue
        span = max(timedelta(days=1), simulation.files[-1].opened - simulation.files[0].opened)
        a_day = len(simulation.files) / (span / timedelta(days=1))
        if a_day > scene.limit(CHECK, "files"):
            yield Hit(
                roll.origin,
                f"appender {appender.name}",
                f"{appender.name} makes {a_day:,.0f} files a day",
                "folders of that many files are slow to list, to copy and to search",
                "roll at a larger size, or less often",
            )


CHECK = Check("file-flood", "warning", "thousands of files a day", find, needs="events", limits={"files": 1000})
