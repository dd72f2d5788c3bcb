"""unreachable: an appender that can receive nothing at all.

Its file will be empty, and that is no good news: nothing could have come. Appenders that are not attached, switched off,
or that drop everything are told by checks of their own.

Found::

    loggers: {root: {level: warn, to: a}}
    appenders: {a: {sink: none, ceiling: info}}

Fine::

    loggers: {root: {level: info, to: a}}
    appenders: {a: {sink: none, ceiling: info}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import OFF, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find attached appenders that no severity can pass."""
    for appender in scene.appenders():
        attached = scene.attached[appender.name]
        on = [(logger, one) for logger, one in attached if scene.lowest[logger] < OFF]
        if not on or scene.passing(appender) is not None or appender.floor.value > appender.ceiling.value:
            continue
        lowest = min(max(scene.lowest[logger], one.floor.value) for logger, one in on)
        reason = f"nothing below {scene.level(lowest)} comes to it"
        if lowest <= appender.ceiling.value:
            reason = "the windows of its attachments and its own have nothing in common"
        else:
            reason += f", and its ceiling is {scene.level(appender.ceiling.value)}"
        yield Hit(
            appender.ceiling.origin if appender.ceiling.origin.kind != "default" else appender.origin,
            f"appender {appender.name}",
            f"{appender.name} can receive nothing at all",
            f"{reason}: an empty file here is no good news",
            "lower the level of a logger that delivers to it, or widen its window",
        )


CHECK = Check("unreachable", "warning", "an appender that can receive nothing at all", find)
