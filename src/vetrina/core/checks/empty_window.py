"""empty-window: a floor above its ceiling: nothing passes.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, floor: error, ceiling: info}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, floor: info, ceiling: error}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.model import Appender, Attachment


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find windows of appenders and attachments that are empty."""
    for appender in scene.plan.appenders.values():
        yield from _look(scene, appender, f"appender {appender.name}", appender.name)
    for name, entry in scene.tree.entries.items():
        for one in entry.to:
            yield from _look(scene, one, f"logger {name}", f"{name}'s attachment of {one.appender}")


def _look(scene: CheckContext, one: Appender | Attachment, subject: str, owner: str) -> Iterator[Hit]:
    if max(one.floor.value, 1) > min(one.ceiling.value, 24):
        origin = one.floor.origin if one.floor.origin.kind != "default" else one.ceiling.origin
        yield Hit(
            origin,
            subject,
            f"nothing passes {owner}: its floor is {scene.level(one.floor.value)}, its ceiling {scene.level(one.ceiling.value)}",
            "no level is at or above the one and at or below the other",
            "exchange the two, or remove one",
        )


CHECK = Check("empty-window", "error", "a floor above its ceiling: nothing passes", find)
