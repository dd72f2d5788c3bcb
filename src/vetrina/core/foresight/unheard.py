"""Levels that one plan lets through and another does not, and of which a recording holds nothing."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from vetrina.core.base.levels import HIGHEST, NAMES
from vetrina.core.base.logger_names import below
from vetrina.core.routing.router import Router


class UnrecordedLevels(Struct, frozen=True):
    """Levels that the change newly lets through, and of which the recording holds no event.

    ``below`` tells that this is so of all loggers at and below ``logger`` that go its way; else of that logger alone,
    which the recording knows at other levels.
    """

    logger: str
    low: int
    high: int
    below: bool = True


def unheard(before: Router, after: Router, recorded: Iterable[tuple[str, int]]) -> tuple[UnrecordedLevels, ...]:
    """Return what a recording, of which ``recorded`` are the loggers and severities, cannot tell: levels that newly arrive somewhere, and of which it holds no event.

    It is decided for each configured logger with those below it that go its way, and for each logger that the recording
    knows at other levels; one that holds events of a level or below it is taken to have been recorded at that level.
    Only levels that have a name count, and a logger that goes the way of one above it is told with that one.
    """
    named = sorted({*NAMES.values(), *after.plan.scale.extra.values()})
    heard = _least_heard(before, after, recorded)
    told: dict[str, UnrecordedLevels] = {}
    alone: list[UnrecordedLevels] = []
    for name in sorted({"root", *after.plan.loggers, *before.plan.loggers}, key=lambda one: (one != "root", one)):
        opened = [one for one in named if _opens(before, after, name, one)]
        own = heard.get(name, {})
        gap = [one for one in opened if one < min(own.values(), default=HIGHEST + 1)]
        above = [one for one in told.values() if below(name, one.logger, after.plan.separator)]
        if gap and not any(one.low <= gap[0] and gap[-1] <= one.high for one in above):
            told[name] = UnrecordedLevels(name, gap[0], gap[-1])
        for logger, least in sorted(own.items()):
            rest = [one for one in opened if one < least and one not in gap]
            if rest:
                alone.append(UnrecordedLevels(logger, rest[0], rest[-1], below=False))
    return (*told.values(), *alone)


def _least_heard(before: Router, after: Router, recorded: Iterable[tuple[str, int]]) -> dict[str, dict[str, int]]:
    """Return, for each configured logger, the recorded loggers that go its way with their lowest severity."""
    found: dict[str, dict[str, int]] = {}
    for logger, severity in recorded:
        nearest = [one for router in (before, after) if (one := router.tree.nearest(logger)) != "root"]
        way = found.setdefault(max(nearest, key=len, default="root"), {})
        way[logger] = min(severity, way.get(logger, severity))
    return found


def _opens(before: Router, after: Router, logger: str, severity: int) -> bool:
    """Tell whether events of a logger and level may arrive somewhere where they could not before."""
    return bool(_possible(after, logger, severity) - _possible(before, logger, severity))


def _possible(router: Router, logger: str, severity: int) -> set[str]:
    decision = router.compile(logger, severity)
    if decision.route is not None:
        return {one.appender for one in decision.route.deliveries}
    if not decision.level_passes and not any(rule.verdict == "lift" and rule.condition is True for rule in decision.door):
        return set()  # what only some events are lifted past is not opened to the level
    return {
        lane.appender
        for lane in decision.lanes
        if lane.attachment_gate is not False and lane.appender_gate is None and lane.appender_rules is not False
    }
