"""What is literal in a document stays literal, and what is written into one reads back: laws and tables without files."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from xml.sax.saxutils import quoteattr

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from adopted import HEAD, plan_of
from vetrina.core.base.events import Event
from vetrina.core.base.faults import Refused
from vetrina.core.config.placeholders import Hole, pieces
from vetrina.core.config.resolution import ResolvedPlan, SetOption, parse_path
from vetrina.core.config.splices import Target
from vetrina.core.config.splicing import splice
from vetrina.core.documents.tree import Part
from vetrina.core.documents.words import FlagWords, Holes, LevelWords, RangeWords, bounds, filling, joined, literal, translated
from vetrina.core.routing.parts import Part as PartOfEvents
from vetrina.core.routing.previewing import Preview
from vetrina.core.routing.router import Router
from vetrina.core.schema.nodes import Source, synthetic
from vetrina.formats.documents import read_document
from vetrina.formats.notations import notation
from vetrina.formats.plans import read_resolved_plan

TIME = datetime(2026, 1, 1, tzinfo=UTC)
ODD = st.lists(
    st.sampled_from([*"ab{}$#<>&'\"|%?.\\ \n", "é", "${", "{{", "}}", "${x}", "{message}", "\U000f0000"]), max_size=8
).map("".join)
LINE = ODD.filter(lambda text: text == text.strip() and text.isprintable())


def resolved(texts: dict[str, str], **more: Any) -> ResolvedPlan:
    return read_resolved_plan("doc", by="m.yaml", texts=texts, environment={}, **more)


@given(ODD)
def test_a_template_without_tokens_writes_the_document_s_own_text(text: str) -> None:
    mapping = (
        "loggers: [{each: //d, name: {text: root}, level: {text: all}, to: '@id'}]\ntokens: {none: []}\n"
        "appenders: [{each: //d, name: '@id', sink: {text: console}, template: {at: '@look', by: none}}]\n"
    )
    assume(text)
    document = f"<k><d id='x' look={_attribute(text)}/></k>"
    found = resolved({"doc": document, "m.yaml": HEAD["xml"] + mapping}).plan
    (shown,) = Preview(Router(found), PartOfEvents()).renderings([(1, Event(TIME, "info", "a", "hello {message}"))])

    assert shown.output == text


def _attribute(text: str) -> str:
    return quoteattr(text, {"\n": "&#10;"})


@given(ODD, ODD)
def test_a_literal_text_holds_no_placeholder_of_a_plan_and_no_template(before: str, text: str) -> None:
    whole = (
        joined(literal(before, braced=False), literal(text, braced=False))
        if not before.endswith("$")
        else literal(before + text, braced=False)
    )
    parts = list(pieces(whole))

    assert not any(isinstance(one, Hole) for one in parts)
    assert "".join(map(str, parts)) == before + text


@given(
    st.lists(st.one_of(ODD.filter(lambda text: "<" not in text), st.sampled_from(["<a>", "<b|t>", "<<"])), max_size=5).map(
        "".join
    ),
    ODD,
)
def test_a_filling_has_its_groups_and_nothing_else(text: str, group: str) -> None:
    one = filling(text)
    tables = {"t": {"a": "A", "ab": "X"}}
    made = one.filled({"a": "", "b": ""}, tables)

    assert set(one.groups()) <= {"a", "b"}
    assert set(one.tables()) <= {"t"}
    assert made == text.replace("<<", "\0").replace("<a>", "").replace("<b|t>", "").replace("\0", "<") or "$" in text
    assert group in literal(group, braced=False).replace("$${", "${")


@pytest.mark.parametrize(
    ("text", "table", "wanted"),
    [("YEAR-Y", {"Y": "%y", "YEAR": "%Y"}, "%Y-%y"), ("abc", {}, "abc"), ("a.b", {".": "/"}, "a/b"), ("aaa", {"a": "b", "aa": "c"}, "cb")],
)  # fmt: skip
def test_each_longest_word_of_a_table_is_replaced(text: str, table: dict[str, str], wanted: str) -> None:
    assert translated(text, table) == wanted


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("40..59", (40.0, 59.0)), ("..19", (float("-inf"), 19.0)), ("70..", (70.0, float("inf"))), ("-1.5..2", (-1.5, 2.0)), ("..", None), ("a..b", None), ("7", None)],
)  # fmt: skip
def test_ranges_of_numbers(text: str, wanted: tuple[float, float] | None) -> None:
    assert bounds(text) == wanted


def test_words_of_a_document() -> None:
    levels = LevelWords({"whisper": "debug", "loud": "warn"}, ((10.0, 19.0, "trace"), (15.0, 30.0, "info")))
    ranges = RangeWords(levels)
    flags = FlagWords(frozenset({"aye"}), frozenset({"nay"}))

    assert [levels(text) for text in ("Whisper", " loud ", "15", "20", "31", "odd", "")] == [
        "debug",
        "warn",
        "trace",
        "info",
        "31",
        "odd",
        "",
    ]
    assert [ranges(text) for text in ("whisper..loud", "whisper..", "..loud", "loud", "a..b")] == [
        "debug..warn",
        "debug..",
        "..warn",
        "warn",
        "a..b",
    ]
    assert [flags(text) for text in ("AYE", "nay", "True", "false", "maybe")] == ["true", "false", "true", "false", "maybe"]


def test_marks_of_placeholders_are_given_back_and_bounded() -> None:
    holes = Holes(lambda text: iter([(0, 3, "a.b", None)] if text.startswith("?x?") else []))
    aside = holes.aside("?x?y")

    assert (len(aside), holes.back(aside), holes.names) == (2, "${a_b}y", {"a_b": "a.b"})
    assert holes.back("\U000f0100") == "\U000f0100", "a character of the document's own stays"
    assert Holes(None).aside("?x?") == "?x?"


DOCUMENTS = {
    "xml": "<k>\n\t<e n='a' l='info' t='x'>\n\t\t<p>y</p>\n\t</e>\n</k>\n",
    "json": '{"e": [{"n": "a", "l": "info", "t": "x", "p": "y"}]}',
    "yaml": "e:\n  - n: a\n    l: info\n    t: x\n    p: 'y'\n",
    "ini": "[e a]\nl = info\nt=x\np = y\n",
    "lines": "e.a.l = info\ne.a.t: x\ne.a.p = y\n",
}
ITEM = {
    "xml": "each: //e, name: '@n', level: '@l', note: %s, to: p",
    "json": "each: '$.e[*]', name: $.n, level: $.l, note: %s, to: $.p",
    "yaml": "each: '$.e[*]', name: $.n, level: $.l, note: %s, to: $.p",
    "ini": "each: {members: 'e (?P<n>.)'}, name: {text: <n>}, level: $.l, note: %s, to: $.p",
    "lines": "each: {members: 'e\\.(?P<n>.)\\.l'}, name: {text: <n>}, level: $, note: %s, to: {member: e.<n>.p}",
}
NOTE = {"xml": "'@t'", "json": "$.t", "yaml": "$.t", "ini": "$.t", "lines": "{member: e.<n>.t}"}


def written(reads: str, path: str, value: str, document: str = "", extra: str = "") -> str:
    """Return a document's text with a value written into it."""
    text = document or DOCUMENTS[reads]
    mapping = (
        HEAD[reads]
        + f"loggers: [{{{ITEM[reads] % NOTE[reads]}}}]\nappenders: [{{each: {'/*' if reads == 'xml' else '$'}, name: {{text: y}}, sink: {{text: none}}}}]\n{extra}"
    )
    found = resolved({"doc": text, "m.yaml": mapping})
    steps, _ = parse_path(path)
    source = Source(f"--set {path}", "option")
    one = splice(found, SetOption(source.name, steps, synthetic(source, value, plain=False), source), Target("file", "doc"))
    return one.onto(text)


