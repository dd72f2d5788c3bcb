"""One of two plans side by side: how its appenders measure events, and where routes arrive."""

from __future__ import annotations

from collections import Counter as Multiset

from vetrina.core.changes.effects import Effects, Tally
from vetrina.core.plan.model import Plan
from vetrina.core.routing.measuring import ending_of, measures, to_bytes
from vetrina.core.routing.router import Route
from vetrina.core.templates.compiling import MakeMeasure

_USUAL_SIZE = 100


class Side:
    """One plan's measures; appenders that write alike, also those of the other plan, share one."""

    def __init__(self, plan: Plan, known: dict[object, MakeMeasure]) -> None:
        self.plan = plan
        self._known = known
        self._own: dict[str, MakeMeasure] = {}

    def measure(self, name: str) -> MakeMeasure:
        """Return how an appender's events are measured."""
        found = self._own.get(name)
        if found is None:
            one = self.plan.appenders[name]
            setting = one.template.setting
            level_names = tuple(sorted(setting.scale.extra.items()))
            setting_key = (str(setting.zone), setting.separator, level_names, setting.mask)
            key = (one.template.key(), ending_of(one), one.encoding, setting_key)
            found = self._own[name] = self._known.setdefault(key, measures(one))
        return found

    def header(self, name: str) -> int:
        """Return the bytes that an appender's file begins with."""
        one = self.plan.appenders[name]
        return len(to_bytes(one.template.header(ending_of(one)), one.encoding))


def names_of(route: Route) -> Multiset[str]:
    """Return the appenders that a route delivers to, and how often."""
    return Multiset(one.appender for one in route.deliveries)


def places_of(plan: Plan, route: Route) -> Multiset[str]:
    """Return how often an event arrives at each place; what goes nowhere on purpose is no place."""
    return Multiset(
        plan.appenders[names[0]].where
        for names in plan.at_one_place(one.appender for one in route.deliveries)
        if not plan.appenders[names[0]].sink.traits.nowhere
        for _ in names
    )


def mean_size(found: Effects, names: list[str], severity: int) -> int:
    """Return the mean bytes of a delivery of a level in some appenders, else of all their deliveries, else a usual size."""
    for wanted in (severity, None):
        events = size = 0
        for (_, level, name), shift in found.cells.items():
            if name in names and wanted in {level, None}:
                events += shift.before.events + shift.after.events
                size += shift.before.bytes + shift.after.bytes
        if events:
            return size // events
    return _USUAL_SIZE


def means_of(found: Effects) -> dict[str, dict[int, int]]:
    """Return the mean bytes of a delivery by appender and severity, for streams without a size."""
    sums: dict[str, dict[int, Tally]] = {}
    for (_, severity, name), shift in found.cells.items():
        tally = sums.setdefault(name, {}).setdefault(severity, Tally())
        tally.add(shift.before.events + shift.after.events, shift.before.bytes + shift.after.bytes)
    return {
        name: {severity: one.bytes // one.events for severity, one in levels.items() if one.events}
        for name, levels in sums.items()
    }
