"""unheard-statement: a statement of the program writes at warn or above, and its message arrives nowhere.

It is routed as the first of all events, without the values that go along. One whose logger or level only the run shows is
not looked at. Needs `--source`.

Found::

    loggers: {root: {to: a}, lib: {level: error}}
    appenders: {a: {sink: none}}
    # source
    warn lib.pool no idle connection

Fine::

    loggers: {root: {to: a}, lib: {level: warn}}
    appenders: {a: {sink: none}}
    # source
    warn lib.pool no idle connection
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import WARN, Check, CheckContext, Hit
from vetrina.core.survey.arriving import arrivals
from vetrina.core.survey.statements import Statement


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find warnings and errors in the source that arrive nowhere, by logger and gate."""
    grave = [one for one in scene.statements if one.sure and (scene.plan.scale.severity(one.level) or 0) >= WARN]
    lost: dict[tuple[str, str], list[Statement]] = {}
    for one, arrival in zip(grave, arrivals(grave, scene.plan), strict=True):
        if not arrival.appenders:
            lost.setdefault((one.logger, str(arrival.stopped_at)), []).append(one)
    for (logger, gate), some in lost.items():
        first, nearest = some[0], scene.tree.standing(logger)
        more = f", and {len(some) - 1} more of this logger" if len(some) > 1 else ""
        yield Hit(
            nearest.entry.origin if nearest.entry is not None else nearest.origin,
            f"logger {logger}",
            f'"{first.message[:80]}" at {first.level} from {logger} arrives nowhere: the gate {gate} stops it{more}',
            f"it stands at {first.file}:{first.line}",
            f"vetrina why PLAN --logger {logger} --level {first.level} shows each gate",
        )


CHECK = Check(
    "unheard-statement", "warning", "a warning or an error of the program's source arrives nowhere", find, needs="source"
)
