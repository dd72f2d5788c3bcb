"""unattached: an appender that no logger names.

It is defined, perhaps with care, and nothing will ever arrive.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}, b: {sink: none}}

Fine::

    loggers: {root: {to: [a, b]}}
    appenders: {a: {sink: none}, b: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import plural
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find appenders without an attachment in force."""
    switched_off = {
        one.appender: entry.name for entry in scene.plan.loggers.values() if not entry.enabled.value for one in entry.to
    }
    stages = scene.found.overrides.stages
    under = f" under {plural(len(stages), 'stage')} {' and '.join(stages)}" if stages else ""
    for appender in scene.plan.appenders.values():
        if scene.attached[appender.name]:
            continue
        only = switched_off.get(appender.name)
        yield Hit(
            appender.origin,
            f"appender {appender.name}",
            f"appender {appender.name} is attached to no logger{under}"
            + (f" but {only}, which is switched off" if only else ""),
            f"nothing will{'' if under else ' ever'} arrive in its sink{under and ' then'}",
            "name it under a logger's to, or remove it" if not only else f"switch {only} on, or attach it elsewhere",
            f"--set 'loggers.root.to={{add: [{appender.name}]}}'" if not only else f"--set 'loggers[{only}].enabled=true'",
        )


CHECK = Check("unattached", "warning", "an appender that no logger names", find)
