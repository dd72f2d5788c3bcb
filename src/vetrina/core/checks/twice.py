"""twice: one message arrives twice in one sink.

A logger and its ancestor (or one logger twice) deliver to the same appender, or to two that write to one place, and both
windows let the same levels through. Say `deliver: once`, `climb: false`, or attach in one place.

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

from vetrina.core.base.levels import HIGHEST, LOWEST
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.model import Attachment


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find attachments whose appender is met again further on the climb."""
    for name, entry in scene.tree.entries.items():
        if not entry.to:
            continue
        climb = list(scene.tree.attachments(name))
        for at, own in enumerate(entry.to):
            again = next(((via, one) for via, one in climb[at + 1 :] if _both(scene, name, own, one)), None)
            if again is None or not scene.plan.appenders[own.appender].enabled.value:
                continue
            via, other = again
            here = f"{name} and {via}" if via != name else f"{name}, which names {_both_of(own, other)}"
            sink = scene.plan.appenders[own.appender].where
            place = (
                own.appender if own.appender == other.appender else f"{sink}, which {own.appender} and {other.appender} write"
            )
            yield Hit(
                own.origin,
                f"logger {name}",
                f"messages of {name} and below it arrive twice in {place}: through {here}",
                f"the second attachment is at {other.origin.brief()}",
                "attach it in one place, end the climb with climb: false"
                + (", or say deliver: once" if own.appender == other.appender else ""),
                f"--set 'loggers[{name}].to={{remove: [{own.appender}]}}'"
                if via != name or own.appender != other.appender
                else "--set deliver=once",
            )


def _both_of(first: Attachment, second: Attachment) -> str:
    return "it twice" if first.appender == second.appender else "both"


def _both(scene: CheckContext, name: str, first: Attachment, second: Attachment) -> bool:
    """Tell whether one message passes both attachments into one place."""
    one, other = scene.plan.appenders[first.appender], scene.plan.appenders[second.appender]
    if one.place != other.place or (one is other and scene.plan.once.value) or not other.enabled.value:
        return False
    low = max(scene.lowest[name], first.floor.value, second.floor.value, one.floor.value, other.floor.value, LOWEST)
    high = min(first.ceiling.value, second.ceiling.value, one.ceiling.value, other.ceiling.value, HIGHEST)
    return low <= high


CHECK = Check("twice", "warning", "one message arrives twice in one sink", find)
