"""idle-floor: a floor that lets nothing more through.

It lies below everything that can reach it: the logger's level has stopped the rest already. Who wrote it may believe that
an appender can let through what a logger has stopped.

Found::

    loggers: {root: {level: warn, to: a}}
    appenders: {a: {sink: none, floor: debug}}

Fine::

    loggers: {root: {level: warn, to: a}}
    appenders: {a: {sink: none, floor: error}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import OFF, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find floors below what can come to them."""
    for appender in scene.plan.appenders.values():
        incoming = scene.incoming(appender)
        floor = appender.floor
        if incoming and floor.origin.kind != "default" and 0 < floor.value < incoming[0]:
            yield Hit(
                floor.origin,
                f"appender {appender.name}",
                f"floor {scene.level(floor.value)} of {appender.name} lets nothing more through",
                f"nothing below {scene.level(incoming[0])} comes to it: the loggers have stopped it already",
                "lower the level of the logger that is wanted, or remove the floor",
                f"--set 'appenders[{appender.name}].floor=null'",
            )
    for name, entry in scene.tree.entries.items():
        lowest = scene.lowest[name]
        for at, one in enumerate(entry.to):
            if one.floor.origin.kind != "default" and 0 < one.floor.value < lowest < OFF:
                yield Hit(
                    one.floor.origin,
                    f"logger {name}",
                    f"floor {scene.level(one.floor.value)} of {name}'s attachment of {one.appender} lets nothing more through",
                    f"nothing below {scene.level(lowest)} comes to it: the loggers have stopped it already",
                    "lower the level of the logger that is wanted, or remove the floor",
                    f"--set 'loggers[{name}].to[{at}].floor=null'",
                )


CHECK = Check("idle-floor", "warning", "a floor that lets nothing more through", find)
