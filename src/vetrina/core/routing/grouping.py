"""Events counted by the values of a field, and errors that arrive nowhere."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from vetrina.core.base.events import MISSING, Event, look_up, text_of
from vetrina.core.base.levels import NAMES
from vetrina.core.base.logger_names import tree_name
from vetrina.core.routing.counting import Traffic, more
from vetrina.core.routing.parts import Part
from vetrina.core.routing.passages import Passages
from vetrina.core.routing.router import Route, Router

Lost = dict[tuple[str, int], int]
"""Errors that arrive nowhere, by logger and severity."""


class Group(Struct):
    """The events that share a field's value, and how many deliveries each appender got of them."""

    value: str
    events: int = 0
    unrouted: int = 0
    reached: dict[str, int] = {}

    def add(self, other: Group) -> None:
        """Count another group's events as this one's."""
        self.events += other.events
        self.unrouted += other.unrouted
        for name, count in other.reached.items():
            more(self.reached, name, count)


MOST_GROUPS = 10_000
OTHERS = "(all others)"
ABSENT = "(absent)"


class Grouping:
    """Events counted by the value of a field: the first 10,000 values as texts, in their order, the further ones together."""

    def __init__(self, router: Router, field_name: str, part: Part | None = None) -> None:
        self.router = router
        self._field, self._part = field_name, part or Part()
        self._groups: dict[str, Group] = {}
        self._end: str | None = None
        self._others = Group(OTHERS)
        self.lost: Lost = {}
        self._passages = Passages(router)
        self._number = 0

    def feed(self, events: Iterable[Event]) -> None:
        """Count events; each must have a level that the plan knows."""
        for event in events:
            self._number += 1
            route = self._passages.plain(event)
            if route is not None:
                self._count(event, route)
                continue
            for one in self._passages.take(event, self._number).settled:
                self._count(one.event, one.route())

    def _count(self, event: Event, route: Route) -> None:
        """Count an event of which all is known, where it is of the part."""
        if not self._part.holds(event, self.router.severities[event.level], self.router.plan.separator):
            return
        found = look_up(event.fields, self._field)
        group = self._group(ABSENT if found is MISSING else text_of(found))
        take_lost(self.lost, self.router, event, route)
        count = event.count or 1
        group.events += count
        group.unrouted += 0 if route.deliveries else count
        for one in route.deliveries:
            more(group.reached, one.appender, count)

    def _group(self, value: str) -> Group:
        group = self._groups.get(value)
        if group is not None:
            return group
        if self._end is not None and value >= self._end:
            return self._others
        group = self._groups[value] = Group(value)
        if len(self._groups) >= 2 * MOST_GROUPS:
            self._settle()
            return self._group(value)
        return group

    def _settle(self) -> None:
        """Leave no more than 10,000 values their own groups."""
        if len(self._groups) <= MOST_GROUPS:
            return
        self._end = sorted(self._groups)[MOST_GROUPS]
        for value in [one for one in self._groups if one >= self._end]:
            self._others.add(self._groups.pop(value))

    def sums(self) -> tuple[list[Group], Lost]:
        """Return what was counted so far, for another grouping of the same plan, field and part."""
        return [*self._groups.values(), self._others], self.lost

    def add(self, sums: tuple[list[Group], Lost]) -> None:
        """Count what another grouping has counted; their order does not matter."""
        *groups, others = sums[0]
        for one in groups:
            self._group(one.value).add(one)
        self._others.add(others)
        add_lost(self.lost, sums[1])

    def result(self) -> tuple[list[Group], int]:
        """Return the groups, the most frequent first, and how many events there were; what is remembered still is stopped."""
        for one in self._passages.left():
            self._count(one.event, one.route())
        self._passages = Passages(self.router)
        self._settle()
        found = [*self._groups.values(), *([self._others] if self._others.events else [])]
        return sorted(found, key=lambda one: (-one.events, one.value)), sum(one.events for one in found)


def take_lost(lost: Lost, router: Router, event: Event, route: Route) -> None:
    """Count an event where it is an error that arrives nowhere."""
    if not route.deliveries and (severity := router.severities[event.level]) >= NAMES["error"]:
        more(lost, (tree_name(event.logger), severity), event.count or 1)


def add_lost(lost: Lost, others: Lost) -> None:
    """Count what was counted elsewhere."""
    for key, count in others.items():
        more(lost, key, count)


def lost_errors(traffic: Traffic) -> Lost:
    """Return the errors of some traffic that arrive nowhere."""
    gone = {
        key: sum(one.stopped.values()) + one.dropped for key, one in traffic.cells.items() if one.severity >= NAMES["error"]
    }
    return {key: count for key, count in gone.items() if count}
