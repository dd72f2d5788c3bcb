"""recall-never: a recall that nothing sets off.

Nothing at or above `at` can come to the appender, so what it remembers is never written.

Found::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: none, ceiling: warn, recall: {events: 200, below: warn, at: error}}}

Fine::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: none, recall: {events: 200, below: warn, at: error}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find recalls whose errors never come."""
    for appender in scene.appenders():
        recall, passing = appender.recall, scene.passing(appender)
        if recall is None or passing is None or passing[1] >= recall.at:
            continue
        yield Hit(
            recall.origin,
            f"appender {appender.name}",
            f"nothing at {scene.level(recall.at)} or above comes to {appender.name}: what it remembers is never written",
            f"the highest that comes is {scene.level(passing[1])}",
            "raise the ceiling, or lower recall.at",
            f"--set 'appenders[{appender.name}].recall.at={scene.level(passing[1])}'" if passing[1] >= recall.below else "",
        )


CHECK = Check("recall-never", "warning", "a recall that nothing sets off", find)
