"""attached-to-off: an appender whose loggers are all off.

Found::

    loggers: {root: {to: a}, lib: {level: off, to: b}}
    appenders: {a: {sink: none}, b: {sink: none}}

Fine::

    loggers: {root: {to: a}, lib: {level: off, to: b}, lib.pool: info}
    appenders: {a: {sink: none}, b: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import OFF, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find appenders that are only attached where nothing can come from."""
    for appender in scene.plan.appenders.values():
        loggers = [logger for logger, _ in scene.attached[appender.name]]
        if loggers and all(scene.lowest[logger] >= OFF for logger in loggers):
            names = ", ".join(dict.fromkeys(loggers))
            yield Hit(
                scene.tree.standing(loggers[0]).origin,
                f"appender {appender.name}",
                f"appender {appender.name} is attached to {names} only, which is off",
                "nothing will ever arrive in its sink",
                "lower the logger's level, or attach it elsewhere",
                f"--tune {loggers[0]}=error",
            )


CHECK = Check("attached-to-off", "warning", "an appender whose loggers are all off", find)
