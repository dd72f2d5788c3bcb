"""bare-root: nothing is attached to root.

Messages of every logger that the plan does not name, such as a new library's, arrive nowhere.

Found::

    loggers: {ropeway: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.logger_names import ROOT
from vetrina.core.base.origins import DEFAULT
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find a root without attachments."""
    root = scene.tree.entries.get(ROOT)
    if root is not None and root.to:
        return
    first = next(iter(scene.plan.loggers.values()), None)
    origin = root.origin if root else first.origin if first else DEFAULT
    yield Hit(
        origin,
        "logger root",
        "nothing is attached to root",
        "messages of loggers that the plan does not name arrive nowhere",
        "attach an appender to root",
        "" if not scene.plan.appenders else f"--set 'loggers.root.to={{add: [{next(iter(scene.plan.appenders))}]}}'",
    )


CHECK = Check("bare-root", "warning", "nothing is attached to root", find)
