"""unnumbered: files that roll by size or start, without a number in the name.

The second file of a period bears the name of the first, and overwrites it.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, at-size: 1 MiB, rename-to: "/x/a-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, at-size: 1 MiB, rename-to: "/x/a-{period|%Y-%m-%d}.{n}.log", keep: {age: 14 days}}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._rolls import rolls
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find sizes and starts without {n}."""
    for appender, roll in rolls(scene):
        if (roll.at_size is not None or roll.each_start) and not roll.names.has_number:
            why = "at-size" if roll.at_size is not None else "each-start"
            yield Hit(
                roll.origin,
                f"appender {appender.name}",
                f"{appender.name} rolls by {why}, and {roll.names.text} has no number",
                "the second file of a period overwrites the first",
                "add {n} to the name",
            )


CHECK = Check("unnumbered", "error", "files that roll by size or start, without a number in the name", find)
