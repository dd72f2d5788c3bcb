"""Conditions of rules for a page: what they ask of logger and level as data, what they ask of the event in words."""

from __future__ import annotations

from typing import Any

from vetrina.core.base.events import compact_json
from vetrina.core.base.expressions import Expression
from vetrina.core.plan.conditions import (
    All,
    ChannelIs,
    Condition,
    ErrorIs,
    FieldIs,
    LevelIs,
    LoggerIs,
    MessageMatches,
    Not,
    OneOf,
)


def condition_data(condition: Condition) -> dict[str, Any]:
    """Return a condition as JSON: `logger`, `exactly`, `level`, `all`, `any`, `not`, or `asks` with the question in words."""
    if isinstance(condition, LoggerIs):
        return {"exactly" if condition.exact else "logger": list(condition.names)}
    if isinstance(condition, LevelIs):
        return {"level": [condition.range.low, condition.range.high]}
    if isinstance(condition, Not):
        return {"not": condition_data(condition.inner)}
    if isinstance(condition, All):
        return {"all": [condition_data(one) for one in condition.parts]}
    if isinstance(condition, OneOf):
        return {"any": [condition_data(one) for one in condition.parts]}
    return {"asks": _question(condition)}


def _question(condition: Condition) -> str:
    if isinstance(condition, MessageMatches):
        return f"its message holds /{condition.expression.text}/"
    if isinstance(condition, ErrorIs):
        return "it carries an error" if condition.present else "it carries no error"
    if isinstance(condition, ChannelIs):
        return f"it came by the channel {' or '.join(condition.names)}"
    if isinstance(condition, FieldIs):
        return _field(condition)
    raise TypeError(condition)


def _field(condition: FieldIs) -> str:
    name, value = f"its field {condition.name}", condition.value
    if condition.operator == "present":
        return f"{name} is {'there' if value else 'not there'}"
    if isinstance(value, Expression):
        return f"{name} holds /{value.text}/"
    words = {"is": "is", "one-of": "is one of", "at-least": "is at least", "at-most": "is at most"}
    return f"{name} {words.get(condition.operator, condition.operator)} {compact_json(value)}"
