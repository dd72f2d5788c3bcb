"""Conditions of rules, given by themselves: as in a plan, but in an option."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.levels import Scale
from vetrina.core.plan.conditions import Condition
from vetrina.formats.documents import yaml_value
from vetrina.formats.plans import read_resolved_plan


def conditions_of(texts: Iterable[str], scale: Scale, separator: str, option: str) -> tuple[Condition, ...]:
    """Return the conditions that YAML texts mean, as they would in a rule; raise Refused for one that is none."""
    return tuple(_condition(text, scale, separator, option) for text in texts)


def _condition(text: str, scale: Scale, separator: str, option: str) -> Condition:
    """Return one condition: it is read as the rule of a plan that has nothing else."""
    meant = yaml_value(text, f"{option} {text}")
    if not isinstance(meant, dict):
        raise refuse(
            "this is no condition", fix=f"write {option} '{{logger: ropeway.gate, level: warn..}}'", where=f"{option} {text}"
        )
    plan: dict[str, Any] = {
        "vetrina": 1,
        "separator": separator,
        "levels": dict(scale.extra),
        "rules": [{"keep": _literal(meant)}],
    }
    try:
        found = read_resolved_plan(option, texts={option: json.dumps(plan)}, by="-")
    except Refused as refused:
        raise Refused(replace(one, place=None, related=(), where=f"{option} {text}") for one in refused.faults) from None
    return found.plan.rules[0].condition


def _literal(value: Any) -> Any:
    """Return a value in which nothing is a placeholder."""
    if isinstance(value, str):
        return value.replace("${", "$${")
    if isinstance(value, dict):
        return {_literal(name): _literal(one) for name, one in value.items()}
    return [_literal(one) for one in value] if isinstance(value, list) else value


def expressions_of(texts: Iterable[str], option: str, *, ignore_case: bool = False) -> tuple[Expression, ...]:
    """Return RE2 expressions; raise Refused for a text that is none."""
    found = []
    for text in texts:
        try:
            found.append(Expression(text))
            found[-1] = Expression(f"(?i:{text})") if ignore_case else found[-1]
        except BadExpression as bad:
            fix = "look-around and back-references are not part of RE2"
            raise refuse(f"this is not an RE2 expression: {bad}", fix=fix, where=f"{option} {text}") from None
    return tuple(found)
