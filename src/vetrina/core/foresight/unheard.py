"""Levels that one plan lets through and another does not, and of which a recording holds nothing."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import groupby

from msgspec import Struct

from vetrina.core.base.logger_names import ROOT, named_above
from vetrina.core.routing.router import Router


class UnrecordedLevels(Struct, frozen=True):
    """Levels that the change newly lets through, and of which the recording holds no event, nor one below them.

    ``below`` tells that this is so of all that the change lets through from ``logger`` and those below it; else it is so of
    that logger alone, which the recording knows at other levels.
    """

    logger: str
    low: int
    high: int
    below: bool = True


def unheard(before: Router, after: Router, recorded: Iterable[tuple[str, int]]) -> tuple[UnrecordedLevels, ...]:
    """Return what a recording, of which ``recorded`` are the loggers and severities, cannot tell: levels that newly arrive somewhere, and of which it holds no event.

    It is decided for each logger that one of the plans names with all below it, as far as the change lets more of them
    through, and for each recorded logger; one that holds events of a level or below it was recorded at that level. What is
    told of a logger is not told again of those below it. Only levels that have a name count.
    """
    return _Gaps(before, after).told(recorded)


class _Gaps:
    """What a change newly lets through, by the loggers that either plan names."""

    def __init__(self, before: Router, after: Router) -> None:
        self._routers = before, after
        self._separator = after.plan.separator
        self._names = {ROOT, *before.names, *after.names}
        self._levels = after.plan.scale.named()
        self._opened: dict[tuple[tuple[str, bool], ...], frozenset[int]] = {}

    def told(self, recorded: Iterable[tuple[str, int]]) -> tuple[UnrecordedLevels, ...]:
        lowest: dict[str, int] = {}
        for logger, severity in recorded:
            lowest[logger] = min(severity, lowest.get(logger, severity))
        heard: dict[str, set[int]] = {}
        for logger, least in lowest.items():
            known = {one for one in self._opens(logger) if one >= least}
            for name in named_above(logger, self._names, self._separator) if known else ():
                heard.setdefault(name, set()).update(known)
        silent: dict[str, set[int]] = {}
        found: list[UnrecordedLevels] = []
        for name in sorted(self._names, key=lambda one: (one != ROOT, one)):
            own = {*self._opens(name)} - heard.get(name, set()) - self._told_above(name, silent)
            if own:
                silent[name] = own
                found += [UnrecordedLevels(name, *ends) for ends in self._runs(own)]
        for logger, least in sorted(lowest.items()):
            rest = {one for one in self._opens(logger) if one < least} - self._told_above(logger, silent)
            found += [UnrecordedLevels(logger, *ends, below=False) for ends in self._runs(rest)]
        return tuple(found)

    def _told_above(self, logger: str, silent: dict[str, set[int]]) -> set[int]:
        """Return the levels that are told already of a logger, or of one above it."""
        return {one for name in named_above(logger, silent, self._separator) for one in silent[name]}

    def _runs(self, levels: set[int]) -> Iterable[tuple[int, int]]:
        """Yield the lowest and highest of levels that follow one another among those that have a name."""
        for inside, run in groupby(self._levels, levels.__contains__):
            if inside:
                low, *more = run
                yield low, more[-1] if more else low

    def _opens(self, logger: str) -> frozenset[int]:
        """Return the levels of a logger's events that may arrive somewhere where they could not before."""
        place = tuple(one.places.of(logger) for one in self._routers)
        known = self._opened.get(place)
        if known is None:
            before, after = self._routers
            opened = (one for one in self._levels if _possible(after, logger, one) - _possible(before, logger, one))
            known = self._opened[place] = frozenset(opened)
        return known


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
