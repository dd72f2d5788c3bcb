"""goes-round: a channel that nobody brings in.

Its events go round the configuration: no level, no rule and no appender of the plan concerns them. Needs `--events`.

Found::

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

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.config.edits import step


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find channels whose events go round."""
    for name, one in sorted(scene.rush.channels.items()):
        if not one.round:
            continue
        channel = scene.plan.channels.get(name)
        said = "the plan does not name it" if channel is None else "it is switched off"
        shown = name or "further channels"
        yield Hit(
            scene.tree.standing("root").origin if channel is None else channel.origin,
            "plan" if channel is None else f"channel {name}",
            f"{counted(one.round, 'event')} by the channel {shown} went round the configuration: {said}",
            "what is set here has no say about them, and what they would show is nowhere to be found here",
            "bring it in, as events of a logger at a level, or tell in a note why it may go round",
            f"--set 'channels{step(name)}.enabled=true'" if name else "",
        )


CHECK = Check("goes-round", "warning", "a channel that nobody brings in", find, needs="events")
