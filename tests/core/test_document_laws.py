"""Laws of reading documents: nothing is dropped in silence, a small reading by hand says the same, schema and reader agree."""

from __future__ import annotations

import copy
import json
import random
from collections.abc import Iterator
from typing import Any
from xml.etree import ElementTree as ET

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from adopted import HEAD, adopt, plan_of
from support import DEMO
from vetrina.core.base.faults import Fault, Refused
from vetrina.core.documents.adopted import Adoption
from vetrina.core.documents.explaining import explain
from vetrina.core.documents.shapes import groups
from vetrina.core.documents.tree import Part
from vetrina.core.schema.nodes import Source
from vetrina.formats.adopting import read_mapping
from vetrina.formats.documents import plain_value, read_document
from vetrina.formats.mapping_schema import mapping_schema
from vetrina.formats.notations import notation


def _ear(name: str, level: str, goes: list[str], inner: list[str]) -> str:
    given_level = f" from='{level}'" if level else ""
    return f"<ear for='{name}'{given_level}>" + "".join(f"<goes to='{one}'/>" for one in goes) + "".join(inner) + "</ear>"


def _element(name: str, attributes: dict[str, str], inside: list[str]) -> str:
    written = "".join(f" {key}='{text}'" for key, text in attributes.items())
    return f"<{name}{written}>{''.join(inside)}</{name}>"


WORDS = {"whisper": "debug", "plain": "info", "shout": "error"}
EARS = st.recursive(
    st.builds(lambda name, level, goes: _ear(name, level, goes, []), st.sampled_from("abc"), st.sampled_from(["", "Whisper", "plain", "SHOUT", "7"]), st.lists(st.sampled_from("xy"), max_size=2)),
    lambda inner: st.builds(_ear, st.sampled_from("abc"), st.sampled_from(["", "whisper", "warn"]), st.lists(st.sampled_from("xy"), max_size=2), st.lists(inner, max_size=3)),
    max_leaves=6,
)  # fmt: skip


MAPPING = """levels: {whisper: debug, plain: info, shout: error}
loggers:
  - each: //ear
    name: {at: "ancestor-or-self::ear/@for", join: "."}
    level: "@from"
    to: goes/@to
"""


@given(st.lists(EARS, max_size=4))
def test_nested_entries_are_read_as_a_small_reading_by_hand_reads_them(ears: list[str]) -> None:
    text = f"<kiosk>{''.join(ears)}</kiosk>"
    wanted: dict[str, dict[str, Any]] = {}

    def walk(element: ET.Element, above: list[str]) -> None:
        for one in element:
            if one.tag != "ear":
                continue
            names = [*above, one.attrib["for"]]
            entry = wanted.setdefault(".".join(names), {})
            if one.get("from"):
                entry["level"] = WORDS.get(one.attrib["from"].lower(), one.attrib["from"])
            if goes := [child.attrib["to"] for child in one if child.tag == "goes"]:
                entry["to"] = goes
            walk(one, names)

    walk(ET.fromstring(text), [])
    assert plan_of(text, MAPPING).get("loggers", {}) == wanted


PIECES = st.sampled_from(["values", "loggers", "appenders", "ignore", "plan", "stages"])
SPECS = {
    "values": "values: [{each: //v, name: '@n', value: '@t'}]\n",
    "loggers": "loggers: [{each: '//e[@k=\"1\"]', name: '@n', level: '@l', note: t, to: [{each: g, appender: '@t'}]}]\n",
    "appenders": "appenders: [{each: //d, name: {at: '@n', or: x}, sink: {text: none}, note: {at: t, match: '\\d+'}}]\n",
    "ignore": "ignore: [//i, '//@i']\n",
    "plan": "plan: {title: concat(/r/@n, /r/@t)}\n",
    "stages": "stages: [{each: //s, name: {text: s}, loggers: [{each: .//e, name: '@n'}]}]\n",
}
NAMES = st.sampled_from(["v", "e", "d", "g", "t", "i", "s", "r"])
ATTRIBUTES = st.dictionaries(st.sampled_from(["n", "t", "l", "k", "i"]), st.sampled_from(["1", "info", "a", "x2"]), max_size=3)
TREES = st.recursive(
    st.builds(lambda name, attributes, text: _element(name, attributes, [text]), NAMES, ATTRIBUTES, st.sampled_from(["", "a", "7"])),
    lambda inner: st.builds(_element, NAMES, ATTRIBUTES, st.lists(inner, max_size=3)),
    max_leaves=12,
)  # fmt: skip


