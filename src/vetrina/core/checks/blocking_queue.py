"""blocking-queue: a queue that holds the application.

While it is full, whoever logs waits. Needs `--events`. Limits: `seconds` (1), in all, from which on it is told.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, queue: {events: 1, drains: 1/minute, full: wait}}}
    # events
    info ropeway.drive one
    info ropeway.drive two after=5

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, queue: {events: 10, drains: 1/minute, full: wait}}}
    # events
    info ropeway.drive one
    info ropeway.drive two after=5
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find queues that held the application longer than a second."""
    for name, one in scene.rush.pressure.items():
        policy = scene.plan.appenders[name].queue
        if policy is None or one.queue is None:
            continue
        held = one.queue.held / 1_000_000_000
        if held > scene.limit(CHECK, "seconds"):
            yield Hit(
                policy.origin,
                f"appender {name}",
                f"the queue of {name} holds the application for {held:,.1f} seconds in all",
                f"{policy.words(scene.plan.scale)}: while it is full, every thread that logs there waits",
                "let it drop what matters least, or lengthen it: vetrina pressure --advice",
                f"--set 'appenders[{name}].queue.full=drop-below warn'",
            )


CHECK = Check("blocking-queue", "warning", "a queue that holds the application", find, needs="events", limits={"seconds": 1})
