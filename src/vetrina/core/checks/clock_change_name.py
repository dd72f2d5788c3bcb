"""clock-change-name: a name that comes twice when the clock is set back.

An hour that comes twice has one name without `%z`, `%Z` or `{n}`: the second file overwrites the first.

Found::

    zone: Europe/Rome
    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: hour, rename-to: "/x/a-{period|%Y-%m-%d-%H}.log", keep: {age: 14 days}}}}

Fine::

    zone: UTC
    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: hour, rename-to: "/x/a-{period|%Y-%m-%d-%H}.log", keep: {age: 14 days}}}}
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from vetrina.core.base import clocks
from vetrina.core.checks._rolls import REFERENCE, rolls
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.rolling.outlook import clock_changes
from vetrina.core.rolling.periods import period_of


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find names of the two periods around a change of the clock that are equal."""
    zone = clocks.zone(scene.plan.zone)
    for appender, roll in rolls(scene):
        if roll.every is None or roll.names.has_number or roll.every.unit not in {"minute", "hour"}:
            continue
        for change in clock_changes(REFERENCE, zone):
            before = period_of(change - timedelta(seconds=1), roll.every, zone)
            after = period_of(change, roll.every, zone)
            name = roll.names.fill(before.wall, 1)
            if before != after and name == roll.names.fill(after.wall, 1):
                yield Hit(
                    roll.origin,
                    f"appender {appender.name}",
                    f"when the clock is set back on {change.astimezone(zone):%Y-%m-%d}, {name} is the name of two files",
                    "the second overwrites the first, and an hour of history is lost",
                    "add %z to the pattern, or {n}, or roll in UTC",
                )
                break


CHECK = Check("clock-change-name", "warning", "a name that comes twice when the clock is set back", find)
