"""loud-logger: one logger alone makes most of what arrives.

Limits: `share` (50), from how many per cent of all deliveries on; `least` (100), the least sample: so many deliveries.
Needs `--events`.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    # 200 times info lib.pool one
    # 100 times info ropeway three

Fine::

    loggers: {root: {to: a}, lib.pool: warn}
    appenders: {a: {sink: none}}
    # events
    # 200 times info lib.pool one
    # 100 times info ropeway.gate three
    # 100 times info ropeway.drive three
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.routing.cache import FURTHER


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find the logger that makes more than its share of the deliveries."""
    seen = scene.seen or {}
    total = sum(one.delivered for one in seen.values())
    if total < scene.limit(CHECK, "least"):
        return
    for name, one in seen.items():
        share = 100 * one.delivered / total
        if share > scene.limit(CHECK, "share") and len(seen) > 1 and not name.endswith(FURTHER):
            standing = scene.tree.standing(name)
            yield Hit(
                standing.origin,
                f"logger {name}",
                f"{name} alone makes {share:.0f} % of what arrives ({one.delivered:,} of {counted(total, 'delivery')})",
                "it hides everything else",
                "raise its level, or give a rule that drops what nobody reads",
                f"--tune {name}={_next_level(scene, standing.severity)}",
            )


def _next_level(scene: CheckContext, severity: int) -> str:
    return next(scene.level(one) for one in (5, 9, 13, 17, 18) if one > severity or one == 18)


CHECK = Check(
    "loud-logger",
    "warning",
    "one logger alone makes most of what arrives",
    find,
    needs="events",
    limits={"share": 50, "least": 100},
)
