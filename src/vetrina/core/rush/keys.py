"""What tells events apart for a gate with a memory: `same`, a list of words; events that are equal in all of them share one key."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import Any

from vetrina.core.base.events import MISSING, Event, filled, look_up
from vetrina.core.base.logger_names import tree_name

Key = tuple[Hashable, ...]
_ABSENT = ("absent",)


def key_of(same: Sequence[str], severity_of: Callable[[Event], int]) -> Callable[[Event], Key]:
    """Return what gives an event's key.

    ``same`` are words of `logger`, `level`, `message` (its holes filled), `text` (not filled), `thread`, `channel`, and
    `field NAME`. Fields are compared as JSON (1 = 1.0; true is no 1); what is absent is a value of its own.
    """
    parts = [_part(word, severity_of) for word in same]
    return lambda event: tuple(part(event) for part in parts)


def _part(word: str, severity_of: Callable[[Event], int]) -> Callable[[Event], Hashable]:
    name = word.partition(" ")[2]
    if name:
        return lambda event: as_json(look_up(event.fields, name))
    parts: dict[str, Callable[[Event], Hashable]] = {
        "logger": lambda event: tree_name(event.logger),
        "level": severity_of,
        "message": filled,
        "text": lambda event: event.message,
        "channel": lambda event: event.channel or _ABSENT,
        "thread": lambda event: _ABSENT if event.thread is None else as_json(event.thread),
    }
    return parts[word]


def as_json(value: Any) -> Hashable:
    """Return what is equal for values that are equal as JSON."""
    if value is MISSING:
        return _ABSENT
    if isinstance(value, bool) or value is None:
        return ("literal", value)
    if isinstance(value, dict):
        return ("object", frozenset((name, as_json(one)) for name, one in value.items()))
    if isinstance(value, list | tuple):
        return ("array", tuple(map(as_json, value)))
    return value if isinstance(value, str) else ("number", value)
