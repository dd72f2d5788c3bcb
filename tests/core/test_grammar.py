"""The plan's table of keys: each says what it is, and its example is one."""

from __future__ import annotations

import json
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from plans import in_force
from vetrina.core.base.faults import Fault
from vetrina.core.base.levels import Scale
from vetrina.core.config.grammar import PLAN_FILE
from vetrina.core.config.merging import merge
from vetrina.core.schema.containers import Key, Record
from vetrina.core.schema.held import Layer
from vetrina.core.schema.kinds import PLACEHOLDER, Kind, definitions
from vetrina.core.schema.nodes import Source
from vetrina.formats.cases import CASES, _CaseReader
from vetrina.formats.documents import read_document, yaml_value
from vetrina.formats.schemas import plan_schema


def keys() -> dict[str, Key]:
    """Return every key of plans and files of cases, by its record and name."""
    found: dict[str, Key] = {}
    waiting: list[Kind] = [PLAN_FILE, CASES]
    seen: list[Kind] = []
    while waiting:
        kind = waiting.pop()
        if any(kind is one for one in seen):
            continue
        seen.append(kind)
        if isinstance(kind, Record):
            found.update({f"{kind.name}: {name}": key for name, key in kind.keys.items()})
        waiting.extend(kind.parts())
    return found


@pytest.mark.parametrize("name, key", keys().items(), ids=list(keys()))
def test_every_key_says_what_it_is_and_its_example_is_one(name: str, key: Key) -> None:
    told: list[Fault] = []
    assert key.doc, name
    assert key.example, name
    source = Source("example", "file", key.example)
    node = read_document(key.example, source, told.append)
    assert node is not None
    shaped = key.kind.shape(node, told.append, layered=False)
    assert shaped is not None
    assert key.kind.read(merge(key.kind, None, Layer("file", "example"), shaped), _CaseReader(Scale(), told)) is not None
    assert told == []
    schema = {
        **key.kind.schema(),
        "$defs": {**definitions(key.kind), "placeholder": PLACEHOLDER, "level": plan_schema()["$defs"]["level"]},
    }
    Draft202012Validator(schema).validate(yaml_value(key.example, name))


PLACED = [(name, key) for name, key in keys().items() if name.partition(":")[0] in {"an appender", "roll", "keep", "a buffer", "a logger", "an attachment", "a template", "a plan", "mask"}]  # fmt: skip


@pytest.mark.parametrize("name, key", PLACED, ids=[name for name, _ in PLACED])
def test_every_example_stands_in_a_plan_that_is_fine(name: str, key: Key) -> None:
    record, _, own = name.partition(": ")
    kind = key.doc.partition(": ")[0] if record == "an appender" else ""
    if own in {"vetrina", "$schema", "check", "why"} or kind in {"mail", "http", "table", "syslog"}:
        return
    value = yaml_value(key.example, name)
    forms = {"as: csv": {"as": "csv", "columns": {"a": "{time}"}}, "as: json": {"as": "json", "members": {"a": "{time}"}}}
    form = next((dict(form) for words, form in forms.items() if words in key.doc), {"as": "text", "text": "{message}"})
    form = dict(forms["as: json"]) if own == "as" else form
    file: dict[str, Any] = {"sink": "file", "path": "a.log"}
    roll: dict[str, Any] = {"every": "day", "at-size": "1 MiB", "rename-to": "a-{period|%j}.{n}.log"}
    bodies: dict[str, dict[str, Any]] = {
        "a plan": {own: value},
        "mask": {"mask": {own: value}},
        "a logger": {"loggers": {"x": {own: value}}},
        "an attachment": {"loggers": {"x": {"to": [{"appender": "daybook", own: value}]}}},
        "a buffer": {"appenders": {"b": {"sink": "none", "buffer": {own: value}}}},
        "roll": {"appenders": {"b": {**file, "roll": {**roll, own: value}}}},
        "keep": {"appenders": {"b": {**file, "roll": {**roll, "keep": {own: value}}}}},
        "an appender": {"appenders": {"b": {**({"sink": "console"} if kind == "console" else file), own: value}}},
        "a template": {
            "templates": {"t": {**(form if "syslog" not in key.doc or own == "text" else {"as": "syslog"}), own: value}}
        },
    }
    plan = bodies[record]
    plan.setdefault("appenders", {}).update(
        {name: {"sink": "none"} for name in ("daybook", "desk") if name not in plan["appenders"]}
    )

    assert in_force(json.dumps({"vetrina": 1, **plan})).plan is not None


def test_the_schema_of_plans_is_small_and_refers_to_what_it_holds() -> None:
    schema = plan_schema()
    Draft202012Validator.check_schema(schema)
    referred = set()

    def walk(part: object) -> None:
        if isinstance(part, dict):
            referred.update({part["$ref"]} if isinstance(part.get("$ref"), str) else set())
            list(map(walk, part.values()))
        elif isinstance(part, list):
            list(map(walk, part))

    walk(schema)
    assert referred == {f"#/$defs/{name}" for name in schema["$defs"]}
