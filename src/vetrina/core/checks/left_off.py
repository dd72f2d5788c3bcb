"""left-off: an entry that is switched off.

It counts as if it were not there, and looks as if it were. Somebody meant to switch it on again, or to remove it.

Found::

    loggers: {root: {to: a}, lib.pool: {level: error, enabled: false}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a}, lib.pool: {level: error, enabled: true}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find loggers and appenders with enabled: false."""
    for name, entry in scene.plan.loggers.items():
        if not entry.enabled.value:
            note = f" (note: {entry.note})" if entry.note else ""
            yield Hit(
                entry.enabled.origin,
                f"logger {name}",
                f"the entry of {name} is switched off{note}",
                "nothing that stands in it holds",
                "switch it on, or remove it",
                f"--set 'loggers[{name}].enabled=true'",
            )
    for appender in scene.plan.appenders.values():
        if not appender.enabled.value:
            note = f" (note: {appender.note})" if appender.note else ""
            yield Hit(
                appender.enabled.origin,
                f"appender {appender.name}",
                f"appender {appender.name} is switched off{note}",
                "nothing arrives in its sink",
                "switch it on, or remove it",
                f"--set 'appenders[{appender.name}].enabled=true'",
            )


CHECK = Check("left-off", "hint", "an entry that is switched off", find)
