"""missing-folder: the folder of a file does not exist on this machine.

Some programs make it, most fail or log nothing. Needs `--probe`.
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find files whose folder is not there."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        facts = scene.paths.get(appender.name)
        if facts is not None and not facts.exists:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"the folder {facts.folder} does not exist here",
                "the service may fail to start, or log nothing",
                f"make it: mkdir -p {facts.folder}",
            )


CHECK = Check("missing-folder", "warning", "the folder of a file does not exist on this machine", find, needs="probe")
