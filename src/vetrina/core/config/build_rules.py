"""Rules built of what a plan says: verdicts, conditions, expressions."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.base.faults import Fault
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.origins import Sourced
from vetrina.core.config.reading import PlanReader, key_origin
from vetrina.core.config.sections import ConditionKeys, Operators, RuleKeys
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
from vetrina.core.plan.model import Rule


class RuleBuilder:
    """Turns the rules of a plan into conditions; faults go to the reader."""

    def __init__(self, reader: PlanReader, separator: str) -> None:
        self._reader, self._separator = reader, separator

    def rules(self, sections: tuple[RuleKeys, ...] | None, verdicts: tuple[str, ...]) -> tuple[Rule, ...]:
        """Return the rules, each with one of ``verdicts``."""
        rules = []
        for one in sections or ():
            conditions = {"drop": one.drop, "keep": one.keep, "lift": one.lift}
            given = [(verdict, condition) for verdict, condition in conditions.items() if condition is not None]
            if len(given) != 1 or given[0][0] not in verdicts:
                self._reader.report(_verdict_fault(one, [verdict for verdict, _ in given], verdicts))
                continue
            verdict, condition = given[0]
            rules.append(Rule(verdict, self._condition(condition), key_origin(one.held), str(one.note or "")))
        return tuple(rules)

    def _condition(self, section: ConditionKeys) -> Condition:
        parts = [part for key, _ in section.given() for part in self._parts(key, section)]
        return parts[0] if len(parts) == 1 else All(tuple(parts))

    def _parts(self, key: str, section: ConditionKeys) -> Sequence[Condition]:
        """Return what one key asks."""
        if key == "logger":
            return [LoggerIs(_names(section.logger), False, self._separator)]
        if key == "exactly":
            return [LoggerIs(_names(section.exactly), True, self._separator)]
        if section.level is not None and key == "level":
            return [LevelIs(section.level.value)]
        if section.message is not None and key == "message":
            expression = self.expression(section.message)
            return [] if expression is None else [MessageMatches(expression)]
        if section.error is not None and key == "error":
            return [ErrorIs(section.error.value)]
        if section.channel is not None and key == "channel":
            return [ChannelIs(tuple(one.value for one in section.channel))]
        if section.field is not None and key == "field":
            return [ask for name, test in section.field.items() for ask in self._field(name, test)]
        if section.not_ is not None and key == "not":
            return [Not(self._condition(section.not_))]
        return [OneOf(tuple(self._condition(one) for one in section.any_ or ()))]

    def _field(self, name: str, test: Sourced[object] | Operators) -> list[FieldIs]:
        if not isinstance(test, Operators):
            return [FieldIs(name, "is", test.value)]
        asked = [one for operator, _ in test.given() for one in self._asked(name, operator, test)]
        if not any(True for _ in test.given()):
            what = f'nothing is asked of the field "{name[:60]}": what was to be asked fills to nothing'
            self._reader.report(Fault("wrong-value", what, fix="give the value, or leave the field out", place=test.held.place))
        return asked

    def _asked(self, name: str, operator: str, test: Operators) -> list[FieldIs]:
        """Return what one operator asks of a field."""
        if operator == "one-of":
            return [FieldIs(name, operator, tuple(one.value for one in test.one_of or ()))]
        if operator == "matches" and test.matches is not None:
            expression = self.expression(test.matches)
            return [] if expression is None else [FieldIs(name, operator, expression)]
        if operator == "present" and test.present is not None:
            return [FieldIs(name, operator, test.present.value)]
        if operator == "is" and test.is_ is not None:
            return [FieldIs(name, operator, test.is_.value)]
        bound = test.at_least if operator == "at-least" else test.at_most
        value = bound.value if bound is not None else None
        if isinstance(value, bool) or not isinstance(value, int | float):
            self._reader.report(Fault("wrong-type", f'"{operator}" wants a number', place=test.held.place))
            return []
        return [FieldIs(name, operator, value)]

    def expression(self, text: Sourced[str]) -> Expression | None:
        """Return an RE2 expression, None for one that is none (told)."""
        try:
            return Expression(text.value)
        except BadExpression as bad:
            hidden = text.shown != text.value
            what = (
                "a hidden value is not an RE2 expression" if hidden else f'"{str(text)[:60]}" is not an RE2 expression: {bad}'
            )
            place = text.origin.place
            fix = "look-around and back-references are not part of RE2"
            self._reader.report(Fault("bad-expression", what, fix=fix, place=place, where="" if place else text.origin.label))
            return None


def _names(texts: tuple[Sourced[str], ...] | None) -> tuple[str, ...]:
    return tuple(tree_name(one.value) for one in texts or ())


def _verdict_fault(rule: RuleKeys, given: Sequence[str], verdicts: tuple[str, ...]) -> Fault:
    words = ", ".join(verdicts)
    if given and given[0] not in verdicts:
        return Fault("wrong-value", f'"{given[0]}" is not a verdict here', why="lift goes round the level gate, which is at the door",
                     fix=f"use one of {words}", place=rule.held.place)  # fmt: skip
    what = "a rule has one verdict, and this one has " + (" and ".join(given) if given else "none")
    return Fault("wrong-value", what, fix=f"give it one of {words}, with {{}} for every event", place=rule.held.place)