@given(TREES, st.sets(PIECES))
def test_every_part_is_read_ignored_compared_or_left_over(tree: str, chosen: set[str]) -> None:
    try:
        _, adoption = adopt(f"<r n='1' t='a'>{tree}</r>", "".join(SPECS[one] for one in sorted(chosen)))
    except Refused:
        return  # an entry without a name
    left = {id(part) for part in adoption.left_over}
    used = {id(use.part) for use in adoption.uses}
    told = {id(one.part): one.fate for one in explain(adoption)}
    for part in every(adoption.documents[0].root):
        above = list(holders(part))
        silent = part.kind == "document" or (part.kind == "text" and not part.text.strip())
        dropped = id(part) in left or any(id(one) in left for one in above)
        assert silent or part.touched != dropped, "touched, or left over, and not both"
        assert not (id(part) in used and dropped)
        if part.kind in {"attribute", "text"} and not silent and not dropped and id(part) not in told:
            assert any(told.get(id(one)) in {"read", "ignored"} for one in above), "told itself, or as a part of what is told"
        assert not ("ignore" not in chosen and told.get(id(part)) == "ignored")
    assert adoption.read <= len(used)
    assert [str(one.place) for one in adoption.remarks if one.code == "left-over"] == [
        str(part.place) for part in adoption.left_over
    ]


def every(part: Part) -> Iterator[Part]:
    yield part
    for one in (*part.attributes, *part.children):
        yield from every(one)


def holders(part: Part) -> Iterator[Part]:
    here = part.parent
    while here is not None:
        yield here
        here = here.parent


@given(TREES, st.sets(PIECES))
def test_reading_twice_says_the_same(tree: str, chosen: set[str]) -> None:
    mapping = "".join(SPECS[one] for one in sorted(chosen))
    text = f"<r n='1' t='a'>{tree}</r>"

    def told() -> Any:
        try:
            node, adoption = adopt(text, mapping)
        except Refused as refused:
            return [fault.what for fault in refused.faults]
        return plain_value(node), [one.path for one in adoption.left_over], adoption.read

    assert told() == told()


DEMOS = sorted(path.name for path in DEMO.glob("*.mapping.yaml"))


def demo(name: str) -> dict[str, Any]:
    text = (DEMO / name).read_text()
    node = read_document(text, Source(name, "file", text), lambda _fault: None)
    assert node is not None
    found: dict[str, Any] = plain_value(node)
    return found


