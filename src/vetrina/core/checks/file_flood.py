"""file-flood: thousands of files a day.

Limits: `files` (1000), from how many files a day on; `least` (20), how many files there must be at the least, for a day is
extrapolated from a recording that is shorter. Needs `--events`.

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

from collections import Counter
from collections.abc import Iterator

from vetrina.core.base import clocks
from vetrina.core.base.quantities import show_span
from vetrina.core.checks._rolls import rolls
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.rolling.pace import pace_of


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find files that come too fast."""
    for appender, roll in rolls(scene):
        simulation = (scene.rolled or {}).get(appender.name)
        if simulation is None or not simulation.files:
            continue
        opened = [one.opened for one in simulation.files]
        pace = pace_of(min(opened), max(opened), clocks.zone(scene.plan.zone))
        counts = Counter(clocks.local(one, clocks.zone(scene.plan.zone)).date() for one in opened)
        a_day = pace.a_day(len(opened), counts)
        words = f"{pace.about}{a_day or 0:,} files a day, {pace.words()}"
        if a_day is None:  # that many are made within a day at the least
            a_day, words = len(opened), f"{len(opened):,} files within {show_span(pace.span)}"
        if a_day > scene.limit(CHECK, "files") and len(opened) >= scene.limit(CHECK, "least"):
            yield Hit(
                roll.origin,
                f"appender {appender.name}",
                f"{appender.name} makes {words}",
                "folders of that many files are slow to list, to copy and to search",
                "roll at a larger size, or less often",
            )


CHECK = Check("file-flood", "warning", "thousands of files a day", find, needs="events", limits={"files": 1000, "least": 20})
