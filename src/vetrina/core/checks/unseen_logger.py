"""unseen-logger: no event comes from this logger, or from any below it.

Its name may be mistyped: the nearest name that events do bear is offered. Needs `--events`. Least sample: `least` (100)
events, unless they bear a name that is nearly the same.

Found::

    loggers: {root: {to: a}, ropeway.gaet: debug}
    appenders: {a: {sink: none}}
    # events
    info ropeway.gate hello

Fine::

    loggers: {root: {to: a}, ropeway: debug}
    appenders: {a: {sink: none}}
    # events
    info ropeway.gate hello
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.faults import nearest
from vetrina.core.base.logger_names import ROOT, ancestry
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find configured loggers without events at or below them."""
    seen: set[str] = set()
    for logger in scene.seen or {}:
        seen.update(ancestry(logger, scene.plan.separator))
    for name, entry in scene.tree.entries.items():
        if name == ROOT or name in seen:
            continue
        close = nearest(name, scene.seen or {}, cutoff=0.8)
        if not close and sum(one.events for one in (scene.seen or {}).values()) < scene.limit(CHECK, "least"):
            continue
        yield Hit(
            entry.origin,
            f"logger {name}",
            f"no event comes from {name}",
            "what is set here may be meant for another logger",
            f"did you mean {close[0]}?" if close else "check the name, or take longer events",
        )


CHECK = Check(
    "unseen-logger",
    "warning",
    "no event comes from this logger, or from any below it",
    find,
    needs="events",
    limits={"least": 100},
)
