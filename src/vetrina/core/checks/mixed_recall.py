"""mixed-recall: a recall in which threads push each other's events out.

It remembers the last events of all threads together, and these come from several: a busy one pushes out what led to
another's error, and an error recalls what others did. Needs `--events`.

Found::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: none, recall: {events: 200, below: warn, at: error}}}
    # events
    debug ropeway.gate one thread=gate-1
    debug ropeway.gate two thread=gate-2

Fine::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: none, recall: {events: 200, below: warn, at: error, same: [thread]}}}
    # events
    debug ropeway.gate one thread=gate-1
    debug ropeway.gate two thread=gate-2
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find recalls without a key to which events of several threads come."""
    for name, one in scene.rush.pressure.items():
        recall = scene.plan.appenders[name].recall
        if recall is not None and not recall.same and len(one.threads) > 1:
            yield Hit(
                recall.origin,
                f"appender {name}",
                f"events of several threads come to {name}, and its recall remembers them together",
                "a busy thread pushes out what led to the error of another one",
                "remember each thread by itself",
                f"--set 'appenders[{name}].recall.same=[thread]'",
            )


CHECK = Check("mixed-recall", "hint", "a recall in which threads push each other's events out", find, needs="events")
