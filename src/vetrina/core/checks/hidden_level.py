"""hidden-level: a logger lets levels through that every appender on its way stops.

Its level costs what the events cost, and nobody sees them: the floors of all that it delivers to lie above it. Who set the level
wanted these events to be seen.

Found::

    loggers: {root: {level: warn, to: a}, ropeway.auth: {level: info}}
    appenders: {a: {sink: none, floor: notice}}

Fine::

    loggers: {root: {level: warn, to: a}, ropeway.auth: {level: notice}}
    appenders: {a: {sink: none, floor: notice}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.levels import OFF
from vetrina.core.base.logger_names import ROOT
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find loggers with a level of their own below the floors of all that they deliver to."""
    for name, entry in scene.tree.entries.items():
        if entry.level is None or entry.level.value >= OFF:
            continue
        floors = [
            max(one.floor.value, appender.floor.value)
            for _, one in scene.tree.attachments(name)
            if (appender := scene.plan.appenders[one.appender]).enabled.value
        ]
        least = min(floors, default=0)
        hidden = [scene.level(one) for one in scene.plan.scale.named() if entry.level.value <= one < least]
        if not hidden or least >= OFF:
            continue
        shown = hidden[0] if len(hidden) == 1 else f"{hidden[0]} to {hidden[-1]}"
        yield Hit(
            entry.level.origin,
            f"logger {name}",
            f"{shown} of {name} passes its level and reaches nobody",
            f"everything that it delivers to takes {scene.level(least)} and above only",
            "lower a floor to see these events, or raise the level to save them",
            f"--set 'loggers[{name}].level={scene.level(least)}'",
            severity="hint" if name == ROOT else None,
        )


CHECK = Check("hidden-level", "warning", "a logger lets levels through that every appender on its way stops", find)
