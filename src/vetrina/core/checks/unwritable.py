"""unwritable: the folder of a file may not be written to by this user.

The service may run as another user: check as that one. Needs `--probe`.
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find folders without permission to write."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        facts = scene.paths.get(appender.name)
        if facts is not None and facts.is_folder and not facts.writable:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"{facts.folder} may not be written to",
                "the service will log nothing there, if it runs as this user",
                "change the folder's owner or mode, or the path",
            )


CHECK = Check("unwritable", "error", "the folder of a file may not be written to by this user", find, needs="probe")
