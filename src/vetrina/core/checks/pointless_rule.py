"""pointless-rule: a rule that can never match here.

Its own keys contradict each other, or nothing that it asks for can come to the place where it stands.

Found::

    loggers: {root: {level: warn, to: a}}
    appenders: {a: {sink: none, rules: [{drop: {level: debug}}]}}

Fine::

    loggers: {root: {level: debug, to: a}}
    appenders: {a: {sink: none, rules: [{drop: {level: debug}}]}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit, RuleList
from vetrina.core.plan.implication import impossible, levels_of, meets_loggers
from vetrina.core.plan.model import Rule


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find rules for which no event can come."""
    for listed in scene.rule_lists():
        for at, rule in enumerate(listed.rules):
            reason = _reason(scene, listed, rule)
            if reason:
                yield Hit(
                    rule.origin,
                    listed.subject,
                    f"rule {at} of {listed.owner} can never match",
                    reason,
                    "mend its condition, or remove it",
                    f"--set '{listed.path}[{at}]=null'",
                )


def _reason(scene: CheckContext, listed: RuleList, rule: Rule) -> str:
    reason = impossible(rule.condition)
    if reason:
        return reason
    if listed.severities is not None:
        low, high = levels_of(rule.condition)
        if high < listed.severities[0]:
            return f"nothing below {scene.level(listed.severities[0])} comes to {listed.owner}"
        if low > listed.severities[1]:
            return f"nothing above {scene.level(listed.severities[1])} comes to {listed.owner}"
    if listed.loggers and not meets_loggers(rule.condition, listed.loggers, scene.plan.separator):
        return f"only events from {', '.join(dict.fromkeys(listed.loggers))} and below come to {listed.owner}"
    return ""


CHECK = Check("pointless-rule", "warning", "a rule that can never match here", find)
