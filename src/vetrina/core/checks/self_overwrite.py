"""self-overwrite: a file that rolls onto its own name.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: /x/a.log, keep: {age: 14 days}}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%Y-%m-%d}.log", keep: {age: 14 days}}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._rolls import REFERENCE, rolls
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.sink_kinds.kind import full_path


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find rename-to that is the open file."""
    for appender, roll in rolls(scene):
        if roll.rename_to is None:
            continue
        folder = scene.found.full_folder
        if full_path(roll.rename_to.fill(REFERENCE, 1), folder) == full_path(roll.path.fill(REFERENCE, 1), folder):
            yield Hit(
                roll.origin,
                f"appender {appender.name}",
                f"{appender.name} rolls onto its own name, {roll.path.text}",
                "each roll overwrites what was written before it",
                "give rename-to another name, with {period} or {n}",
            )


CHECK = Check("self-overwrite", "error", "a file that rolls onto its own name", find)
