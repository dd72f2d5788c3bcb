"""unignored-logs: log files inside a git work tree that git does not ignore.

One careless commit, and they are in the history for ever. git itself is asked. Needs `--probe`.
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find paths that git would take in."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        facts = scene.paths.get(appender.name)
        if facts is not None and facts.ignored is False:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"{appender.sink.label} lies in a git work tree and is not ignored",
                "logs, and what is in them, get into version control",
                "add it to .gitignore, or write elsewhere",
            )


CHECK = Check("unignored-logs", "warning", "log files inside a git work tree that git does not ignore", find, needs="probe")
