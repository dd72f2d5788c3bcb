"""When one condition surely holds wherever another does, and when one can never hold. Sound, not complete."""

from __future__ import annotations

from vetrina.core.base.logger_names import below
from vetrina.core.plan.conditions import All, ChannelIs, Condition, FieldIs, LevelIs, LoggerIs, Not, OneOf


def parts(condition: Condition) -> tuple[Condition, ...]:
    """Return the conditions that must all hold."""
    return condition.parts if isinstance(condition, All) else (condition,)


def implies(narrow: Condition, wide: Condition) -> bool:
    """Tell whether ``wide`` holds for every event for which ``narrow`` does, as far as that can be seen."""
    given = parts(narrow)
    return all(any(_part_implies(one, wanted) for one in given) for wanted in parts(wide))


def questions(condition: Condition) -> frozenset[str]:
    """Return what a condition asks besides loggers, levels, channels and alternatives, as texts to compare.

    A condition can imply another only if it asks at least what that one asks: a quick way to tell most pairs apart.
    """
    return frozenset(repr(one) for one in parts(condition) if not isinstance(one, LoggerIs | LevelIs | ChannelIs | OneOf))


def _part_implies(given: Condition, wanted: Condition) -> bool:
    if type(given) is type(wanted) and given == wanted:
        return True
    if isinstance(given, LevelIs) and isinstance(wanted, LevelIs):
        return wanted.range.low <= given.range.low and given.range.high <= wanted.range.high
    if isinstance(given, LoggerIs) and isinstance(wanted, LoggerIs):
        if wanted.exact:
            return given.exact and set(given.names) <= set(wanted.names)
        return all(any(below(name, above, wanted.separator) for above in wanted.names) for name in given.names)
    if isinstance(given, ChannelIs) and isinstance(wanted, ChannelIs):
        return set(given.names) <= set(wanted.names)
    if isinstance(wanted, OneOf):
        return any(implies(given, one) for one in wanted.parts)
    return isinstance(wanted, LevelIs) and (wanted.range.low, wanted.range.high) == (1, 24)


def impossible(condition: Condition) -> str:
    """Return why a condition can never hold, nothing where it may."""
    every = parts(condition)
    ranges = [one.range for one in every if isinstance(one, LevelIs)]
    if len(ranges) > 1 and max(one.low for one in ranges) > min(one.high for one in ranges):
        return "its ranges of levels have nothing in common"
    loggers = [one for one in every if isinstance(one, LoggerIs)]
    for at, first in enumerate(loggers):
        for second in loggers[at + 1 :]:
            if not _can_meet(first, second):
                return f"no logger is both {_words(first)} and {_words(second)}"
    channels = [set(one.names) for one in every if isinstance(one, ChannelIs)]
    if channels and not set.intersection(*channels):
        return "no channel is all that it names"
    if any(not one.names for one in loggers):
        return "its list of loggers is empty"
    for part in every:
        if any(isinstance(other, Not) and implies(part, other.inner) for other in every):
            return "it asks for a thing and for its opposite"
    absent = {one.name for one in every if isinstance(one, FieldIs) and one.operator == "present" and not one.value}
    asked = {one.name for one in every if isinstance(one, FieldIs) and not (one.operator == "present" and not one.value)}
    both = absent & asked
    return f"it wants the field {min(both)} absent and asks for its value" if both else ""


def certain(condition: Condition, severities: tuple[int, int], loggers: tuple[str, ...], separator: str) -> bool:
    """Tell whether a condition surely holds for every event of these severities that comes through one of ``loggers``."""
    if isinstance(condition, LevelIs):
        return condition.range.low <= severities[0] and severities[1] <= condition.range.high
    if isinstance(condition, LoggerIs):
        return not condition.exact and all(any(below(via, name, separator) for name in condition.names) for via in loggers)
    if isinstance(condition, Not):
        return bool(impossible(condition.inner))
    if isinstance(condition, OneOf):
        return any(certain(one, severities, loggers, separator) for one in condition.parts)
    return isinstance(condition, All) and all(certain(one, severities, loggers, separator) for one in condition.parts)


def _words(condition: LoggerIs) -> str:
    return ("exactly " if condition.exact else "below ") + " or ".join(condition.names)


def _can_meet(first: LoggerIs, second: LoggerIs) -> bool:
    return any(_names_meet(first, one, second, other) for one in first.names for other in second.names)


def _names_meet(first: LoggerIs, one: str, second: LoggerIs, other: str) -> bool:
    if first.exact and second.exact:
        return one == other
    if first.exact:
        return below(one, other, first.separator)
    if second.exact:
        return below(other, one, first.separator)
    return below(one, other, first.separator) or below(other, one, first.separator)


def meets_loggers(condition: Condition, loggers: tuple[str, ...], separator: str) -> bool:
    """Tell whether a condition can hold for events that come through one of ``loggers``."""
    return all(
        any(
            _names_meet(one, name, LoggerIs((via,), exact=False, separator=separator), via)
            for name in one.names
            for via in loggers
        )
        for one in parts(condition)
        if isinstance(one, LoggerIs)
    )


def levels_of(condition: Condition) -> tuple[int, int]:
    """Return the severities that a condition may hold for."""
    low, high = 1, 24
    for one in parts(condition):
        if isinstance(one, LevelIs):
            low, high = max(low, one.range.low), min(high, one.range.high)
    return low, high
