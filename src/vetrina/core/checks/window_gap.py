"""window-gap: levels that fall between two appenders.

Two appenders hang on one logger, one up to a ceiling, the other from a floor on, and a level between them goes to neither.

Found::

    loggers: {root: {to: [low, high]}}
    appenders: {low: {sink: none, ceiling: info}, high: {sink: none, floor: error}}

Fine::

    loggers: {root: {to: [low, high]}}
    appenders: {low: {sink: none, ceiling: notice}, high: {sink: none, floor: warn}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._windows import complements
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find neighbours with a named level between them."""
    for logger, low, high in complements(scene):
        between = [
            name
            for name in scene.plan.scale.names()
            if low.ceiling.value < (scene.plan.scale.severity(name) or 0) < high.floor.value
        ]
        lost = list(dict.fromkeys(scene.level(scene.plan.scale.severity(name) or 0) for name in between))
        others = [one.appender for _, one in scene.tree.attachments(logger) if one.appender not in {low.name, high.name}]
        caught = [
            name
            for name in lost
            if any(scene.receives(scene.plan.appenders[other], scene.plan.scale.severity(name) or 0) for other in others)
        ]
        lost = [name for name in lost if name not in caught]
        if lost:
            yield Hit(
                high.floor.origin,
                f"appender {high.name}",
                f"{' and '.join(lost)} of {logger} fall between {low.name} (up to {scene.level(low.ceiling.value)}) and "
                f"{high.name} (from {scene.level(high.floor.value)} on)",
                "they go to neither of the two",
                "let the one end where the other begins",
                f"--set 'appenders[{high.name}].floor={lost[0]}'",
            )


CHECK = Check("window-gap", "warning", "levels that fall between two appenders", find)
