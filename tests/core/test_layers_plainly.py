"""Layers and placeholders, held against the plainest way to say them: nested dicts merged, texts replaced."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from layered import merged
from plans import APPENDERS, LEVELS, in_force
from vetrina.core.base.faults import Refused

TO = st.one_of(
    st.none(),
    st.sampled_from(APPENDERS),
    st.lists(st.sampled_from(APPENDERS) | st.builds(lambda name, floor: {"appender": name, "floor": floor}, st.sampled_from(APPENDERS), LEVELS), max_size=3),
    st.fixed_dictionaries({"add": st.lists(st.sampled_from(APPENDERS), max_size=2)}),
    st.fixed_dictionaries({"remove": st.lists(st.sampled_from(APPENDERS), min_size=1, max_size=2), "add": st.lists(st.sampled_from(APPENDERS), max_size=2)}),
)  # fmt: skip
LOGGER = (
    st.none()
    | LEVELS
    | st.fixed_dictionaries({}, optional={"level": LEVELS | st.none(), "to": TO, "note": st.sampled_from(["x", None])})
)
LAYER = st.fixed_dictionaries(
    {},
    optional={
        "title": st.sampled_from(["one", "two", None]),
        "loggers": st.dictionaries(st.sampled_from(["a", "a.b", "root"]), LOGGER, max_size=3),
        "values": st.none() | st.dictionaries(st.sampled_from(["x", "y"]), st.sampled_from(["1", "2", None]), max_size=2),
        "rules": st.lists(st.sampled_from([{"drop": {"logger": "a"}}, {"keep": {"error": True}}]), max_size=2),
    },
)


def item(written: Any) -> dict[str, Any]:
    return {"appender": written} if isinstance(written, str) else written


def laid(below: Any, above: Any, key: str) -> Any:
    """Lay a layer's value over what is below it: mappings merge, null removes, all else replaces; `to` may be changed."""
    if above is None:
        return None
    if key == "to":
        if isinstance(above, dict):
            removed = above.get("remove", [])
            kept = [one for one in below or [] if one["appender"] not in removed]
            return kept + [item(one) for one in above.get("add", [])]
        return [item(one) for one in (above if isinstance(above, list) else [above])]
    if key == "entry" and isinstance(above, str):
        above = {"level": above}
    if not isinstance(above, dict) or key == "rules":
        return above
    found = dict(below or {})
    for name, value in above.items():
        found[name] = laid(found.get(name), value, "entry" if key == "loggers" else name)
    return {name: value for name, value in found.items() if value is not None}


def texts(value: Any) -> Any:
    """Return all values as the texts that a plan holds."""
    if isinstance(value, dict):
        return {name: texts(one) for name, one in value.items()}
    if isinstance(value, list):
        return [texts(one) for one in value]
    return str(value).lower() if isinstance(value, bool) else value


def single(value: Any) -> Any:
    """Return rules with the one form of their lists: a logger's name is a list of one."""
    return json.loads(json.dumps(value).replace('"logger": "a"', '"logger": ["a"]'))


@settings(max_examples=300)
@given(st.lists(LAYER, min_size=1, max_size=4))
def test_layers_merge_as_mappings_do(layers: list[dict[str, Any]]) -> None:
    wanted: Any = {}
    for layer in layers:
        wanted = laid(wanted, layer, "")

    assert single(merged(*layers)) == single(texts(wanted))


PIECES = st.sampled_from(
    ["x", "-", "${a}", "${b}", "${c}", "${d}", "${a:-}", "${b:-y}", "${c:-${d:-z}}", "${d:-$${a}}", "$${a}", "$", "{b}"]
)
WRITTEN = st.lists(PIECES, max_size=3).map("".join)
GIVEN = st.dictionaries(st.sampled_from("abcd"), st.sampled_from(["", "given", "${a}", "$${b}"]), max_size=3)


class Unknown(Exception):
    """A name that nobody gives, or a circle."""


def expanded(
    text: str, values: dict[str, str], env: dict[str, str], environment: dict[str, str], chain: tuple[str, ...]
) -> str:
    found, at = "", 0
    while at < len(text):
        if text.startswith("$${", at):
            found, at = found + "${", at + 3
            continue
        if not text.startswith("${", at):
            found, at = found + text[at], at + 1
            continue
        depth, end = 1, at + 2
        while depth:
            opens = text.startswith("${", end)
            depth += 1 if opens else -1 if text[end] == "}" else 0
            end += 2 if opens else 1
        name, has_default, default = text[at + 2 : end - 1].partition(":-")
        at = end
        value = named(name, values, env, environment, chain)
        if value or (value is not None and not has_default):
            found += value
        elif has_default:
            found += expanded(default, values, env, environment, chain)
        else:
            raise Unknown(name)
    return found


def named(
    name: str, values: dict[str, str], env: dict[str, str], environment: dict[str, str], chain: tuple[str, ...]
) -> str | None:
    if name in env:
        return env[name]
    if name in values and (not chain or chain[-1] != name):
        if name in chain:
            raise Unknown("a circle")
        return expanded(values[name], values, env, environment, (*chain, name))
    return environment.get(name)


@settings(max_examples=400)
@given(WRITTEN, st.dictionaries(st.sampled_from("abcd"), WRITTEN, max_size=4), GIVEN, GIVEN)
def test_placeholders_are_replaced_by_what_is_named_first(
    title: str, values: dict[str, str], env: dict[str, str], environment: dict[str, str]
) -> None:
    text = json.dumps({"vetrina": 1, "values": values, "title": title})
    try:
        wanted: str | None = expanded(title, values, env, environment, ())
        for name, value in values.items():
            expanded(value, values, env, environment, (name,))
    except Unknown:
        wanted = None
    if wanted is not None:
        assert in_force(text, env=env, environment=environment).plan.title == wanted
        return
    with pytest.raises(Refused) as refused:
        in_force(text, env=env, environment=environment)
    assert all(
        "not known" in fault.what or "of its own name" in fault.what or "circle" in fault.what for fault in refused.value.faults
    )