def spots(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Yield the paths of all keys in a value."""
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, one in inside:
        yield (*path, key)
        yield from spots(one, (*path, key))


FREE = {"levels", "spaces", "tokens", "tables", "strange", "words", "members", "value", "item"}
"""Keys under which names are free: there nothing is misspelt."""


@pytest.mark.parametrize("name", DEMOS)
@given(seed=st.integers(0, 10_000))
def test_reader_and_schema_refuse_the_same_misspelt_keys(name: str, seed: int) -> None:
    mapping, chance = demo(name), random.Random(seed)
    keys = [path for path in spots(mapping) if isinstance(path[-1], str) and not set(map(str, path[:-1])) & FREE]
    path = chance.choice(keys)
    holder: Any = mapping
    for step in path[:-1]:
        holder = holder[step]
    changed = copy.deepcopy(holder)
    holder.clear()
    for key, one in changed.items():
        holder[key + "x" if key == path[-1] else key] = one
    told: list[Fault] = []
    text = json.dumps(mapping)
    try:
        read_mapping(DEMO / name, "m.yaml", told, {"m.yaml": text})
    except Refused as refused:
        told += refused.faults

    assert told, path
    assert list(jsonschema.Draft202012Validator(mapping_schema()).iter_errors(mapping)), path


@pytest.mark.parametrize("name", DEMOS)
def test_the_demo_leaves_nothing_over_and_every_item_takes_something(name: str) -> None:
    document = next(path for path in DEMO.glob(name.replace("mapping.yaml", "*")) if "mapping" not in path.name)
    _, adoption = adopt(
        document.read_text(),
        (DEMO / name).read_text().partition("\nreads:")[2].partition("\n")[2],
        "xml" if document.suffix == ".xml" else "lines",
    )

    assert (adoption.left_over, adoption.remarks) == ([], [])
    assert {one.fate for one in explain(adoption)} <= {"read", "ignored", "compared"}


def fates(document: str, mapping: str, reads: str = "xml") -> list[tuple[str, str, tuple[str, ...]]]:
    adoption: Adoption = adopt(document, mapping, reads)[1]
    return [(one.part.path, one.fate, one.became) for one in explain(adoption)]


def test_what_each_part_became() -> None:
    document = "<k a='1'><ear for='x' from='info' odd='2'><n>note</n></ear><i><j/></i></k>"
    mapping = "ignore: [//i]\nloggers: [{each: '//ear[@for]', name: '@for', level: '@from', note: n}]\n"

    assert fates(document, mapping) == [
        ("/k/@a", "left over", ()),
        ("/k/ear", "read", ("loggers[x]",)),
        ("/k/ear/@for", "read", ("the name of logger x",)),
        ("/k/ear/@from", "read", ("loggers[x].level",)),
        ("/k/ear/@odd", "left over", ()),
        ("/k/ear/n", "read", ("loggers[x].note",)),
        ("/k/i", "ignored", ()),
    ]
    assert fates('{"a": {"l": "info", "k": 1}}', "loggers: [{each: '$[?@.k == 1]', name: {key: 0}, level: $.l}]", "json") == [
        ("$.a", "read", ("loggers[a]",)),
        ("$.a.l", "read", ("loggers[a].level",)),
        ("$.a.k", "compared", ()),
    ]


@pytest.mark.parametrize(
    ("reads", "document", "wanted"),
    [
        ("xml", "<k><e n='a' l='x'><g t='1'/><p>v</p></e><e n='b'/></k>", {"//e": ['"@l"', '"@n"', "g/@t", "p"], "/k/e[1]/g": ['"@t"'], "/k/e[1]/p": ['"."'], "/k": ["e/@l", "e/@n"]}),
        ("json", '{"l": [{"n": "a", "t": ["x"], "o": {"p": 1}}], "m": {"a": 1, "b": 2}}', {"$.l[*]": ["'$.n'", "'$.o.p'", "'$.t'"], "{of: '$.m', members: '(?P<name>.+)'}": ['"$"', '{text: "<name>"}']}),
        ("ini", "[pen a]\nx=1\n[pen b]\ny=2\n[z]\nk=v\n", {"{members: 'pen\\ (?P<name>.+)'}": ["'$.x'", "'$.y'", '{text: "<name>"}'], "{of: '$.z', members: '(?P<name>.+)'}": ['"$"', '{text: "<name>"}']}),
        ("lines", "a.x = 1\na.y.z = 2\nb = 3\np.m.w = /x\np.n.w = /y\n", {"{members: 'a\\.(?P<name>.+)'}": ['"$"', '{text: "<name>"}'], "{members: 'b'}": ['"$"', "{key: 0}"],
                                                                        "{members: 'p\\.(?P<name>.+)\\.w'}": ['"$"', '{text: "<name>"}']}),
    ],
)  # fmt: skip
def test_the_shape_of_a_document(reads: str, document: str, wanted: dict[str, list[str]]) -> None:
    found = groups(notation(reads).read(document, Source("doc", "file", document), lambda _fault: None))
    assert {group.each.strip("'"): sorted(group.fields) for group in found} == wanted


def test_the_head_of_every_notation_is_known() -> None:
    assert set(HEAD) == {"xml", "json", "yaml", "ini", "lines"}
