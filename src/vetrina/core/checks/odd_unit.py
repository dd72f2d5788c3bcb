"""odd-unit: a size or time that looks like a mistake in its unit.

Rolling at less than 1 KiB or more than 100 GiB, keeping for less than a minute or more than twenty years. Limits `least-bytes` (1024),
`most-gib` (100), `least-seconds` (60), `most-years` (20).

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 20 B, rename-to: "/x/a.{n}.log", keep: {files: 5}}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 20 MiB, rename-to: "/x/a.{n}.log", keep: {files: 5}}}}
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from vetrina.core.base.origins import Sourced
from vetrina.core.checks._rolls import rolls
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find sizes and ages that nobody means."""
    least, most = scene.limit(CHECK, "least-bytes"), scene.limit(CHECK, "most-gib") * 2**30
    short, long = scene.limit(CHECK, "least-seconds"), scene.limit(CHECK, "most-years") * 365 * 86_400
    for appender, roll in rolls(scene):
        age = roll.keep.age
        at_size = roll.at_size
        spans: list[tuple[str, Sourced[int] | Sourced[timedelta] | None, float, float, float]] = [
            ("at-size", at_size, at_size.value if at_size else 0, least, most),
            ("keep.age", age, age.value.total_seconds() if age else 0, short, long),
        ]
        for key, one, value, low, high in spans:
            if one is not None and not low <= value <= high:
                yield Hit(
                    one.origin,
                    f"appender {appender.name}",
                    f"{key} of {appender.name} is {one}: probably another unit is meant",
                    "files would be " + ("very many, or gone at once" if value < low else "huge, or kept for ever"),
                    "check the unit: KiB, MiB, GiB; minutes, hours, days",
                )


CHECK = Check(
    "odd-unit",
    "warning",
    "a size or time that looks like a mistake in its unit",
    find,
    limits={"least-bytes": 1024, "most-gib": 100, "least-seconds": 60, "most-years": 20},
)