@pytest.mark.parametrize("reads", DOCUMENTS)
@given(text=LINE)
def test_a_text_that_is_written_reads_back_and_every_other_byte_stays(reads: str, text: str) -> None:
    assume(text and not text.endswith("\\"))
    value = literal(text, braced=False)
    try:
        after = written(reads, "loggers.a.note", value)
    except Refused:
        assume(False)
    mapping = f"loggers: [{{{ITEM[reads] % NOTE[reads]}}}]"
    again = plan_of(after, mapping, reads)["loggers"]["a"]["note"]
    before = DOCUMENTS[reads]
    (old,) = [
        one
        for one in every(notation(reads).read(before, Source("doc", "file", before), lambda _fault: None).root)
        if one.text == "x"
    ]

    assert again == value
    assert after.startswith(before[: old.start])
    assert after.endswith(before[old.end :])


def every(part: Part) -> list[Part]:
    """Return a part with all in it."""
    return [part, *part.attributes, *(inner for child in part.children for inner in every(child))]


@pytest.mark.parametrize(
    ("reads", "old", "wanted"),
    [
        ("xml", "<k>\n\t<e n='a'><p>y</p></e>\n</k>", "<k>\n\t<e n='a'><p>y</p></e>\n\t<e n='b' l='debug'/>\n</k>"),
        ("xml", "<k><e n='a'><p>y</p></e></k>", "<k><e n='a'><p>y</p></e><e n='b' l='debug'/></k>"),
        ("xml", "<k/>", "<k>\n  <e n='b' l='debug'/>\n</k>"),
        ("xml", "<k>\r\n</k>", "<k>\r\n  <e n='b' l='debug'/>\r\n</k>"),
        ("xml", "<k a='>'><!-- c --></k>", "<k a='>'><!-- c --><e n='b' l='debug'/></k>"),
        ("json", '{"e": []}', '{"e": [{"n": "b", "l": "debug"}]}'),
        ("json", '{"e": [\n  {"n": "a"}\n]}', '{"e": [\n  {"n": "a"},\n  {"n": "b", "l": "debug"}\n]}'),
        ("json", '{"e": [{"n": "a"}]}', '{"e": [{"n": "a"}, {"n": "b", "l": "debug"}]}'),
        ("yaml", "e:\n  - n: a\n    l: info\nz: 1\n", "e:\n  - n: a\n    l: info\n  - {n: b, l: debug}\nz: 1\n"),
        ("yaml", "e:\n- {n: a}", "e:\n- {n: a}\n- {n: b, l: debug}"),
        ("yaml", "e: [{n: a}]\n", "e: [{n: a}, {n: b, l: debug}]\n"),
        ("ini", "[e a]\nl=info\n", "[e a]\nl=info\n\n[e b]\nl = debug\n"),
        ("ini", "[e a]\nl=info\n[e b]\nt=x\n[c]\n", "[e a]\nl=info\n[e b]\nt=x\nl = debug\n[c]\n"),
        ("ini", "[e a]\nl=info", "[e a]\nl=info\n\n[e b]\nl = debug\n"),
        ("lines", "e.a.l = info\r\nx = 1\r\n", "e.a.l = info\r\ne.b.l = debug\r\nx = 1\r\n"),
        ("lines", "e.a.l = info", "e.a.l = info\ne.b.l = debug"),
    ],
)  # fmt: skip
def test_a_new_logger_has_its_neighbours_indentation(reads: str, old: str, wanted: str) -> None:
    new = {
        "xml": "into: /k, text: \"<e n='{name}' l='{level}'/>\"",
        "json": "into: $.e, item: {n: '{name}', l: '{level}'}",
        "yaml": "into: $.e, item: {n: '{name}', l: '{level}'}",
        "ini": "section: 'e {name}', text: 'l = {level}'",
        "lines": "text: 'e.{name}.l = {level}'",
    }[reads]
    made = written(reads, "loggers.b.level", "debug", old, f"new: {{logger: {{{new}}}}}\n")

    assert made == wanted
    assert plan_of(made, f"loggers: [{{{ITEM[reads] % NOTE[reads]}}}]", reads)["loggers"]["b"]["level"] == "debug"


