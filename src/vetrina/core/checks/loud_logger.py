"""loud-logger: one logger alone makes most of what arrives.

Limit `share` (50): from how many per cent of all deliveries on. Needs `--events`.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    info lib.pool one
    info lib.pool two
    info ropeway three

Fine::

    loggers: {root: {to: a}, lib.pool: warn}
    appenders: {a: {sink: none}}
    # events
    info lib.pool one
    info ropeway.gate three
    info ropeway.drive three
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._check import Check, Hit, Scene


def find(scene: Scene) -> Iterator[Hit]:
    """Find the logger that makes more than its share of the deliveries."""
    seen = scene.seen or {}
    total = sum(one.delivered for one in seen.values())
    for name, one in seen.items():
        share = 100 * one.delivered / total if total else 0
        if share > scene.limit(CHECK, "share") and len(seen) > 1:
            standing = scene.tree.standing(name)
            yield Hit(
                standing.origin,
                f"logger {name}",
                f"{name} alone makes {share:.0f} % of what arrives ({one.delivered} of {total} deliveries)",
                "it hides everything else",
                "raise its level, or give a rule that drops what nobody reads",
                f"--tune {name}={_next_level(scene, standing.severity)}",
            )


def _next_level(scene: Scene, severity: int) -> str:
    return next(scene.level(one) for one in (5, 9, 13, 17, 18) if one > severity or one == 18)


CHECK = Check(
    "loud-logger", "warning", "one logger alone makes most of what arrives", find, needs="events", limits={"share": 50}
)
