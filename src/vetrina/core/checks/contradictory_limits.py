"""contradictory-limits: limits of which one makes the other pointless.

Less disk is kept than one file may have, or files are removed before one period is over.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 10 MiB, rename-to: "/x/a.{n}.log", keep: {disk: 1 MiB}}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 10 MiB, rename-to: "/x/a.{n}.log", keep: {disk: 100 MiB}}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base import clocks
from vetrina.core.checks._rolls import REFERENCE, rolls
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.rolling.periods import period_of


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find disk below one file, and age below one period."""
    zone = clocks.zone(scene.plan.zone)
    for appender, roll in rolls(scene):
        disk, age = roll.keep.disk, roll.keep.age
        subject = f"appender {appender.name}"
        if disk is not None and roll.at_size is not None and disk.value < roll.at_size.value and not roll.names.codec:
            yield Hit(
                disk.origin,
                subject,
                f"{appender.name} keeps {disk}, and one file may have {roll.at_size}",
                "a file is removed as soon as it is closed",
                "keep more, or roll at a smaller size",
            )
        if age is not None and roll.every is not None:
            period = period_of(REFERENCE, roll.every, zone)
            if age.value < period.end - period.start:
                yield Hit(
                    age.origin,
                    subject,
                    f"{appender.name} keeps files for {age}, and one period is longer",
                    "hardly more than the open file is ever there",
                    "keep them longer, or roll more often",
                )


CHECK = Check("contradictory-limits", "warning", "limits of which one makes the other pointless", find)
