"""Events on their way: the record, the holes in messages, and values as text.

Here: what an event is and says. Not here: reading it from a file (formats/events.py), where it goes (router.py).
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import datetime
from itertools import islice
from typing import Annotated, Any, Final

import msgspec

from vetrina.core.base.memo import Memo

JsonObject = dict[str, Any]
HOLE = re.compile(r"\{([A-Za-z_][A-Za-z0-9_.-]*)\}")
MISSING: Final = object()
LONGEST_LOGGER = 4096
MOST_HOLES = 10_000
NOT_TEXT: Final = re.compile(r"[\ud800-\udfff]")
"""What stands for bytes that are not UTF-8 in a name or value of the system's."""
_PARTS_KEPT = 4096
_ENCODER = json.JSONEncoder(ensure_ascii=False, separators=(",", ":"))
_QUOTED = re.compile(r'[\x00-\x20"=\x7f-\x9f]')


class ErrorDetail(msgspec.Struct, gc=False, omit_defaults=True):
    """What went wrong, in parts; each may be missing."""

    type: str | None = None
    message: str | None = None
    stack: str | None = None


class SourcePosition(msgspec.Struct, gc=False, omit_defaults=True):
    """Where in the program the event was made."""

    file: str | None = None
    line: int | None = None
    function: str | None = None


class Event(msgspec.Struct, forbid_unknown_fields=True, gc=False, omit_defaults=True):
    """One log message: when, how grave, by whom, what; see the design's section 4.

    ``level`` is as written (a name or a number); `Severities` turns it into a severity. ``count`` is how many
    events the line stands for (None means 1); ``mark`` is `start`, `stop`, `crash` or other text; ``channel`` the way it came
    by where that were not the configuration's own loggers (an empty one counts as none).
    """

    time: Annotated[datetime, msgspec.Meta(tz=True)]
    level: int | str
    logger: Annotated[str, msgspec.Meta(max_length=LONGEST_LOGGER)]
    message: str
    fields: JsonObject | None = None
    error: str | ErrorDetail | None = None
    thread: str | int | None = None
    source: SourcePosition | None = None
    process: str | int | None = None
    host: str | None = None
    count: Annotated[int, msgspec.Meta(ge=1)] | None = None
    mark: str | None = None
    channel: str | None = None


KNOWN_KEYS = frozenset(Event.__struct_fields__)


def text_of(value: object) -> str:
    """Return a JSON value as it stands in a hole.

    Text as it is; integers exactly; other numbers as the shortest text that reads back the same and still shows that
    they are no integers; arrays and objects whole, as compact JSON.
    """
    if isinstance(value, str):
        return value
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return repr(value)
    return compact_json(value)


def compact_json(value: object) -> str:
    """Return ``value`` as one line of JSON, non-ASCII as it is."""
    return _ENCODER.encode(value)


def look_up(fields: JsonObject | None, name: str) -> Any:
    """Return the field ``name``: the literal key, else a dotted path into objects; MISSING where there is none."""
    if not fields:
        return MISSING
    if name in fields:
        return fields[name]
    if "." not in name:
        return MISSING
    value: Any = fields
    for part in name.split("."):
        if not isinstance(value, dict) or part not in value:
            return MISSING
        value = value[part]
    return value


class _Shape(msgspec.Struct, gc=False):
    """A message cut at its holes: how to fill it from fields, and the holes' names, in order and as a set."""

    fill: Callable[[JsonObject | None], str]
    names: tuple[str, ...]
    wanted: frozenset[str]


def _shape(message: str) -> _Shape:
    names = tuple(match.group(1) for match in HOLE.finditer(message))
    return _Shape(_filling(message, names), names, frozenset(names))


