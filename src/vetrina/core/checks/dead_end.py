"""dead-end: a logger that ends the climb and delivers nowhere.

`climb: false` without `to`: everything from this logger and from below it is lost, errors included.

Found::

    loggers: {root: {to: a}, lib: {climb: false}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a}, lib: {climb: false, to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find entries with climb: false and no attachment."""
    for name, entry in scene.tree.entries.items():
        if not entry.climb.value and not entry.to and name != "root":
            yield Hit(
                entry.climb.origin,
                f"logger {name}",
                f"{name} does not climb and delivers to nobody",
                "everything from it and from below it is lost, errors included",
                "attach an appender, or remove climb: false",
                f"--set 'loggers[{name}].climb=null'",
            )


CHECK = Check("dead-end", "warning", "a logger that ends the climb and delivers nowhere", find)
