"""wide-debug: debug, or lower, for much of the program into a file or a mailbox.

Root, or a logger with five or more configured loggers that share its level, is at debug or lower, and a file or a mail
receives it. Left on in production, this is what fills the disk. Limit `loggers` (5): from how many loggers on.

Found::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: file, path: /x/a.log}}

Fine::

    loggers: {root: {level: info, to: a}, ropeway.gate: debug}
    appenders: {a: {sink: file, path: /x/a.log}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.logger_names import ROOT
from vetrina.core.checks.context import DEBUG, Check, CheckContext, Hit, subtree_sizes


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find set levels at debug or lower that hold for many and reach a file or a mailbox."""
    least = scene.limit(CHECK, "loggers")
    sizes = subtree_sizes(scene)
    for name, entry in scene.tree.entries.items():
        if entry.level is None or entry.level.value > DEBUG or (name != ROOT and sizes[name] < least):
            continue
        severity = max(entry.level.value, 1)
        sinks = dict.fromkeys(one.appender for _, one in scene.tree.attachments(name) if _takes(scene, one.appender, severity))
        if sinks:
            count = "every logger" if name == ROOT else f"{sizes[name]} configured loggers"
            yield Hit(
                entry.level.origin,
                f"logger {name}",
                f"{name} is at {scene.level(entry.level.value)}, which holds for {count} and goes to {', '.join(sinks)}",
                "left on, this fills the disk and hides what matters",
                "set the level on the one logger that is looked at, or give the appender a floor",
                f"--tune {name}=info",
            )


def _takes(scene: CheckContext, appender: str, severity: int) -> bool:
    one = scene.plan.appenders[appender]
    return (
        (one.sink.traits.rolls or one.sink.traits.summons)
        and scene.receives(one, max(severity, one.floor.value))
        and one.floor.value <= DEBUG
        and (one.recall is None or one.recall.below <= severity)
    )


CHECK = Check(
    "wide-debug", "warning", "debug, or lower, for much of the program into a file or a mailbox", find, limits={"loggers": 5}
)
