"""strayed-recall: recalled lines in the file of a later period.

They were remembered before the boundary and written after the file had rolled: who looks for them by the file's name looks
in the wrong one. Needs `--events`.

Found::

    loggers: {root: {level: debug, to: a}}
    appenders:
      a: {sink: file, path: /x/a.log, recall: {events: 200, below: warn, at: error},
          roll: {every: minute, rename-to: "/x/a-{period|%H%M}.log", keep: {files: 5}}}
    # events
    debug ropeway.gate one after=50
    warn ropeway.gate two after=61
    error ropeway.gate three after=62

Fine::

    loggers: {root: {level: debug, to: a}}
    appenders:
      a: {sink: file, path: /x/a.log, recall: {events: 200, below: warn, at: error},
          roll: {every: minute, rename-to: "/x/a-{period|%H%M}.log", keep: {files: 5}}}
    # events
    debug ropeway.gate one after=50
    error ropeway.gate three after=62
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base import clocks
from vetrina.core.checks._rolls import rolls
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.rolling.periods import period_of


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find files with events from before their period, where a recall writes them."""
    zone = clocks.zone(scene.plan.zone)
    for appender, roll in rolls(scene):
        simulation = (scene.rolled or {}).get(appender.name)
        if simulation is None or appender.recall is None or roll.every is None:
            continue
        every = roll.every
        strayed = [
            one for one in simulation.files if one.least is not None and one.least < period_of(one.opened, every, zone).start
        ]
        if strayed:
            yield Hit(
                appender.recall.origin,
                f"appender {appender.name}",
                f"recalled lines of {appender.name} stand in the file of a later period, as in {strayed[0].name}",
                "they were remembered before the boundary, and the file had rolled when they were written",
                "look for what led to an error in the file of the error, or roll by size",
            )


CHECK = Check("strayed-recall", "hint", "recalled lines in the file of a later period", find, needs="events")
