"""idle-entry: an entry of a logger that does nothing.

It sets no level, attaches nothing and does not end the climb: whoever wrote it expected something of it.

Found::

    loggers: {root: {to: a}, ropeway.gate: {note: look here}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a}, ropeway.gate: {level: debug, note: look here}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find entries in force that say nothing."""
    for name, entry in scene.tree.entries.items():
        if entry.level is None and not entry.to and entry.climb.value:
            yield Hit(
                entry.origin,
                f"logger {name}",
                f"the entry of {name} does nothing",
                "it sets no level, attaches nothing and lets events climb on, as if it were not there",
                "give it a level or an appender, or remove it",
                f"--set 'loggers[{name}]=null'",
            )


CHECK = Check("idle-entry", "hint", "an entry of a logger that does nothing", find)
