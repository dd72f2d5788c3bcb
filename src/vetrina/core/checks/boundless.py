"""boundless: rolled files that are kept for ever.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%Y-%m-%d}.log"}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._rolls import rolls
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find policies without any limit."""
    for appender, roll in rolls(scene):
        keep = roll.keep
        moves = roll.every is not None or roll.at_size is not None or roll.each_start
        if moves and keep.files is None and keep.age is None and keep.disk is None:
            yield Hit(
                roll.origin,
                f"appender {appender.name}",
                f"{appender.name} keeps every file that it ever rolled",
                "the disk fills up, only later",
                "say what is kept: files, age or disk",
                f"--set 'appenders[{appender.name}].roll.keep={{age: 14 days}}'",
            )


CHECK = Check("boundless", "warning", "rolled files that are kept for ever", find)
