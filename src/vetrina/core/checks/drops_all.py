"""drops-all: a rule that drops everything.

Nothing gets past it, and no rule before it keeps or lifts anything: a condition that was left empty, or one that
every event fulfils. After a rule that keeps something, dropping the rest is a way of its own and fine.

Found::

    rules: [{drop: {logger: root}}]
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    rules: [{keep: {logger: ropeway}}, {drop: {}}]
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.implication import certain


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find the first rule of a list that drops all that comes to it, where none before it lets anything pass."""
    for listed in scene.rule_lists():
        for at, rule in enumerate(listed.rules if listed.loggers else ()):  # what is attached nowhere is told elsewhere
            if rule.verdict != "drop":
                break
            if certain(rule.condition, listed.severities or (1, 24), listed.loggers, scene.plan.separator):
                yield Hit(
                    rule.origin,
                    listed.subject,
                    f"rule {at} of {listed.owner} drops everything",
                    "every event that comes to it fulfils its condition, and no rule before it lets anything pass",
                    "say in its condition what to drop, or remove it",
                    f"--set '{listed.path}[{at}]=null'",
                )
                break


CHECK = Check("drops-all", "error", "a rule that drops everything", find)