def _filling(message: str, names: tuple[str, ...]) -> Callable[[JsonObject | None], str]:
    """Return the function from fields to the filled message.

    One and two holes that hold text or integers, which is most of all messages, are filled without a list; where
    there are no fields at all, or not these, the slow way is taken.
    """
    if not names:
        return lambda _fields: message
    literals = HOLE.split(message)[::2]
    layout = "%s".join(literal.replace("%", "%%") for literal in literals)

    def fill(fields: JsonObject | None) -> str:
        return layout % tuple([_hole_text(fields or {}, name) for name in names])

    if len(names) > 2:
        return fill
    first, last = names[0], names[-1]
    start, middle, end = literals[0], literals[1], literals[-1]

    def fill_one(fields: JsonObject | None) -> str:
        try:
            value = fields[first]  # type: ignore[index]
        except (KeyError, TypeError):
            return fill(fields)
        kind = type(value)
        return f"{start}{value}{end}" if kind is str or kind is int else fill(fields)

    def fill_two(fields: JsonObject | None) -> str:
        try:
            one, two = fields[first], fields[last]  # type: ignore[index]
        except (KeyError, TypeError):
            return fill(fields)
        kind, other = type(one), type(two)
        if (kind is str or kind is int) and (other is str or other is int):
            return f"{start}{one}{middle}{two}{end}"
        return fill(fields)

    return fill_two if len(names) == 2 else fill_one


def _hole_text(fields: JsonObject, name: str) -> str:
    value = look_up(fields, name)
    return "{" + name + "}" if value is MISSING else text_of(value)


def _short(message: str) -> bool:
    return len(message) <= _PARTS_KEPT


SHAPES = Memo(_shape, _PARTS_KEPT, _short)


FILLINGS = Memo(lambda message: SHAPES[message].fill, _PARTS_KEPT, _short)


def filled(event: Event) -> str:
    """Return the message with its holes filled; a hole without such a field stays as written."""
    message = event.message
    return SHAPES[message].fill(event.fields) if "{" in message else message


def has_too_many_holes(message: str) -> bool:
    """Tell whether a message has more than 10,000 holes."""
    return next(islice(HOLE.finditer(message), MOST_HOLES, None), None) is not None


def filled_length(event: Event) -> int:
    """Return at least how many characters `filled` has, without filling the message."""
    sizes = {name: len(_hole_text(event.fields or {}, name)) for name in set(holes(event.message))}
    return sum(sizes[name] for name in holes(event.message))


def unfilled(event: Event) -> int:
    """Return how many holes of the message have no field."""
    if "{" not in event.message:
        return 0
    fields = event.fields or {}
    count = 0
    for name in SHAPES[event.message].names:
        if name not in fields and look_up(fields, name) is MISSING:
            count += 1
    return count


def holes(message: str) -> tuple[str, ...]:
    """Return the names of the holes in a message, in order, repeats included."""
    return SHAPES[message].names if "{" in message else ()


def error_text(event: Event) -> str:
    """Return the error as text: its stack, else `type: message`, else the one there is."""
    error = event.error
    if error is None or isinstance(error, str):
        return error or ""
    if error.stack:
        return error.stack
    return ": ".join(part for part in (error.type, error.message) if part)


def has_error(event: Event) -> bool:
    """Tell whether the event carries an error; an empty one counts as none."""
    error = event.error
    if error is None or isinstance(error, str):
        return bool(error)
    return bool(error.type or error.message or error.stack)


def other_fields(event: Event) -> JsonObject:
    """Return the fields that no hole of the message uses; `{a.b}` uses `a`."""
    fields = event.fields or {}
    used = {name if name in fields else name.split(".", 1)[0] for name in holes(event.message)}
    return {name: value for name, value in fields.items() if name not in used}


def pairs(fields: JsonObject | None) -> str:
    """Return fields as `k=v k=v`, a value in JSON quotes where it would not stand by itself."""
    if not fields:
        return ""
    found = []
    for name, value in fields.items():
        text = text_of(value)
        found.append(f"{name}={compact_json(text) if not text or _QUOTED.search(text) else text}")
    return " ".join(found)
