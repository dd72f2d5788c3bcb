"""void-attachment: an attachment whose window its appender closes.

Found::

    loggers: {root: {to: [{appender: a, ceiling: info}]}}
    appenders: {a: {sink: none, floor: error}}

Fine::

    loggers: {root: {to: [{appender: a, floor: info}]}}
    appenders: {a: {sink: none, floor: error}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find attachments whose window has nothing in common with the appender's."""
    for name, entry in scene.tree.entries.items():
        for one in entry.to:
            appender = scene.plan.appenders[one.appender]
            low = max(one.floor.value, appender.floor.value)
            high = min(one.ceiling.value, appender.ceiling.value)
            own_empty = one.floor.value > one.ceiling.value or appender.floor.value > appender.ceiling.value
            if low > high and not own_empty:
                yield Hit(
                    one.origin,
                    f"logger {name}",
                    f"nothing can pass from {name} to {one.appender}: one lets {_window(scene, one.floor.value, one.ceiling.value)} through, "
                    f"the other {_window(scene, appender.floor.value, appender.ceiling.value)}",
                    "the attachment's window and the appender's have nothing in common",
                    "widen one of the two",
                )


def _window(scene: CheckContext, low: int, high: int) -> str:
    if low <= 1:
        return f"{scene.level(high)} and below"
    return f"{scene.level(low)} and above" if high >= 24 else f"{scene.level(low)} to {scene.level(high)}"


CHECK = Check("void-attachment", "warning", "an attachment whose window its appender closes", find)