def test_names_with_signs_of_the_notation_are_escaped_in_a_new_element() -> None:
    made = written(
        "xml", 'loggers["a<\'&"].level', "debug", "<k/>", "new: {logger: {into: /k, text: \"<e n='{name}' l='{level}'/>\"}}\n"
    )
    assert "n='a&lt;&apos;&amp;'" in made


@pytest.mark.parametrize(
    ("words", "value", "wanted"),
    [
        ("words: {ja: true, nein: false}", "false", "Nein"),
        ("words: {ja: true, oui: true, nein: false, non: false}", "false", "2 words for false"),
        ("words: {ja: true}", "false", "no words for false"),
    ],
)  # fmt: skip
def test_words_are_turned_round_where_that_is_unique(words: str, value: str, wanted: str) -> None:
    mapping = HEAD["xml"] + f"loggers: [{{each: //e, name: '@n', climb: {{at: '@c', {words}}}}}]\n"
    found = resolved({"doc": "<k><e n='a' c='Ja'/></k>", "m.yaml": mapping})
    source = Source("--set", "option")
    steps, _ = parse_path("loggers.a.climb")
    try:
        text = splice(found, SetOption("--set", steps, synthetic(source, value), source)).text
    except Refused as refused:
        text = refused.faults[0].why
    assert wanted in text


