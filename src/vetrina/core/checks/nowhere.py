"""nowhere: a logger whose messages arrive nowhere.

Nothing is attached to it or to any of its ancestors.

Found::

    loggers: {ropeway: info, lib: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {ropeway: {level: info, to: a}, lib: {to: a}, root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.logger_names import ROOT
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find the topmost loggers without attachments on their climb, unless they are the dead end themselves."""
    empty: dict[str, bool] = {}
    for name in scene.in_order:
        entry, parent = scene.tree.entries.get(name), scene.tree.parent(name)
        climbs = entry is None or entry.climb.value
        above = empty.get(parent, True) if parent is not None else True
        empty[name] = not (entry and entry.to) and (not climbs or above)
        topmost = parent is None or parent == ROOT or not empty.get(parent, False)
        if empty[name] and entry is not None and climbs and topmost and name != ROOT:
            yield Hit(
                entry.origin,
                f"logger {name}",
                f"messages of {name} arrive nowhere",
                "nothing is attached to it or to any of its ancestors",
                "attach an appender to it, or to root",
                "" if not scene.plan.appenders else f"--set 'loggers[{name}].to={{add: [{next(iter(scene.plan.appenders))}]}}'",
            )


CHECK = Check("nowhere", "warning", "a logger whose messages arrive nowhere", find)
