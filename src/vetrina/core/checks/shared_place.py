"""shared-place: two appenders write to one place.

In a file their lines mix, each rolls and counts by itself, and one may delete what the other wrote.

Found::

    loggers: {root: {to: [a, b]}}
    appenders: {a: {sink: file, path: /x/a.log}, b: {sink: file, path: /x/../x/a.log}}

Fine::

    loggers: {root: {to: [a, b]}}
    appenders: {a: {sink: file, path: /x/a.log}, b: {sink: file, path: /x/b.log}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.model import Appender


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find appenders whose sinks are one place."""
    first: dict[str, Appender] = {}
    for appender in scene.appenders(lambda sink: not sink.nowhere):
        other = first.setdefault(appender.sink.place, appender)
        if other is appender:
            continue
        file = bool(appender.sink.traits.file_key)
        yield Hit(
            appender.origin,
            f"appender {appender.name}",
            f"{appender.name} and {other.name} write to one place: {appender.sink.kind} {appender.sink.label}",
            "their lines mix, and each rolls by itself" if file else "what both receive is there twice",
            f"give {appender.name} a place of its own, or attach {other.name} instead",
            severity="warning" if file else "hint",
        )


CHECK = Check("shared-place", "warning", "two appenders write to one place", find)
