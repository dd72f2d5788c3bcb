"""mail-flood: a mail for every single event.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: mail, host: h, from: a@x.example, recipients: b@x.example}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: mail, host: h, from: a@x.example, recipients: b@x.example, buffer: {events: 50, age: 5 minutes, at-once: error}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find mailboxes without a buffer, or with one that everything empties."""
    for appender in scene.appenders(lambda sink: sink.summons):
        passing, buffer = scene.passing(appender), appender.buffer
        if passing is None or appender.limit is not None:
            continue
        at_once = buffer is not None and buffer.at_once is not None and buffer.at_once <= passing[0]
        alone = buffer is None or (buffer.events == 1) or at_once or (buffer.events is None and buffer.age is None)
        if alone:
            yield Hit(
                buffer.origin if buffer else appender.origin,
                f"appender {appender.name}",
                f"{appender.name} sends a mail for every event",
                "one bad minute, and thousands of mails are on their way; nobody reads the next one",
                "give it a buffer with events and age",
                f"--set 'appenders[{appender.name}].buffer={{events: 50, age: 5 minutes}}'",
            )


CHECK = Check("mail-flood", "warning", "a mail for every single event", find)
