"""twice: one message arrives twice in one sink.

A logger and its ancestor (or one logger twice) deliver to the same appender, and both windows let the same levels
through. Say `deliver: once`, `climb: false`, or attach in one place.

Found::

    loggers: {root: {to: a}, ropeway: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    deliver: once
    loggers: {root: {to: a}, ropeway: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._check import Check, Hit, Scene
from vetrina.core.levels import HIGHEST, LOWEST
from vetrina.core.plan import Attachment


def find(scene: Scene) -> Iterator[Hit]:
    """Find attachments whose appender is met again further on the climb."""
    if scene.plan.once.value:
        return
    for name, entry in scene.tree.entries.items():
        if not entry.to:
            continue
        climb = list(scene.tree.attachments(name))
        for at, own in enumerate(entry.to):
            again = next(((via, one) for via, one in climb[at + 1 :] if _both(scene, name, own, one)), None)
            if again is None or not scene.plan.appenders[own.appender].enabled.value:
                continue
            via, other = again
            here = f"{name} and {via}" if via != name else f"{name}, which names it twice"
            below = f"messages of {name} and below it"
            yield Hit(
                own.origin,
                f"logger {name}",
                f"{below} arrive twice in {own.appender}: through {here}",
                f"the second attachment is at {other.origin.brief()}",
                "attach it in one place, end the climb with climb: false, or say deliver: once",
                f"--set 'loggers[{name}].to={{remove: [{own.appender}]}}'" if via != name else "--set deliver=once",
            )


def _both(scene: Scene, name: str, first: Attachment, second: Attachment) -> bool:
    if first.appender != second.appender:
        return False
    appender = scene.plan.appenders[first.appender]
    low = max(scene.lowest[name], first.floor.value, second.floor.value, appender.floor.value, LOWEST)
    high = min(first.ceiling.value, second.ceiling.value, appender.ceiling.value, HIGHEST)
    return low <= high


CHECK = Check("twice", "warning", "one message arrives twice in one sink", find)
