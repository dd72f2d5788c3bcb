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

from collections.abc import Iterator

from vetrina.core.checks._check import Check, Hit, Scene
from vetrina.core.checks._implication import implies, questions


def find(scene: Scene) -> Iterator[Hit]:
    """Find rules that can never be the first to match."""
    for listed in scene.rule_lists():
        asked = [questions(rule.condition) for rule in listed.rules]
        for at, rule in enumerate(listed.rules):
            able = (number for number in range(at) if asked[number] <= asked[at])
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


CHECK = Check("shadowed-rule", "warning", "a rule that an earlier one always beats", find)
