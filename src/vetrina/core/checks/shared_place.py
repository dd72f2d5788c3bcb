"""shared-place: two appenders write to one place.

In a file their lines mix, each rolls and counts by itself, and one may delete what the other wrote. Of several plans in one call,
files and tables that two of them write to are found as well.

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
from vetrina.core.plan.model import Appender, Plan


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find appenders whose sinks are one place."""
    first: dict[str, Appender] = {}
    for appender in scene.appenders(lambda sink: not sink.nowhere):
        other, file = first.setdefault(appender.sink.place, appender), bool(appender.sink.traits.file_key)
        if other is appender:
            elsewhere = scene.elsewhere.get(appender.sink.place)
            if elsewhere is not None:
                yield Hit(
                    appender.origin,
                    f"appender {appender.name}",
                    f"{appender.name} and {elsewhere} write to one place: {appender.sink.kind} {appender.sink.label}",
                    "the lines of both mix, and each rolls by itself" if appender.sink.traits.rolls else "the rows of both mix",
                    f"give {appender.name} a place of its own",
                )
            continue
        yield Hit(
            appender.origin,
            f"appender {appender.name}",
            f"{appender.name} and {other.name} write to one place: {appender.sink.kind} {appender.sink.label}",
            "their lines mix, and each rolls by itself" if file else "what both receive is there twice",
            f"give {appender.name} a place of its own, or attach {other.name} instead",
            severity="warning" if file else "hint",
        )


def lasting_places(plan: Plan, name: str) -> dict[str, str]:
    """Return the files and tables that a plan writes to, by place, each with who writes there: another plan may write there too."""
    written = [one for one in plan.appenders.values() if one.enabled.value and one.sink.traits.file_key]
    return {one.sink.place: f"{one.name} of {name}" for one in written}


CHECK = Check("shared-place", "warning", "two appenders write to one place", find)
