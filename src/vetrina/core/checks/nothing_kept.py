"""nothing-kept: otherwise: drop, and no rule that keeps anything.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, otherwise: drop, rules: [{drop: {logger: lib}}]}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, otherwise: drop, rules: [{keep: {logger: lib}}]}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find appenders that drop everything."""
    for appender in scene.plan.appenders.values():
        if appender.otherwise.value == "drop" and not any(rule.verdict == "keep" for rule in appender.rules):
            yield Hit(
                appender.otherwise.origin,
                f"appender {appender.name}",
                f"{appender.name} drops everything: otherwise is drop, and no rule keeps anything",
                "nothing will ever arrive in its sink",
                "add a rule that keeps, or say otherwise: keep",
                f"--set 'appenders[{appender.name}].otherwise=keep'",
            )


CHECK = Check("nothing-kept", "error", "otherwise: drop, and no rule that keeps anything", find)
