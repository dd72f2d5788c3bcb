"""reused-name: a name that comes again in a later period, and overwrites.

A pattern without `{n}` whose `{period}` does not tell two periods apart: `%d` comes again next month, `%H` tomorrow. Fine where
the older file is removed before that.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: hour, rename-to: "/x/a-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: hour, rename-to: "/x/a-{period|%Y-%m-%d-%H%z}.log", keep: {age: 14 days}}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.quantities import show_span
from vetrina.core.checks._rolls import periods_ahead, rolls
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find patterns that give one name to two periods that both may be kept."""
    for appender, roll in rolls(scene):
        names = roll.names
        if roll.every is None or names.has_number:
            continue
        seen: dict[str, int] = {}
        ahead = periods_ahead(roll, scene.plan.zone)
        for at, period in enumerate(ahead):
            name = names.fill(period.wall, 1)
            first = seen.setdefault(name, at)
            if first == at or (at - first == 1 and period.wall.replace(tzinfo=None) == ahead[first].wall.replace(tzinfo=None)):
                continue
            distance = period.start - ahead[first].start
            gone = (roll.keep.files is not None and roll.keep.files.value < at - first) or (
                roll.keep.age is not None and roll.keep.age.value < distance
            )
            if not gone:
                yield Hit(
                    roll.origin,
                    f"appender {appender.name}",
                    f"the name {name} comes again after {show_span(distance)}, and overwrites the file of that name",
                    "what is in the older file is lost",
                    "let {period} tell the periods apart, or add {n}",
                )
            break


CHECK = Check("reused-name", "error", "a name that comes again in a later period, and overwrites", find)
