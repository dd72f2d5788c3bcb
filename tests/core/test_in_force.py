"""Placeholders, layers and their laws; and that a plan written out means the same."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from layered import merged, node, plain
from plans import APPENDERS, LEVELS, NAMES, document, in_force, loggers
from plans import faults as told
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Refused
from vetrina.core.config.dump import Entries, Items, Value, Written, dump
from vetrina.core.config.placeholders import Given, typed
from vetrina.core.config.resolution import LayerFile, ResolvedPlan, SetOption, TuneOption, parse_path
from vetrina.core.plan.loggers import Tree
from vetrina.core.plan.model import Plan
from vetrina.core.routing.router import Router
from vetrina.core.schema.held import MergedNode
from vetrina.core.schema.nodes import Source, synthetic
from vetrina.formats.documents import read_document
from vetrina.views.resolve import resolve_lines


@pytest.mark.parametrize(
    "text, value",
    [
        ("", None),
        ("~", None),
        ("null", None),
        ("Null", None),
        ("nULL", "nULL"),
        ("true", True),
        ("False", False),
        ("yes", "yes"),
        ("off", "off"),
        ("12", 12),
        ("-3", -3),
        ("+3", 3),
        ("007", 7),
        ("0o17", 15),
        ("0x1f", 31),
        ("1_000", "1_000"),
        ("1.5", 1.5),
        (".5", 0.5),
        ("1.", 1.0),
        ("1e3", 1000.0),
        ("12:30", "12:30"),
        (".inf", float("inf")),
        ("-.INF", float("-inf")),
        ("0b1", "0b1"),
        ("1.2.3", "1.2.3"),
        ("-", "-"),
        ("2026-11-23", "2026-11-23"),
    ],
)
def test_plain_values_have_the_types_of_yaml_1_2(text: str, value: object) -> None:
    found = typed(text)

    assert (found, type(found)) == (value, type(value))


VALUES = "values: {a: x, b: '${a}/y', self: '${self:-own}', n: 5, empty: ''}\ntitle: "


@pytest.mark.parametrize(
    "title, env, environment, expected",
    [
        pytest.param('"${a}"', {}, {}, "x", id="the plan's values"),
        pytest.param('"${a}"', {"a": "given"}, {"a": "out"}, "given", id="--env wins"),
        pytest.param('"${a}"', {}, {"a": "out"}, "x", id="values come before the environment"),
        pytest.param('"${b}"', {"a": "g"}, {}, "g/y", id="values use values"),
        pytest.param('"${self}"', {}, {"self": "out"}, "out", id="a value that names itself means the next source"),
        pytest.param('"${self}"', {}, {}, "own", id="and its default"),
        pytest.param('"${gone:-d}"', {}, {}, "d", id="a default"),
        pytest.param('"${empty:-d}"', {}, {}, "d", id="an empty value takes the default, as in POSIX shells"),
        pytest.param('"${empty}"', {}, {}, "", id="an empty value is one"),
        pytest.param('"${gone:-${a}-${b}}"', {}, {}, "x-x/y", id="a default may hold placeholders"),
        pytest.param('"$${a} $a $"', {}, {}, "${a} $a $", id="two dollars make a literal one"),
        pytest.param('"${a}"', {"a": "${b}"}, {}, "${b}", id="what comes from outside is never expanded again"),
        pytest.param('"${n}"', {}, {}, "5", id="values are text as written"),
        pytest.param("${gone:-}", {}, {}, "", id="plain text that fills to nothing counts as not given"),
    ],
)
def test_placeholders(title: str, env: dict[str, str], environment: dict[str, str], expected: str) -> None:
    assert in_force(f"vetrina: 1\n{VALUES}{title}\n", env=env, environment=environment).plan.title == expected


@pytest.mark.parametrize(
    "body, words",
    [
        ("title: ${gone}", "2:8 ${gone} is not known"),
        ("title: ${", "has no closing brace"),
        ("title: ${a+b}", "is not a form of placeholder"),
        ("title: ${a-b}", "is not a form of placeholder"),
        ("title: ${}", "is not a form of placeholder"),
        ("values: {a: '${b}', b: '${a}'}\ntitle: ${a}", "values go round in a circle: a -> b -> a"),
        ("values: {a: '${gone}'}\ntitle: ${a}", "${gone} is not known (reached by a -> gone)"),
        ("values: {a-b: x}", "cannot be asked for"),
        ("title: " + "${x:-" * 30 + "}" * 30, "more than 20 deep"),
        ("values: {" + "".join(f"v{n}: '${{v{n + 1}}}', " for n in range(25)) + "v25: x}\ntitle: ${v0}", "more than 20 deep"),
        (
            "values: {v0: "
            + "x" * 2000
            + ", "
            + "".join(f"v{n + 1}: '${{v{n}}}${{v{n}}}', " for n in range(15))
            + "}\ntitle: ${v15}",
            "longer than",
        ),
    ],
)
def test_placeholders_that_cannot_be_filled(body: str, words: str) -> None:
    assert words in told(body)[0]


def test_a_plain_value_is_typed_after_filling_and_a_quoted_one_stays_text() -> None:
    plain = "loggers: {root: {to: a}}\nappenders:\n  a:\n    sink: none\n    enabled: ${on}\n"

    assert in_force("vetrina: 1\n" + plain, env={"on": "false"}).plan.appenders["a"].enabled.value is False
    assert "wants true or false" in told(plain.replace("${on}", '"${on:-true}"'))[0]
    assert in_force("vetrina: 1\nloggers:\n  a: ${l}\n", env={"l": "7"}).plan.loggers["a"].level.value == 7  # type: ignore[union-attr]


def test_a_fault_through_a_placeholder_shows_both_places() -> None:
    with pytest.raises(Refused) as caught:
        in_force("vetrina: 1\nvalues: {l: inof}\nloggers:\n  a: ${l}\n")
    (fault,) = caught.value.faults

    assert (fault.place.line, fault.place.column) == (4, 6)  # type: ignore[union-attr]
    assert [(place.line, place.column, words) for place, words in fault.related] == [(2, 13, "the value of ${l}")]


def layered(base: str, *layers: str, **asked: Any) -> Plan:
    files = tuple(LayerFile(f"l{at}.yaml", node(text, f"l{at}.yaml")) for at, text in enumerate(layers))
    return in_force("vetrina: 1\n" + base, layers=files, **asked).plan


BASE = "loggers: {root: {to: [a, b]}, x: info}\nappenders: {a: {sink: none, floor: info}, b: {sink: none}, c: {sink: none}}\n"


@pytest.mark.parametrize(
    "layer, expected",
    [
        pytest.param("loggers: {root: {to: {add: [c]}}}", ["a", "b", "c"], id="add"),
        pytest.param("loggers: {root: {to: {remove: [a]}}}", ["b"], id="remove goes by the appender's name"),
        pytest.param(
            "loggers: {root: {to: {remove: a, add: {appender: a, floor: warn}}}}", None, id="add wants a list or a name"
        ),
        pytest.param(
            "loggers: {root: {to: {add: [a], remove: [a, nobody]}}}",
            ["b", "a"],
            id="remove comes first, and a stranger changes nothing",
        ),
        pytest.param("loggers: {root: {to: c}}", ["c"], id="a list is replaced"),
        pytest.param("loggers: {root: {to: null}}", [], id="null removes"),
        pytest.param("loggers: {'': {to: c}}", ["c"], id="the empty name is root"),
        pytest.param("", ["a", "b"], id="an empty layer changes nothing"),
    ],
)
def test_lists_in_layers(layer: str, expected: list[str] | None) -> None:
    if expected is None:
        with pytest.raises(Refused):
            layered(BASE, layer)
    else:
        root = layered(BASE, layer).loggers["root"]

        assert [one.appender for one in root.to] == expected


def test_short_forms_are_spelt_out_before_merging() -> None:
    plan = layered(BASE, "loggers: {x: {climb: false}}", "loggers: {x: warn}")

    assert (plan.loggers["x"].level.value, plan.loggers["x"].climb.value) == (13, False)  # type: ignore[union-attr]


def test_a_template_whose_form_changes_is_replaced_whole() -> None:
    base = "templates: {t: {as: json, members: {a: '{time}'}, omit-empty: true}}\n"

    assert layered(base, "templates: {t: '{message}'}").templates["t"].form == "text"
    assert layered(base, "templates: {t: {members: {b: '{level}'}}}").templates["t"].texts[1].text == "{level}"


def test_precedence_is_stage_then_file_then_set_then_tune() -> None:
    base = BASE + "stages: {s: {loggers: {x: trace}}}\n"

    def level(**asked: Any) -> int:
        plan = layered(base, *asked.pop("layers", ()), **asked)
        return plan.loggers["x"].level.value  # type: ignore[union-attr]

    assert level() == 9
    assert level(stages=("s",)) == 1
    assert level(stages=("s",), layers=["loggers: {x: error}"]) == 17


def test_every_stage_is_checked_also_those_not_asked_for() -> None:
    base = BASE + "stages:\n  s: {loggers: {x: debgu}}\n  t: {appenders: {a: null}}\n"

    assert told(base) == ['2:23 no appender is called "a"', '5:20 level "debgu" is not known']


@pytest.mark.parametrize(
    "path, expected",
    [
        ("loggers[ropeway.gate].level=x", ["loggers", "ropeway.gate", "level"]),
        ('loggers["a]b"].to=x', ["loggers", "a]b", "to"]),
        ("loggers['a[b'].to=x", ["loggers", "a[b", "to"]),
        ("rules[0].note=x", ["rules", "0", "note"]),
        ("templates.t.members.a-b=x", ["templates", "t", "members", "a-b"]),
        ("loggers[].level=x", ["loggers", "", "level"]),
        ("loggers[a=b].level=x", ["loggers", "a=b", "level"]),
        ("[x", None),
        ("=x", None),
        (".a=x", None),
    ],
)
def test_paths(path: str, expected: list[str] | None) -> None:
    if expected is None:
        with pytest.raises(NotUnderstood):
            parse_path(path)
    else:
        assert [step.name for step in parse_path(path)[0]] == expected


SMALL = st.fixed_dictionaries(
    {},
    optional={
        "title": st.sampled_from(["one", "two", None]),
        "assume": st.one_of(LEVELS, st.none()),
        "loggers": st.dictionaries(
            st.sampled_from(["a", "a.b", "root"]),
            st.one_of(
                st.none(),
                LEVELS,
                st.fixed_dictionaries(
                    {},
                    optional={
                        "level": LEVELS,
                        "to": st.one_of(
                            st.lists(st.sampled_from(APPENDERS), max_size=2),
                            st.fixed_dictionaries({"add": st.lists(st.sampled_from(APPENDERS), max_size=1)}),
                            st.fixed_dictionaries({"remove": st.lists(st.sampled_from(APPENDERS), max_size=1)}),
                        ),
                    },
                ),
            ),
            max_size=3,
        ),
    },
)


@given(SMALL, SMALL)
def test_an_empty_layer_changes_nothing(first: dict[str, Any], second: dict[str, Any]) -> None:
    assert merged(first, {}, second, {}) == merged(first, second)


def without_add(layer: dict[str, Any]) -> dict[str, Any]:
    text = json.dumps(layer).replace('"add"', '"remove"')
    found: dict[str, Any] = json.loads(text)
    return found


@given(SMALL, SMALL.map(without_add))
def test_a_layer_laid_twice_changes_nothing_more(first: dict[str, Any], second: dict[str, Any]) -> None:
    assert merged(first, second, second) == merged(first, second)


@given(SMALL, st.dictionaries(st.sampled_from(["c", "d"]), LEVELS), st.dictionaries(st.sampled_from(["e", "f"]), LEVELS))
def test_order_matters_only_where_two_speak_of_one_key(base: dict[str, Any], one: dict[str, str], two: dict[str, str]) -> None:
    assert merged(base, {"loggers": one}, {"loggers": two}) == merged(base, {"loggers": two}, {"loggers": one})


def bare(one: Written) -> Any:
    if isinstance(one, Value):
        return one.json
    if isinstance(one, Items):
        return [bare(item) for item in one.items]
    return {name: bare(child) for name, child in one.entries.items()}


TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=12)


@given(
    loggers(),
    TEXTS,
    st.sampled_from(
        ["", "5", "null", "true", "a: b", "# c", "${x}", "$${x}", "- d", "[e", "{f", "'g", "\x85\u2028h ", " i", "~"]
    ),
    st.booleans(),
    NAMES,
)
def test_a_plan_written_out_means_the_same(
    entries: dict[str, Any], title: str, awkward: str, defaults: bool, name: str
) -> None:
    text = document(
        entries,
        title=title.replace("${", "$${"),
        values={"x": title.replace("${", "$${")},
        rules=[{"drop": {"field": {awkward: [1, None, awkward], "n": None}, "logger": name}, "note": awkward}, {"keep": {}}],
    )
    first = in_force(text)
    again = "\n".join(
        "".join(part.text for part in line) for line in resolve_lines(dump(first, defaults=defaults), origins=True)
    )
    second = in_force(again)

    def strip(found: Entries) -> Any:
        return {key: value for key, value in bare(found).items() if key != "workdir"}

    assert strip(dump(first, defaults=defaults)) == strip(dump(second, defaults=defaults))
    assert second.plan.title == title
    assert [rule.condition for rule in first.plan.rules] == [rule.condition for rule in second.plan.rules]
    for level in ("debug", "error"):
        assert Router(first.plan).decide(name, level) == Router(second.plan).decide(name, level)
    assert Tree(first.plan).standing(name).severity == Tree(second.plan).standing(name).severity


RULED = """vetrina: 1
rules: [{keep: {logger: a}, note: x}, {drop: {error: true}}]
loggers: {root: {to: [{appender: main, floor: error}, main]}}
appenders: {main: {sink: console, rules: [{drop: {any: [{logger: a, level: info}, {logger: b}]}}]}}
"""


@pytest.mark.parametrize(
    "path, value, found",
    [
        ("rules[0]", "{drop: {logger: b}}", [{"drop": {"logger": ["b"]}}, {"drop": {"error": "true"}}]),
        ("rules[0]", "null", [{"drop": {"error": "true"}}]),
        ("rules[1].note", "y", [{"keep": {"logger": ["a"]}, "note": "x"}, {"drop": {"error": "true"}, "note": "y"}]),
        ("rules[1].drop", "{logger: c}", [{"keep": {"logger": ["a"]}, "note": "x"}, {"drop": {"error": "true", "logger": ["c"]}}]),
        ("loggers.root.to[0]", "main", [{"appender": "main"}, {"appender": "main"}]),
        ("appenders.main.rules[0].drop.any[0]", "{logger: c}", [{"drop": {"any": [{"logger": ["c"]}, {"logger": ["b"]}]}}]),
    ],
)  # fmt: skip
def test_an_item_that_is_set_is_replaced_whole(path: str, value: str, found: Any) -> None:
    held = set_in(RULED, path, value).held
    at: MergedNode = held
    for step in path.split("[", maxsplit=1)[0].split("."):
        at = (at.children or {})[step]

    assert plain(at) == found


def set_in(text: str, path: str, value: str) -> ResolvedPlan:
    parsed = parse_path(path)
    source = Source(f"--set {path}={value}", "option")
    node = read_document(value, source, lambda _fault: None) or synthetic(source, "")
    return in_force(text, sets=(SetOption(source.name, parsed[0], node, source),))


@pytest.mark.parametrize(
    "values, wrong",
    [
        ('{more: "${again}", again: "${more}"}', "2:16 values go round in a circle: more -> again -> more"),
        ('{a: "x ${gone}"}', "2:13 ${gone} is not known (reached by a -> gone)"),
        ('{a: "${b}", b: "${gone:-${c}}"}', "2:24 ${c} is not known (reached by a -> b -> c)"),
        ('{a: "${x-y}"}', '2:13 "${x-y}" is not a form of placeholder'),
        ('{PATH: "${PATH:-/bin}:/opt"}', None),
        ('{a: "$${gone}"}', None),
    ],
)
def test_values_that_nothing_uses_are_held_to_account(values: str, wrong: str | None) -> None:
    assert told(f"values: {values}\n") == ([wrong] if wrong else [])


@pytest.mark.parametrize(
    "level, asked, origin",
    [
        ("${V}", {"env": {"V": "debug"}}, ("option", 3)),
        ("${V}", {"env_file": {"V": Given("debug", "env file a.env")}}, ("option", 3)),
        ("${V}", {"environment": {"V": "debug"}}, ("environment", 3)),
        ("${given}", {"environment": {"V": "debug"}}, ("environment", 3)),
        ("${mine}", {}, ("file", 3)),
        ("${gone:-debug}", {}, ("file", 3)),
    ],
)
@pytest.mark.parametrize("by_option", [False, True])
def test_the_origin_of_a_level_that_came_through_a_placeholder(
    level: str, asked: dict[str, Any], origin: tuple[str, int], by_option: bool
) -> None:
    text = 'vetrina: 1\nvalues: {mine: debug, given: "${V:-info}"}\nloggers: {a: "LEVEL"}\n'
    if by_option:
        tune = TuneOption("--tune", "a", level, Source("--tune", "option"))
        found = in_force(text.replace("LEVEL", "warn"), tunes=(tune,), **asked).plan.loggers["a"].level
        origin = ("option" if origin[0] == "file" else origin[0], 0)
    else:
        found = in_force(text.replace('"LEVEL"', level if "{" not in level else f'"{level}"'), **asked).plan.loggers["a"].level

    assert found is not None
    assert (found.value, found.origin.kind, found.origin.place.line if found.origin.place else 0) == (5, *origin)
