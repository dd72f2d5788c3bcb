"""Builders for core tests: plans from text without files, random plans for properties."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

from vetrina.core.base.faults import Fault, Refused
from vetrina.core.config.placeholders import Given
from vetrina.core.config.resolution import Overrides, ResolvedPlan, resolve
from vetrina.core.plan.model import Plan
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import read_document


def in_force(text: str, **overrides: Any) -> ResolvedPlan:
    """Return the plan of a text, in force."""
    told: list[Fault] = []
    env = {name: Given(value, "--env") for name, value in overrides.pop("env", {}).items()}
    document = read_document(text, Source("plan.yaml", "file", text), told.append)
    return resolve(document, "plan.yaml", ".", Overrides(env=env, **overrides), told)


def plan(body: str, head: str = "vetrina: 1\n") -> Plan:
    """Return the plan of a text without its first line."""
    return in_force(head + body).plan


def faults(body: str, head: str = "vetrina: 1\n") -> list[str]:
    """Return what is wrong with a plan, as `line:column what`."""
    try:
        in_force(head + body)
    except Refused as refused:
        return [
            f"{fault.place.line}:{fault.place.column} {fault.what}" if fault.place else fault.what for fault in refused.faults
        ]
    return []


SEGMENTS = st.sampled_from(["a", "b", "ab", "c", "a.b", ""])
NAMES = st.lists(st.sampled_from(["a", "b", "ab", "c"]), min_size=1, max_size=4).map(".".join)
LEVELS = st.sampled_from(["trace", "debug", "info", "warn", "error", "fatal"])
APPENDERS = ["one", "two", "three"]


def loggers() -> st.SearchStrategy[dict[str, dict[str, Any]]]:
    """Return random logger entries, as they would stand in a plan."""
    entry = st.fixed_dictionaries(
        {},
        optional={
            "level": LEVELS,
            "to": st.lists(st.sampled_from(APPENDERS), max_size=3),
            "climb": st.booleans(),
            "enabled": st.booleans(),
        },
    )
    return st.dictionaries(st.one_of(NAMES, st.just("root")), entry, max_size=8)


def document(entries: dict[str, Any], **more: Any) -> str:
    """Return a plan with these loggers as JSON, which is YAML too."""
    import json

    appenders = {name: {"sink": "none"} for name in APPENDERS}
    return json.dumps({"vetrina": 1, "loggers": entries, "appenders": appenders, **more})
