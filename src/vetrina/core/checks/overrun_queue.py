"""overrun-queue: a queue that drops events.

It was full when they came. Needs `--events`.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, queue: {events: 1, drains: 1/minute, full: drop}}}
    # events
    info ropeway.drive one
    info ropeway.drive two after=5

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, queue: {events: 10, drains: 1/minute, full: drop}}}
    # events
    info ropeway.drive one
    info ropeway.drive two after=5
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find queues that dropped something."""
    for name, one in scene.rush.pressure.items():
        policy, dropped = scene.plan.appenders[name].queue, one.stopped.get("queue", {})
        if policy is None or not dropped:
            continue
        errors = sum(count for (_, severity), count in dropped.items() if severity >= ERROR)
        yield Hit(
            policy.origin,
            f"appender {name}",
            f"the queue of {name} drops {counted(sum(dropped.values()), 'event')}"
            + (f", {errors} of them errors" if errors else ""),
            f"{policy.words(scene.plan.scale)}: more come than leave",
            "vetrina pressure --advice tells which queue would do",
            severity="error" if errors else None,
        )


CHECK = Check("overrun-queue", "warning", "a queue that drops events", find, needs="events")
