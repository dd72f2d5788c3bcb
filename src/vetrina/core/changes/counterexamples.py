"""Events that answer given questions in a given way: found by trying, verified by asking.

Here: from questions with their wanted answers to an event, or the reason why there is none. A contradiction is said
only where it is proven.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from itertools import pairwise
from typing import Any, TypeAlias

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import MISSING, Event
from vetrina.core.base.logger_names import event_name
from vetrina.core.changes.regex_texts import regex_texts
from vetrina.core.plan.conditions import Ask, ErrorIs, FieldIs, MessageMatches

TIME = datetime(2026, 11, 13, 9, 41, 7, 312_000, tzinfo=UTC)
Wanted: TypeAlias = Sequence[tuple[Ask, bool]]
_MESSAGES = ("a message", "", "x", "0", "-", "gate 4 open", "\n", "运行中")
_VALUES: tuple[Any, ...] = ("", "a value", 0, True, False, None, "x", 1.5, -1, [], {}, ["x"], "运行中")


class Contradiction(VetrinaError):
    """The wanted answers exclude each other."""


def contradicts(wanted: Wanted, latest: Ask) -> bool:
    """Tell whether the answers that concern what ``latest`` asks about surely exclude each other."""
    try:
        _error(wanted) if isinstance(latest, ErrorIs) else _value(wanted, latest.name) if isinstance(latest, FieldIs) else None
    except Contradiction:
        return True
    return False


def counterexample(logger: str, level: int | str, wanted: Wanted) -> Event | None:
    """Return an event that gives the wanted answers; None where none was found. Raise Contradiction where none can be."""
    error = _error(wanted)
    fields: dict[str, Any] = {}
    for name in dict.fromkeys(ask.name for ask, _ in wanted if isinstance(ask, FieldIs)):
        value = _value(wanted, name)
        if value is None:
            return None
        if value[0] is not MISSING:
            fields[name] = value[0]
    for message in _messages([(ask, answer) for ask, answer in wanted if isinstance(ask, MessageMatches)]):
        event = Event(TIME, level, event_name(logger), message, fields or None, error)
        if all(ask.holds(event) == answer for ask, answer in wanted):
            return event
    return None


def _error(wanted: Wanted) -> str | None:
    kinds = {ask.present == answer for ask, answer in wanted if isinstance(ask, ErrorIs)}
    if len(kinds) > 1:
        raise Contradiction
    return "BrakeFault: shoe 3 did not close" if kinds == {True} else None


def _value(wanted: Wanted, name: str) -> tuple[Any] | None:
    """Return the value of a field that meets all that is wanted of it (MISSING for none), None where none was found.

    Where nothing is searched in its text, the values tried stand for all there are, and finding none is a proof.
    """
    own = [(ask, answer) for ask, answer in wanted if isinstance(ask, FieldIs) and ask.name == name]
    fixed = next((ask for ask, answer in own if answer and ask.operator in {"is", "one-of"}), None)
    values = (
        _candidates([ask for ask, _ in own]) if fixed is None else fixed.value if fixed.operator == "one-of" else [fixed.value]
    )
    for value in values:
        event = Event(TIME, 9, "", "", None if value is MISSING else {name: value})
        if all(ask.holds(event) == answer for ask, answer in own):
            return (value,)
    if fixed is not None or not any(ask.operator == "matches" for ask, _ in own):
        raise Contradiction
    return None


def _candidates(asks: list[FieldIs]) -> Iterable[Any]:
    """Yield values that tell the questions apart: each named one, each bound and what lies beside it, and others."""
    yield MISSING
    numbers: set[float] = set()
    for ask in asks:
        named = ask.value if ask.operator == "one-of" else [ask.value]
        if ask.operator == "matches":
            yield from regex_texts(ask.value.text)
        elif ask.operator != "present":
            yield from named
            numbers |= {one for one in named if isinstance(one, int | float) and not isinstance(one, bool)}
    bounds = sorted(numbers)
    for bound in bounds:
        yield from (bound + 1, bound - 1, bound * 2, bound / 2)
        if isinstance(bound, float):
            yield from (math.nextafter(bound, math.inf), math.nextafter(bound, -math.inf))
    yield from (low + (high - low) / 2 for low, high in pairwise(bounds))
    taken = {str(ask.value) for ask in asks}
    yield from (value for value in _VALUES)
    yield next(f"another value {turn}" for turn in range(len(taken) + 1) if f"another value {turn}" not in taken)
    searched = [ask.value.text for ask in asks if ask.operator == "matches"]
    if len(searched) > 1:
        yield from _joined([regex_texts(text) for text in searched])


def _messages(wanted: list[tuple[MessageMatches, bool]]) -> Iterable[str]:
    found = [regex_texts(ask.expression.text) for ask, answer in wanted if answer]
    if not found:
        yield from _MESSAGES
        return
    for one in found:
        yield from one
    yield from _joined(found)


def _joined(parts: list[list[str]]) -> Iterable[str]:
    """Yield texts that hold one specimen of each part, in both orders, beside and below each other."""
    firsts = [one[0] for one in parts if one]
    longest = [max(one, key=len) for one in parts if one]
    for some in (firsts, longest):
        for between in (" ", "", "\n"):
            yield between.join(some)
            yield between.join(reversed(some))
