"""needless-queue: a queue in which nobody ever waits behind another.

Never more than one event stood in line: without it the sink would get the same at the same times. Needs `--events`. Least
sample: `least` (1000) events that came to it.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, queue: {events: 100, drains: 1000/second}}}
    # events
    # 1500 times over 1 days info ropeway hello

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, queue: {events: 100, drains: 1/hour}}}
    # events
    # 1500 times over 1 days info ropeway hello
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find queues with no line."""
    for name, one in scene.rush.pressure.items():
        policy = scene.plan.appenders[name].queue
        if policy is None or one.queue is None or one.queue.longest > 1 or one.arrived < scene.limit(CHECK, "least"):
            continue
        yield Hit(
            policy.origin,
            f"appender {name}",
            f"nobody ever waited in the queue of {name} behind another",
            f"{counted(one.arrived, 'event')} came, and the sink was always through with the one before",
            "remove it, or see whether a rush hour needs it: vetrina pressure --scale 20",
            f"--set 'appenders[{name}].queue=null'",
        )


CHECK = Check(
    "needless-queue", "hint", "a queue in which nobody ever waits behind another", find, needs="events", limits={"least": 1000}
)
