"""JSON Schemas (2020-12): of plans, from the plan's own table; of events and outputs, from typed records."""

from __future__ import annotations

import json
from typing import Any

import msgspec

from vetrina.core.base.events import Event
from vetrina.core.base.levels import ALIASES, NAMES, THRESHOLDS
from vetrina.core.config.grammar import CONDITION, MEMBER, PLAN_FILE, VERSION
from vetrina.core.schema.kinds import Schema
from vetrina.formats import cases
from vetrina.formats.outputs import OUTPUTS

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def plan_schema() -> Schema:
    """Return the schema of a plan; a layer is the same without `vetrina`.

    A level's name must be a known one, unless the plan adds names under `levels`.
    """
    found = dict(PLAN_FILE.schema())
    properties = {"$schema": {"type": "string"}, **found["properties"]}
    properties["vetrina"] = {"const": VERSION, "description": "version of the plan format"}
    with_levels = ("assume", "loggers", "appenders", "stages")
    strict = json.loads(
        json.dumps({name: properties[name] for name in with_levels}).replace("#/$defs/level", "#/$defs/known-level")
    )
    names = [*NAMES, *ALIASES, *THRESHOLDS]
    numbers = [{"type": "integer", "minimum": 1, "maximum": 24}, {"type": "string", "pattern": r"^([1-9]|1[0-9]|2[0-4])$|\$\{"}]
    return {
        "$schema": DIALECT,
        "title": "Vetrina plan",
        **found,
        "properties": properties,
        "required": ["vetrina"],
        "if": {"not": {"required": ["levels"]}},
        "then": {"properties": strict},
        "$defs": {
            "known-level": {
                "description": "a level's name or number",
                "anyOf": [
                    {"enum": names},
                    {"type": "string", "pattern": "^(" + "|".join(map(_any_case, names)) + ")$"},
                    *numbers,
                ],
            },
            "level": {
                "description": "a level's name, one of the plan's own under levels, or a number",
                "anyOf": [{"enum": names}, {"type": "string", "pattern": r"^[\w-]+$"}, *numbers],
            },
            "condition": CONDITION.definition(),
            "member": {
                "anyOf": [
                    {"type": "string"},
                    {
                        "type": "object",
                        "properties": {"raw": {"type": "string"}},
                        "required": ["raw"],
                        "additionalProperties": False,
                    },
                    {"type": "object", "additionalProperties": {"anyOf": [MEMBER.schema(), {"type": "null"}]}},
                ]
            },
        },
    }


def _any_case(word: str) -> str:
    return "".join(f"[{char}{char.upper()}]" for char in word)


def events_schema() -> Schema:
    """Return the schema of one line of events."""
    return {"$schema": DIALECT, **_flat(Event, "Vetrina event"), "additionalProperties": True}


def cases_schema() -> Schema:
    """Return the schema of a file of expected deliveries."""
    return {"$schema": DIALECT, **cases.cases_schema()}


def output_schema(command: str) -> Schema:
    """Return the schema of a command's `--json` document (of each line, where it prints JSON Lines)."""
    return {"$schema": DIALECT, **_flat(OUTPUTS[command], f"vetrina {command} --json")}


def _flat(kind: Any, title: str) -> Schema:
    """Return msgspec's schema with its top reference resolved."""
    (found,), definitions = msgspec.json.schema_components([kind], ref_template="#/$defs/{name}")
    name = found.get("$ref", "").rpartition("/")[2]
    top = dict(definitions.pop(name)) if name and not _used(definitions, name) else dict(found)
    top["title"] = title
    return {**top, "$defs": definitions} if definitions else top


def _used(definitions: dict[str, Any], name: str) -> bool:
    inside = {key: value for key, value in definitions.items() if key != name}
    return f"#/$defs/{name}" in str(inside) or f"'#/$defs/{name}'" in str(definitions[name])


__all__ = ["OUTPUTS", "cases_schema", "events_schema", "output_schema", "plan_schema"]
