"""not-a-folder: where a file's folder should be stands something else.

Needs `--probe`.
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find folders that are none."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        facts = scene.paths.get(appender.name)
        if facts is not None and facts.exists and not facts.is_folder:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"{facts.folder} is no folder",
                "no file can be written below it",
                "move away what stands there, or change the path",
            )


CHECK = Check("not-a-folder", "error", "where a file's folder should be stands something else", find, needs="probe")
