"""window-gap: levels that fall between two appenders.

Several appenders hang on one logger, and none of them takes all of its levels: one takes lower levels, another higher ones, and a
level between them goes to neither, by a ceiling, a floor or a rule. What takes every level of the logger elsewhere (a console, say)
does not close the gap: whoever looks into the others will miss the level.

Found::

    loggers: {root: {to: [low, high]}}
    appenders: {low: {sink: none, ceiling: info}, high: {sink: none, floor: error}}

Fine::

    loggers: {root: {to: [low, high]}}
    appenders: {low: {sink: none, ceiling: notice}, high: {sink: none, floor: warn}}
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from vetrina.core.base.origins import Origin
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.model import Appender


class _Taken(Struct):
    """Which named levels of a logger the appenders on its climb take; ``own`` are those that hang on the logger itself."""

    levels: list[int]
    own: dict[str, set[int]]
    above: dict[str, set[int]]

    def partly(self) -> dict[str, set[int]]:
        """Return the logger's own appenders that take some levels, and not all."""
        return {name: some for name, some in self.own.items() if some and some != set(self.levels)}

    def whole(self) -> list[str]:
        """Return the appenders that take all."""
        return [name for name, some in {**self.above, **self.own}.items() if some == set(self.levels)]


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find neighbours with a named level between them."""
    told: set[tuple[str, str]] = set()
    for logger, entry in scene.tree.entries.items():
        if len({one.appender for one in entry.to}) < 2:
            continue
        taken = _taken(scene, logger)
        for (low, high), lost in _gaps(taken).items():
            if (low, high) not in told:
                told.add((low, high))
                yield _hit(scene, logger, (low, high), lost, taken)


def _taken(scene: CheckContext, logger: str) -> _Taken:
    found = _Taken([], {}, {})
    for severity in scene.plan.scale.named():
        decision = scene.router.compile(logger, severity)
        if decision.route is not None:
            if decision.route.stopped_at is not None:
                continue
            passed = {(one.appender, one.via) for one in decision.route.deliveries}
            passed |= {(one.appender, one.via) for one in decision.route.stops if one.gate == "once"}
        else:
            if not decision.level_passes:
                continue
            passed = {(one.appender, one.via) for one in decision.lanes if one.open}
        found.levels.append(severity)
        for via, one in scene.tree.attachments(logger):
            if scene.plan.appenders[one.appender].enabled.value:
                kept = found.own if via == logger else found.above
                kept.setdefault(one.appender, set()).update({severity} if (one.appender, via) in passed else ())
    return found


def _gaps(taken: _Taken) -> dict[tuple[str, str], list[int]]:
    """Return the levels that none of the appenders takes which divide them, by those that take the next lower and the next higher one."""
    partly, found = taken.partly(), dict[tuple[str, str], list[int]]()
    above = {level for some in taken.above.values() if some != set(taken.levels) for level in some}
    for severity in taken.levels:
        if severity in above or any(severity in some for some in partly.values()):
            continue
        lower = {name: max(under) for name, some in partly.items() if (under := [one for one in some if one < severity])}
        upper = {name: min(over) for name, some in partly.items() if (over := [one for one in some if one > severity])}
        low = max(lower, key=lambda name: lower[name], default=None)
        high = min((name for name in upper if name != low), key=lambda name: upper[name], default=None)
        if low is not None and high is not None:
            found.setdefault((low, high), []).append(severity)
    return found


def _hit(scene: CheckContext, logger: str, ends: tuple[str, str], lost: list[int], taken: _Taken) -> Hit:
    low, high = (scene.plan.appenders[name] for name in ends)
    names = [scene.level(severity) for severity in lost]
    up_to = max(one for one in taken.own[low.name] if one < lost[0])
    begins = min(one for one in taken.own[high.name] if one > lost[-1])
    whole = taken.whole()
    origin, fix, edit = _mending(low, high, lost[0], names)
    return Hit(
        origin,
        f"appender {high.name}",
        f"{' and '.join(names)} of {logger} fall between {low.name} (up to {scene.level(up_to)}) and "
        f"{high.name} (from {scene.level(begins)} on)",
        "they go to neither of the two" + (f", only to {' and '.join(whole)}, which takes every level" if whole else ""),
        fix,
        edit,
    )


def _mending(low: Appender, high: Appender, severity: int, names: list[str]) -> tuple[Origin, str, str]:
    """Return the place of what keeps a level from the upper appender, else from the lower one, and what to do about it."""
    if severity < high.floor.value:
        return high.floor.origin, "let the one end where the other begins", f"--set 'appenders[{high.name}].floor={names[0]}'"
    if severity > low.ceiling.value:
        return (
            low.ceiling.origin,
            "let the one end where the other begins",
            f"--set 'appenders[{low.name}].ceiling={names[-1]}'",
        )
    ruled = next((one for one in (high, low) if one.rules), high)
    origin = ruled.rules[0].origin if ruled.rules else ruled.origin
    return origin, f"let the rules or the attachment of {low.name} or {high.name} let {' and '.join(names)} through", ""


CHECK = Check("window-gap", "warning", "levels that fall between two appenders", find)
