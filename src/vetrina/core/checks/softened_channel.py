"""softened-channel: a channel whose errors count as less.

Its level is fixed below error: an error that comes by it counts as no error, and alarms do not hear of it.

Found::

    channels: {access: {logger: ropeway.door, level: notice}}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    channels: {access: {logger: ropeway.door}}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit
from vetrina.core.config.edits import step


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find channels with a fixed level below error."""
    for name, channel in scene.plan.channels.items():
        if channel.level is not None and channel.level.value < ERROR and channel.enabled.value:
            yield Hit(
                channel.level.origin,
                f"channel {name}",
                f"an error that comes by {name} counts as {scene.level(channel.level.value)}",
                "it passes no floor at error, recalls nothing, and looks harmless in every sink",
                "leave level out, so that each event keeps its own, where its errors matter",
                f"--set 'channels{step(name)}.level=null'",
            )


CHECK = Check("softened-channel", "hint", "a channel whose errors count as less", find)
