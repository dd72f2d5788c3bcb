"""mild-error: events that carry an error and are below warn.

Who looks at warnings and errors will never see them. Needs `--events`. Least sample: one such
event.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    info ropeway.gate hello error=Jam

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    error ropeway.gate hello error=Jam
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find loggers whose events carry errors below warn."""
    for name, one in (scene.seen or {}).items():
        if one.mild_errors:
            yield Hit(
                scene.tree.standing(name).origin,
                f"logger {name}",
                f"{name} sent {one.mild_errors} event(s) below warn that carry an error",
                "floors and alarms go by the level, so these pass unseen",
                "let the program log them at warn or error, or lift them with a rule on error: true",
            )


CHECK = Check("mild-error", "hint", "events that carry an error and are below warn", find, needs="events")
