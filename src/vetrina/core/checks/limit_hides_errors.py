"""limit-hides-errors: a limit that stopped errors.

Needs `--events`. Limits: `errors` (1), from how many errors on it is told.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, limit: {events: 1, per: 1 minute, same: [logger]}}}
    # events
    error ropeway.drive one
    error ropeway.drive two after=5

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, limit: {events: 1, per: 1 minute, same: [text]}}}
    # events
    error ropeway.drive one
    error ropeway.drive two after=5
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find limits that stopped errors."""
    for name, one in scene.rush.pressure.items():
        limit = scene.plan.appenders[name].limit
        errors = {key: count for key, count in one.stopped.get("limit", {}).items() if key[1] >= ERROR}
        count = sum(errors.values())
        if limit is None or count < scene.limit(CHECK, "errors") or not count:
            continue
        loudest = max(errors, key=lambda key: (errors[key], key))
        yield Hit(
            limit.origin,
            f"appender {name}",
            f"the limit of {name} stopped {counted(count, 'error')}, {errors[loudest]} of them of {loudest[0]}",
            f"{limit.words()}: in the rush hour {name} does not tell of each",
            "let more pass, or tell them apart by what differs: same: [text]",
        )


CHECK = Check("limit-hides-errors", "warning", "a limit that stopped errors", find, needs="events", limits={"errors": 1})
