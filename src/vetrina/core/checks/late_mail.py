"""late-mail: a mail that waits for company that may never come.

The buffer has no age: what it holds is sent when enough events are there, perhaps days later.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: mail, host: h, from: a@x.example, recipients: b@x.example, buffer: {events: 50, at-once: error}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: mail, host: h, from: a@x.example, recipients: b@x.example, buffer: {events: 50, age: 5 minutes, at-once: error}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find mail buffers without an age."""
    for appender in scene.appenders(lambda sink: sink.summons):
        buffer = appender.buffer
        if buffer is not None and buffer.age is None and (buffer.events or 0) > 1:
            yield Hit(
                buffer.origin,
                f"appender {appender.name}",
                f"{appender.name} waits for {counted(buffer.events or 0, 'event')}, however long that takes",
                "a mail about this morning may come tonight, or never",
                "give the buffer an age",
                f"--set 'appenders[{appender.name}].buffer.age=5 minutes'",
            )


CHECK = Check("late-mail", "warning", "a mail that waits for company that may never come", find)
