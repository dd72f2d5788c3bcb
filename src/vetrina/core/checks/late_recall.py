"""late-recall: a recall that comes too late for what the loggers stop.

Loggers stop an event before the appender could remember it: where their level is not below `below`, nothing is ever
remembered; where it is above debug, debug is not.

Found::

    loggers: {root: {level: info, to: a}}
    appenders: {a: {sink: none, recall: {events: 200, below: warn, at: error}}}

Fine::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: none, recall: {events: 200, below: warn, at: error}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import DEBUG, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find recalls to which nothing, or no debug message, comes that they could remember."""
    for appender in scene.appenders():
        recall, passing = appender.recall, scene.passing(appender)
        if recall is None or passing is None or passing[0] <= DEBUG or recall.below <= DEBUG:
            continue
        none = passing[0] >= recall.below
        yield Hit(
            recall.origin,
            f"appender {appender.name}",
            f"nothing below {scene.level(recall.below)} comes to {appender.name}: it remembers nothing"
            if none
            else f"{appender.name} remembers nothing below {scene.level(passing[0])}: that is stopped before it comes there",
            "a recall makes debug affordable only where the loggers let debug pass",
            "lower the level of the loggers that deliver there to debug",
            severity="warning" if none else None,
        )


CHECK = Check("late-recall", "hint", "a recall that comes too late for what the loggers stop", find)
