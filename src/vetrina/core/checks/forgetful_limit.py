"""forgetful-limit: a limit with more keys than it remembers.

Of at most 100,000 keys it is remembered what passed: beyond, some events pass that should not have. Needs `--events`.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, limit: {events: 1, per: 1 day, same: [text]}}}
    # events
    # 100001 times each info ropeway hello

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, limit: {events: 1, per: 1 day, same: [logger]}}}
    # events
    # 100001 times each info ropeway hello
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.rush.limit import MOST_KEYS


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find limits that forgot keys."""
    for name, one in scene.rush.pressure.items():
        limit = scene.plan.appenders[name].limit
        if limit is not None and one.forgot:
            yield Hit(
                limit.origin,
                f"appender {name}",
                f"the limit of {name} had more than {MOST_KEYS:,} keys at once",
                "what passed of the oldest was forgotten, so that some passed that should not have",
                "tell events apart by less, or within a shorter time",
            )


CHECK = Check("forgetful-limit", "hint", "a limit with more keys than it remembers", find, needs="events")
