"""Conditions of rules: compiled once, decided for (logger, level) where that is all they ask, else per event.

Expressions are RE2, so their cost is linear in the text whatever it is.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeAlias

from msgspec import Struct

from vetrina.core.base.events import MISSING, Event, filled, has_error, look_up, text_of
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import LevelRange
from vetrina.core.base.logger_names import below


class LoggerIs(Struct, frozen=True):
    """The logger is one of ``names`` (or below one, unless ``exact``)."""

    names: tuple[str, ...]
    exact: bool
    separator: str

    def holds(self, logger: str) -> bool:
        """Decide by name."""
        if self.exact:
            return logger in self.names
        return any(below(logger, name, self.separator) for name in self.names)


class LevelIs(Struct, frozen=True):
    """The severity lies in a range."""

    range: LevelRange


class MessageMatches(Struct, frozen=True):
    """The message, with its holes filled, holds the expression."""

    expression: Expression

    def holds(self, event: Event) -> bool:
        """Search the filled message."""
        return self.expression.found_in(filled(event))


class ErrorIs(Struct, frozen=True):
    """The event carries an error, or carries none."""

    present: bool

    def holds(self, event: Event) -> bool:
        """Compare with the event."""
        return has_error(event) == self.present


class FieldIs(Struct, frozen=True):
    """One question about one field; ``operator`` is a key of the table below."""

    name: str
    operator: str
    value: Any

    def holds(self, event: Event) -> bool:
        """Look the field up and ask; of an absent field only `present: false` holds."""
        found = look_up(event.fields, self.name)
        if self.operator == "present":
            return bool((found is not MISSING) == self.value)
        return found is not MISSING and OPERATORS[self.operator](found, self.value)

    def __eq__(self, other: object) -> bool:
        """Two questions are one when they compare with the same value of the same type: 1 is not true."""
        if type(other) is not FieldIs or (self.name, self.operator) != (other.name, other.operator):
            return False
        return bool(self.value == other.value) and repr(self.value) == repr(other.value)

    def __hash__(self) -> int:
        """Hash by name and operator: the value may be a list."""
        return hash((self.name, self.operator))


class ChannelIs(Struct, frozen=True):
    """The event came by one of these channels."""

    names: tuple[str, ...]

    def holds(self, event: Event) -> bool:
        """Compare with the event's channel; one without any came by none of them."""
        return bool(event.channel) and event.channel in self.names


class Not(Struct, frozen=True):
    """The condition within does not hold."""

    inner: Condition


class All(Struct, frozen=True):
    """All of the parts hold; with none, always."""

    parts: tuple[Condition, ...]


class OneOf(Struct, frozen=True):
    """At least one of the parts holds."""

    parts: tuple[Condition, ...]


Ask: TypeAlias = MessageMatches | ErrorIs | FieldIs | ChannelIs
Condition: TypeAlias = LoggerIs | LevelIs | Ask | Not | All | OneOf


def json_equal(first: Any, second: Any) -> bool:
    """Compare two JSON values: 1 equals 1.0, true is no number, "5" is not 5."""
    if isinstance(first, bool) or isinstance(second, bool):
        return first is second
    if isinstance(first, int | float) and isinstance(second, int | float):
        return first == second
    if isinstance(first, dict) and isinstance(second, dict):
        return first.keys() == second.keys() and all(json_equal(first[key], second[key]) for key in first)
    if isinstance(first, list) and isinstance(second, list):
        return len(first) == len(second) and all(map(json_equal, first, second))
    return type(first) is type(second) and bool(first == second)


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


OPERATORS: dict[str, Callable[[Any, Any], bool]] = {
    "is": json_equal,
    "one-of": lambda found, wanted: any(json_equal(found, one) for one in wanted),
    "matches": lambda found, wanted: wanted.found_in(text_of(found)),
    "at-least": lambda found, wanted: _number(found) and found >= wanted,
    "at-most": lambda found, wanted: _number(found) and found <= wanted,
}


def reduce(condition: Condition, logger: str, severity: int) -> Condition | bool:
    """Return what is left to ask of an event once its logger and severity are known: True, False or less."""

    def known(leaf: Condition) -> bool | None:
        if isinstance(leaf, LoggerIs):
            return leaf.holds(logger)
        return leaf.range.holds(severity) if isinstance(leaf, LevelIs) else None

    return settle(condition, known)


def by_channel(condition: Condition | bool, channel: str) -> Condition | bool:  # noqa: FBT001  (a reduced condition may be settled)
    """Return what is left to ask of an event once its channel is known (nothing for none)."""
    if isinstance(condition, bool):
        return condition
    return settle(condition, lambda leaf: channel in leaf.names if isinstance(leaf, ChannelIs) else None)


def settle(condition: Condition, known: Callable[[Condition], bool | None]) -> Condition | bool:
    """Return what is left of a condition of whose questions some are ``known``: True, False or less."""
    if isinstance(condition, Not):
        inner = settle(condition.inner, known)
        return (not inner) if isinstance(inner, bool) else Not(inner)
    if isinstance(condition, All | OneOf):
        decisive = isinstance(condition, OneOf)
        left: list[Condition] = []
        for part in condition.parts:
            found = settle(part, known)
            if found is decisive:
                return decisive
            if not isinstance(found, bool):
                left.append(found)
        if not left:
            return not decisive
        return left[0] if len(left) == 1 else type(condition)(tuple(left))
    answer = known(condition)
    return condition if answer is None else answer


Answer: TypeAlias = Callable[[Ask], bool]


def holds(condition: Condition | bool, event: Event, answer: Answer | None = None) -> bool:  # noqa: FBT001  (a reduced condition may be settled)
    """Decide a reduced condition for an event; ``answer`` answers its questions in the event's place."""
    if isinstance(condition, bool):
        return condition
    if isinstance(condition, Ask):
        return condition.holds(event) if answer is None else answer(condition)
    if isinstance(condition, Not):
        return not holds(condition.inner, event, answer)
    if isinstance(condition, All):
        return all(holds(part, event, answer) for part in condition.parts)
    if isinstance(condition, OneOf):
        return any(holds(part, event, answer) for part in condition.parts)
    raise TypeError(condition)


def level_cuts(condition: Condition) -> set[int]:
    """Return the severities at which a condition's ranges of levels begin or have just ended."""
    if isinstance(condition, LevelIs):
        return {condition.range.low, condition.range.high + 1}
    if isinstance(condition, Not):
        return level_cuts(condition.inner)
    if isinstance(condition, All | OneOf):
        return {cut for part in condition.parts for cut in level_cuts(part)}
    return set()


def logger_names(condition: Condition) -> set[str]:
    """Return the loggers that a condition names."""
    if isinstance(condition, LoggerIs):
        return set(condition.names)
    if isinstance(condition, Not):
        return logger_names(condition.inner)
    if isinstance(condition, All | OneOf):
        return {name for part in condition.parts for name in logger_names(part)}
    return set()


def asks(condition: Condition) -> tuple[Ask, ...]:
    """Return every question about the event itself (message, error, fields, channel) inside a condition, in order."""
    if isinstance(condition, Ask):
        return (condition,)
    if isinstance(condition, Not):
        return asks(condition.inner)
    if isinstance(condition, All | OneOf):
        return tuple(dict.fromkeys(ask for part in condition.parts for ask in asks(part)))
    return ()


def meets(condition: Condition, event: Event, logger: str, severity: int) -> bool:
    """Decide a whole condition for an event."""
    return holds(reduce(condition, logger, severity), event)
