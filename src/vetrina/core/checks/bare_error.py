"""bare-error: events at error or above that carry no error.

The line will say that something failed, without type or stack. Needs `--events`. Least sample: one such
event.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    error ropeway.gate failed

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    # events
    error ropeway.gate failed error=Jam
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find loggers whose errors bear no error."""
    for name, one in (scene.seen or {}).items():
        if one.bare_errors:
            yield Hit(
                scene.tree.standing(name).origin,
                f"logger {name}",
                f"{name} sent {one.bare_errors} event(s) at error or above without an error in them",
                "there will be no type and no stack to look at",
                "let the program pass the error on when it logs",
            )


CHECK = Check("bare-error", "hint", "events at error or above that carry no error", find, needs="events")
