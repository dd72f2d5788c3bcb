"""endless-file: a file that never rolls.

It grows until the disk is full.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%Y-%m-%d}.log.gz", keep: {age: 14 days}}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.rolling_policy import Roll


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find files without a roll, or whose roll never comes."""
    for appender in scene.appenders(lambda sink: sink.rolls):
        roll: Roll = appender.roll
        if roll.every is None and roll.at_size is None and not roll.each_start and roll.append:
            path = f"appenders[{appender.name}].roll"
            name = roll.path.text
            yield Hit(
                roll.origin if roll.rolls else appender.origin,
                f"appender {appender.name}",
                f"{appender.sink.label} never rolls",
                "it grows until the disk is full",
                "give it a roll with every or at-size, and a keep",
                f"--set '{path}={{every: day, rename-to: \"{name}.{{period|%Y-%m-%d}}.gz\", keep: {{age: 14 days}}}}'",
            )


CHECK = Check("endless-file", "warning", "a file that never rolls", find)
