"""shadowed-rule: a rule that an earlier one always beats.

The first rule that matches decides; wherever this one holds, an earlier one does as well.

Found::

    rules: [{drop: {logger: ropeway}}, {keep: {logger: ropeway.gate, level: warn..}}]
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    rules: [{keep: {logger: ropeway.gate, level: warn..}}, {drop: {logger: ropeway}}]
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from vetrina.core.base.logger_names import ROOT, tree_name
from vetrina.core.checks.context import Check, CheckContext, Condition, Hit
from vetrina.core.plan.conditions import LoggerIs
from vetrina.core.plan.implication import implies, parts, questions
from vetrina.core.routing.router import RuleIndex


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find rules that can never be the first to match."""
    for listed in scene.rule_lists():
        asked = [questions(rule.condition) for rule in listed.rules]
        index = RuleIndex(listed.rules, scene.plan.separator)
        for at, rule in enumerate(listed.rules):
            able = (number for number in _earlier(index, rule.condition, at) if asked[number] <= asked[at])
            beaten = next((number for number in able if implies(rule.condition, listed.rules[number].condition)), None)
            if beaten is None:
                continue
            earlier = listed.rules[beaten]
            yield Hit(
                rule.origin,
                listed.subject,
                f"rule {at} of {listed.owner} never decides: rule {beaten} ({earlier.verdict}) always beats it",
                f"wherever it holds, the earlier one holds as well ({earlier.origin.brief()})",
                "put it before that one, or remove it",
                f"--set '{listed.path}[{at}]=null'",
            )


def _earlier(index: RuleIndex, condition: Condition, at: int) -> Iterable[int]:
    """Return, in order, the earlier rules that may hold wherever a condition does, judged by the loggers that both name."""
    named = [one.names[:1] for one in parts(condition) if isinstance(one, LoggerIs)] or [(ROOT,)]
    if () in named:
        return range(at)  # no logger at all: it never holds
    return sorted(one for one in set().union(*(index.positions(tree_name(name)) for (name,) in named)) if one < at)


CHECK = Check("shadowed-rule", "warning", "a rule that an earlier one always beats", find)
