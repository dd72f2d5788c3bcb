"""JSON Schemas (2020-12): of plans, from the plan's own table; of events and outputs, from typed records."""

from __future__ import annotations

from typing import Any

import msgspec

from vetrina.core.events import Event
from vetrina.core.grammar import CONDITION, MEMBER, PLAN_FILE
from vetrina.core.levels import ALIASES, NAMES, THRESHOLDS
from vetrina.core.shapes import Schema
from vetrina.formats.outputs import OUTPUTS

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def plan_schema() -> Schema:
    """Return the schema of a plan; a layer is the same without `vetrina`."""
    found = dict(PLAN_FILE.schema())
    properties = {"$schema": {"type": "string"}, **found["properties"]}
    properties["vetrina"] = {"const": 1, "description": "version of the plan format"}
    words = [*NAMES, *ALIASES, *THRESHOLDS]
    either_case = [*words, *(word.upper() for word in words), *(word.capitalize() for word in words)]
    return {
        "$schema": DIALECT,
        "title": "Vetrina plan",
        **found,
        "properties": properties,
        "required": ["vetrina"],
        "$defs": {
            "level": {
                "description": "a level's name or number; names that the plan adds under levels count as well",
                "anyOf": [
                    {"enum": either_case},
                    {"type": "integer", "minimum": 1, "maximum": 24},
                    {"type": "string", "pattern": r"^[\w-]+$|\$\{"},
                ],
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


def events_schema() -> Schema:
    """Return the schema of one line of events."""
    return {"$schema": DIALECT, **_flat(Event, "Vetrina event"), "additionalProperties": True}


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


__all__ = ["OUTPUTS", "events_schema", "output_schema", "plan_schema"]
