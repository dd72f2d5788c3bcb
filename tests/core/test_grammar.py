"""The plan's table of keys: each says what it is, and its example is one."""

from __future__ import annotations

import pytest
from jsonschema import Draft202012Validator

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