@pytest.mark.parametrize(
    ("text", "rendered"),
    [("a&b<\"'", 'a&amp;b&lt;"&apos;'), ("a\nb", "a&#10;b"), ("a\x01", None)],
)  # fmt: skip
def test_an_attribute_is_escaped_for_its_own_quotes(text: str, rendered: str | None) -> None:
    source = "<k a='x'/>"
    (root,) = notation("xml").read(source, Source("doc", "file", source), lambda _fault: None).root.children
    assert notation("xml").rendered(root.attributes[0], text, plain=False) == rendered


@pytest.mark.parametrize(
    ("inside", "text", "rendered"),
    [("x", "a<b", "a&lt;b"), ("<![CDATA[x]]>", "a<b", "a<b"), ("<![CDATA[x]]>", "]]>", None), ("x<!-- c -->y", "z", None), ("x<![CDATA[y]]>", "z", None)],
)  # fmt: skip
def test_a_text_is_written_as_it_stands(inside: str, text: str, rendered: str | None) -> None:
    source = f"<k>{inside}</k>"
    (root,) = notation("xml").read(source, Source("doc", "file", source), lambda _fault: None).root.children
    (part,) = root.children
    made = notation("xml").rendered(part, text, plain=False)

    assert made == rendered
    if made is not None:
        again = source[: part.start] + made + source[part.end :]
        assert notation("xml").read(again, Source("doc", "file", again), lambda _fault: None).root.string() == text


@pytest.mark.parametrize("value", ["'x'", '"x"', "x", "|\n x\n", "*a"])
def test_yaml_values_keep_their_quotes(value: str) -> None:
    source = f"b: &a y\na: {value}\n"
    part = notation("yaml").read(source, Source("doc", "file", source), lambda _fault: None).root.children[1]
    made = notation("yaml").rendered(part, "n: 'w'", plain=False)
    if value[:1] in {"|", "*"}:
        assert made is None
        return
    assert made is not None
    again = read_document(source[: part.start] + made + source[part.end :], Source("doc", "file", ""), lambda _fault: None)
    assert again is not None
    assert again.pairs[1][1].text == "n: 'w'"  # type: ignore[union-attr]


def test_paths_are_no_files() -> None:
    assert not Path("doc").exists()
