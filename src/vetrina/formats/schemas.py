"""JSON Schemas (2020-12): of plans and cases, from their tables of keys; of events and other records, from their types."""

from __future__ import annotations

import inspect
from typing import Any

import msgspec

from vetrina.core.base.events import Event
from vetrina.core.base.levels import ALIASES, NAMES, THRESHOLDS
from vetrina.core.config.grammar import PLAN_FILE, VERSION
from vetrina.core.schema import kinds
from vetrina.core.schema.kinds import Schema
from vetrina.formats import cases

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def plan_schema() -> Schema:
    """Return the schema of a plan; a layer is the same without `vetrina`.

    A level's name must be a known one, unless the plan adds names under `levels`: what holds levels is there twice.
    """
    found = PLAN_FILE.as_object()
    properties = {"$schema": {"type": "string"}, **found["properties"]}
    properties["vetrina"] = {"const": VERSION, "description": "version of the plan format"}
    definitions = kinds.definitions(*PLAN_FILE.parts()) | {"placeholder": kinds.PLACEHOLDER, "level": _level()}
    twins = _holding(definitions, "level")
    return {
        "$schema": DIALECT,
        "title": "Vetrina plan",
        **found,
        "properties": properties,
        "required": ["vetrina"],
        "if": {"not": {"required": ["levels"]}},
        "then": {"properties": {name: known for name, one in properties.items() if (known := _renamed(one, twins)) != one}},
        "$defs": {
            **definitions,
            **{f"known-{name}": _renamed(definitions[name], twins) for name in twins if name != "level"},
            "known-level": _known_level(),
        },
    }


_NUMBERS: list[Schema] = [
    {"type": "integer", "minimum": 1, "maximum": 24},
    {"type": "string", "pattern": r"^([1-9]|1[0-9]|2[0-4])$|\$\{"},
]
_NAMES = [*NAMES, *ALIASES, *THRESHOLDS]


def _level() -> Schema:
    what = "a level's name, one of the plan's own under levels, or a number"
    return {"description": what, "anyOf": [{"enum": _NAMES}, {"type": "string", "pattern": r"^[\w-]+$"}, *_NUMBERS]}


def _known_level() -> Schema:
    in_any_case = {"type": "string", "pattern": "^(" + "|".join(map(_any_case, _NAMES)) + ")$"}
    return {"description": "a level's name or number", "anyOf": [{"enum": _NAMES}, in_any_case, *_NUMBERS]}


def _holding(definitions: dict[str, Schema], name: str) -> set[str]:
    """Return the definitions that refer to ``name``, or to one that does, and it itself."""
    found = {name}
    while more := {one for one, schema in definitions.items() if one not in found and _renamed(schema, found) != schema}:
        found |= more
    return found


def _renamed(schema: Any, names: set[str]) -> Any:
    """Return a schema whose references to ``names`` lead to their stricter twins."""
    if isinstance(schema, dict):
        return {
            key: f"#/$defs/known-{name}"
            if key == "$ref" and (name := value.rpartition("/")[2]) in names
            else _renamed(value, names)
            for key, value in schema.items()
        }
    return [_renamed(one, names) for one in schema] if isinstance(schema, list) else schema


def _any_case(word: str) -> str:
    return "".join(f"[{char}{char.upper()}]" for char in word)


def events_schema() -> Schema:
    """Return the schema of one line of events."""
    return {"$schema": DIALECT, **_flat(Event, "Vetrina event"), "additionalProperties": True}


def cases_schema() -> Schema:
    """Return the schema of a file of expected deliveries."""
    return {"$schema": DIALECT, **cases.cases_schema()}


def record_schema(record: Any, title: str) -> Schema:
    """Return the schema of a typed record."""
    return {"$schema": DIALECT, **_flat(record, title)}


def _flat(kind: Any, title: str) -> Schema:
    """Return msgspec's schema with its top reference resolved."""
    found, definitions = components(kind, "#/$defs/{name}")
    name = found.get("$ref", "").rpartition("/")[2]
    top = dict(definitions.pop(name)) if name and not _used(definitions, name) else dict(found)
    top["title"] = title
    return {**top, "$defs": definitions} if definitions else top


def components(kind: Any, reference: str) -> tuple[Schema, dict[str, Schema]]:
    """Return a type's schema and those that it refers to by ``reference``; docstrings come without their indentation.

    Libraries differ in what they leave of it, also by the version of Python.
    """
    (found,), definitions = msgspec.json.schema_components([kind], ref_template=reference)
    return _cleaned(found), _cleaned(definitions)


def _cleaned(schema: Any) -> Any:
    if isinstance(schema, dict):
        return {
            key: inspect.cleandoc(one) if key == "description" and isinstance(one, str) else _cleaned(one)
            for key, one in schema.items()
        }
    return [_cleaned(one) for one in schema] if isinstance(schema, list) else schema


def _used(definitions: dict[str, Any], name: str) -> bool:
    inside = {key: value for key, value in definitions.items() if key != name}
    return f"'#/$defs/{name}'" in str(inside) or f"'#/$defs/{name}'" in str(definitions[name])


__all__ = ["cases_schema", "components", "events_schema", "plan_schema", "record_schema"]
