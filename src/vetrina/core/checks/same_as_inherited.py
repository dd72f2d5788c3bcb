"""same-as-inherited: a level that the logger would have anyway.

Harmless today, and a trap tomorrow: who lowers the ancestor's level finds that this logger does not follow.

Found::

    loggers: {root: {level: info, to: a}, ropeway: info}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {level: warn, to: a}, ropeway: info}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find set levels that equal the inherited one."""
    for name, entry in scene.tree.entries.items():
        parent = scene.tree.parent(name)
        if entry.level is None or parent is None:
            continue
        above = scene.tree.standing(parent)
        if above.severity == entry.level.value:
            level = scene.level(above.severity)
            yield Hit(
                entry.level.origin,
                f"logger {name}",
                f"{name} is set to {level}, which it would inherit from {above.inherited_from or above.name}",
                "it will not follow when that level is changed",
                "remove the level, unless it is meant to stay when the others move",
                f"--set 'loggers[{name}].level=null'",
            )


CHECK = Check("same-as-inherited", "hint", "a level that the logger would have anyway", find)
