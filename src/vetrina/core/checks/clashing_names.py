"""clashing-names: two appenders give their files one name.

Found::

    loggers: {root: {to: [a, b]}}
    appenders:
      a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/old-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}
      b: {sink: file, path: /x/b.log, roll: {every: day, rename-to: "/x/old-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}

Fine::

    loggers: {root: {to: [a, b]}}
    appenders:
      a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}
      b: {sink: file, path: /x/b.log, roll: {every: day, rename-to: "/x/b-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._rolls import REFERENCE, rolls
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.sink_kinds.kind import full_path


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find appenders whose first rolled file, or whose open file, would be another's."""
    taken: dict[str, str] = {}
    for appender, roll in rolls(scene):
        name = full_path(roll.names.fill(REFERENCE, 1), scene.found.full_folder)
        other = taken.setdefault(name, appender.name)
        if other != appender.name:
            yield Hit(
                roll.origin,
                f"appender {appender.name}",
                f"{appender.name} and {other} both name a file {name}",
                "the one that rolls last overwrites the other's file",
                "put the appender's own name into the pattern",
            )


CHECK = Check("clashing-names", "error", "two appenders give their files one name", find)
