"""crash-loss: a buffer from which a crash takes errors along.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, buffer: {events: 200, age: 5 seconds}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, buffer: {events: 200, age: 5 seconds, at-once: error}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find buffers in which errors wait."""
    for appender in scene.appenders():
        buffer = appender.buffer
        if buffer is None or buffer.events == 1 or (buffer.events is None and buffer.age is None):
            continue
        if scene.receives(appender, ERROR) and (buffer.at_once is None or buffer.at_once > ERROR):
            yield Hit(
                buffer.origin,
                f"appender {appender.name}",
                f"errors wait in the buffer of {appender.name}",
                "a crash loses what is waiting, and the last error is the one that is wanted",
                "say at-once: error",
                f"--set 'appenders[{appender.name}].buffer.at-once=error'",
            )


CHECK = Check("crash-loss", "warning", "a buffer from which a crash takes errors along", find)
