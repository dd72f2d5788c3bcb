"""silenced-errors: a logger that is off hides its errors as well.

Found::

    loggers: {root: {to: a}, lib.pool: off}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a}, lib.pool: error}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find set levels above error."""
    for name, entry in scene.tree.entries.items():
        if entry.level is not None and entry.level.value > ERROR:
            level = scene.level(entry.level.value)
            yield Hit(
                entry.level.origin,
                f"logger {name}",
                f"{name} is at {level}, so its errors are hidden as well",
                "a failure in it will leave no trace",
                "set it to error; or keep the noise away with a rule that drops what is below",
                f"--tune {name}=error",
            )


CHECK = Check("silenced-errors", "warning", "a logger that is off hides its errors as well", find)
