"""nearly-full: the disk of a file is nearly full.

Limits `percent` (5) and `gib` (1): less free than either. Needs `--probe`.
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.quantities import show_size
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find disks with little room."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        facts = scene.paths.get(appender.name)
        if facts is None or not facts.total:
            continue
        low = facts.free < scene.limit(CHECK, "gib") * 2**30 or 100 * facts.free < scene.limit(CHECK, "percent") * facts.total
        if low:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"only {show_size(facts.free)} of {show_size(facts.total)} are free where {facts.folder} is",
                "a full disk stops more than the log",
                "make room, or keep less",
            )


CHECK = Check(
    "nearly-full", "warning", "the disk of a file is nearly full", find, needs="probe", limits={"percent": 5, "gib": 1}
)
