"""idle-limit: a limit of keep that never acts on this traffic.

Another limit is always quicker, or there is too little traffic: the limit protects nothing. Needs `--events`.
Least sample: files that were rolled over `days` (1) at the least, and longer than `keep.age` where that is the limit: a
shorter recording cannot tell.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 1 KiB, rename-to: "/x/a.{n}.log", keep: {files: 50}}}}
    # events
    # 40 times over 3 days info ropeway one

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {at-size: 1 B, rename-to: "/x/a.{n}.log", keep: {files: 1}}}}
    # events
    # 40 times over 3 days info ropeway one
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from vetrina.core.checks._rolls import rolls
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find limits by which no file was removed."""
    for appender, roll in rolls(scene):
        simulation = (scene.rolled or {}).get(appender.name)
        if simulation is None or sum(one.closed is not None for one in simulation.files) < 1:
            continue
        oldest, newest = simulation.reach()
        acted = {one.removed_by for one in simulation.files}
        for name, limit in (("files", roll.keep.files), ("age", roll.keep.age), ("disk", roll.keep.disk)):
            needed = timedelta(days=scene.limit(CHECK, "days"))
            if limit is not None and isinstance(limit.value, timedelta):
                needed = max(needed, limit.value)
            if limit is not None and name not in acted and oldest and newest and newest - oldest > needed:
                yield Hit(
                    limit.origin,
                    f"appender {appender.name}",
                    f"keep.{name} of {appender.name} ({limit}) never acts on this traffic",
                    "it removed no file: another limit was quicker, or there was too little traffic",
                    "see vetrina rolling with --repeat or --scale whether it ever will",
                )


CHECK = Check("idle-limit", "hint", "a limit of keep that never acts on this traffic", find, needs="events", limits={"days": 1})
