"""slow-sink: a slow sink that receives debug.

A mail, a request or a table row for every debug message slows the program down, and the receiver as well.

Found::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: http, url: "http://127.0.0.1/x"}}

Fine::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: http, url: "http://127.0.0.1/x", floor: info}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import DEBUG, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find tables, mailboxes and URLs that debug reaches."""
    for appender in scene.appenders(lambda sink: sink.slow):
        passing = scene.passing(appender)
        if passing is not None and passing[0] <= DEBUG and not scene.lifts and appender.recall is None:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"{appender.name} ({appender.sink.kind}) receives {scene.level(max(passing[0], 1))}",
                "each message costs a round trip, and there are many",
                "give it a floor",
                f"--set 'appenders[{appender.name}].floor=info'",
            )


CHECK = Check("slow-sink", "warning", "a slow sink that receives debug", find)
