"""unused-channel: a channel by which no event comes.

Its name may be mistyped: the nearest channel that events do come by is offered. Needs `--events`.

Found::

    channels: {acces: {logger: ropeway.door.requests}}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    info ropeway.door opened channel=access

Fine::

    channels: {access: {logger: ropeway.door.requests}}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    info ropeway.door opened channel=access
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.faults import nearest
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find named channels without events."""
    seen = [name for name in scene.rush.channels if name]
    for name, channel in scene.plan.channels.items():
        if name in seen:
            continue
        close = nearest(name, seen, cutoff=0.6)
        yield Hit(
            channel.origin,
            f"channel {name}",
            f"no event comes by the channel {name}",
            "what is set here may be meant for another channel",
            f"did you mean {close[0]}?" if close else "check the name, or take longer events",
        )


CHECK = Check("unused-channel", "hint", "a channel by which no event comes", find, needs="events")
