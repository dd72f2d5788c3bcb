"""Paths and places in documents: what is walked here takes what the library takes, and every part stands where it says."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from html import escape

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Unreadable
from vetrina.core.documents.tree import Document, Part
from vetrina.core.schema.nodes import Source
from vetrina.formats.notations import json_paths, notation, notations, xpaths
from vetrina.formats.notations.encodings import encoded
from vetrina.formats.notations.xpath_library import LibraryPath


def read(text: str, kind: str = "xml") -> Document:
    return notation(kind).read(text, Source("doc", "file", text), lambda _fault: None)


NAMES = st.sampled_from(["a", "b", "c"])
TEXTS = st.sampled_from(["", "1", "x", " y ", "é&<>\"'", "\n  "])
ATTRIBUTES = st.dictionaries(st.sampled_from(["p", "q"]), TEXTS, max_size=2)


def _quoted(text: str) -> str:
    return escape(text).replace("\n", "&#10;")


def _element(name: str, attributes: dict[str, str], children: list[str]) -> str:
    inside = "".join(children)
    written = "".join(f' {key}="{_quoted(text)}"' for key, text in attributes.items())
    return f"<{name}{written}>{inside}</{name}>" if inside else f"<{name}{written}/>"


XML = st.recursive(
    st.builds(_element, NAMES, ATTRIBUTES, st.lists(TEXTS.map(escape), max_size=1)),
    lambda inner: st.builds(_element, NAMES, ATTRIBUTES, st.lists(st.one_of(inner, TEXTS.map(escape)), max_size=3)),
    max_leaves=10,
)
AXES = [
    "",
    "@",
    "child::",
    "attribute::",
    "self::",
    "parent::",
    "ancestor::",
    "ancestor-or-self::",
    "descendant::",
    "descendant-or-self::",
]
STEPS = st.one_of(
    st.builds(lambda axis, name, asked: f"{axis}{name}{asked}", st.sampled_from(AXES), st.sampled_from(["a", "b", "*", "p"]), st.sampled_from(["", "", "[@p='1']", '[@q="x"]'])),
    st.sampled_from([".", ".."]),
)  # fmt: skip
_INNER_ATTRIBUTE = re.compile(r"(?:@|attribute::)[a-z*]+[/\[]")
"""An attribute that is no last step: to the library it is its own attribute, which XPath 1.0 (5.3) does not say."""
PATHS = st.builds(
    lambda begin, first, rest: begin + first + "".join(rest),
    st.sampled_from(["", "/", "//"]), STEPS, st.lists(st.builds("{}{}".format, st.sampled_from(["/", "//"]), STEPS), max_size=2),
).filter(lambda path: not _INNER_ATTRIBUTE.search(path))  # fmt: skip


@given(XML, PATHS, st.integers(0, 50))
def test_a_walked_xpath_takes_what_the_library_takes(text: str, path: str, at: int) -> None:
    try:
        walked = xpaths.compiled(path, {})
    except NotUnderstood:
        return
    twice, once = read(text), read(text)
    parts, others = twice.elements(""), once.elements("")
    library = LibraryPath(path, {})
    found, same = walked.select(parts[at % len(parts)]), library.select(others[at % len(others)])

    assert _paths(found) == _paths(same)
    assert [one.path for one in twice.left_over()] == [one.path for one in once.left_over()], "they touch the same"


def _paths(parts: Sequence[Part] | str) -> list[str]:
    assert not isinstance(parts, str)
    return [one.path for one in parts if one.kind != "document"]


VALUES = st.recursive(
    st.one_of(st.integers(-9, 9), st.booleans(), st.none(), st.sampled_from(["", "x", "é\n", "5"])),
    lambda inner: st.one_of(
        st.lists(inner, max_size=3), st.dictionaries(st.sampled_from(["a", "b", "c-d", "é"]), inner, max_size=3)
    ),
    max_leaves=12,
)
SEGMENTS = st.sampled_from([".a", ".b", "['c-d']", '["é"]', "[0]", "[1]", "[*]", ".*", "..a", "..*", "..[0]", "..[*]"])


@given(VALUES, st.lists(SEGMENTS, max_size=4).map(lambda some: "$" + "".join(some)))
def test_a_walked_jsonpath_takes_what_the_library_takes(value: object, path: str) -> None:
    root = read(json.dumps(value), "json").root
    walked = json_paths.compiled(path, {})

    assert isinstance(walked, json_paths.PlainPath)
    assert [one.path for one in walked.select(root)] == [one.path for one in json_paths._LibraryPath(path).select(root)]


@given(VALUES)
def test_a_part_s_path_takes_this_part_alone(value: object) -> None:
    for part in _all(read(json.dumps(value), "json").root):
        assert json_paths.compiled(part.path, {}).select(part.document.root) == [part]


@given(XML)
def test_an_xml_part_stands_where_it_says_and_its_path_takes_it_alone(text: str) -> None:
    document = read(text)
    for part in _all(document.root):
        written = text[part.start : part.end]
        if part.kind == "attribute":
            assert (text[part.key_start : part.start - 2], text[part.start - 1]) == (part.label, '"')
            assert written == _quoted(part.text)
        elif part.kind == "text":
            assert written == escape(part.text.strip())
        elif part.kind == "element":
            assert text[part.start :].startswith(f"<{part.label}")
            assert text[: part.start].count("\n") + 1 == part.place.line
            assert read(part.source_text()).root.children[0].string() == part.string()
        if part.kind in {"element", "attribute"}:
            assert xpaths.compiled(part.path, {}).select(document.root) == [part]


def _all(part: Part) -> list[Part]:
    return [part, *part.attributes, *(inner for child in part.children for inner in _all(child))]


@pytest.mark.parametrize(
    ("kind", "text", "wanted"),
    [
        ("ini", "#c\n  ; x\n[s]\n#d\n;e", [("s", "[s]")]),
        ("lines", "#c\n  ! x\nk\n;e = 1\n#d", [("k", "")]),
        ("ini", "; c\n[ a b ]\nKey = v w \n e=\nbare\n", [("a b", "[ a b ]"), ("Key", "v w"), ("e", ""), ("bare", "")]),
        ("lines", "\n k =  v  \nx: y=z\n a b\r\n", [("k", "v"), ("x", "y=z"), ("a b", "")]),
        ("json", '{"a": "\\u00e9", "b": [true, -1.5]}', [("a", '"\\u00e9"'), ("b", "[true, -1.5]"), (None, "true"), (None, "-1.5")]),
        ("yaml", "a: 'x'\nb: [y, 2]\n", [("a", "'x'"), ("b", "[y, 2]"), (None, "y"), (None, "2")]),
    ],
)  # fmt: skip
def test_members_stand_where_they_say(kind: str, text: str, wanted: list[tuple[str | None, str]]) -> None:
    found = [(one.name, text[one.start : one.end]) for one in _all(read(text, kind).root)[1:]]
    assert found == wanted


@pytest.mark.parametrize(
    ("expression", "taken"),
    [("//e[@k=1]", 1), ("//e[1=@k]", 1), ("//e[@k!=1]", 1), ("//e[@k<2]", 1), ("//e[@none=false()]", 2), ("//e[@k=../x]", 1), ("//e[.='t1']", 1), ("//e[@k+1=3]", 1)],
)  # fmt: skip
def test_comparisons_are_xpath_s(expression: str, taken: int) -> None:
    root = read("<r><e k='1'>t<b>1</b></e><e k='2'/><x>2</x></r>").root
    assert len(xpaths.compiled(expression, {}).select(root)) == taken


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [("concat(//e/@k, '+', //x)", "1+2"), ("string(//x/preceding-sibling::*)", "t1 u"), ("1 div 4", "0.25"), ("count(//e) = 2", "true"), ("0 div 0", "NaN")],
)  # fmt: skip
def test_a_path_may_make_a_text(expression: str, wanted: str) -> None:
    root = read("<r><e k='1'>t<b>1</b> u</e><e k='2'/><x>2</x></r>").root
    assert xpaths.compiled(expression, {}).select(root) == wanted


BOMB = '<?xml version="1.0"?><!DOCTYPE k [<!ENTITY a "x"><!ENTITY b "&a;&a;&a;">]><k>&b;</k>'


@pytest.mark.parametrize(
    ("kind", "data", "wanted"),
    [
        ("xml", BOMB, 'doc:1:46 the document type declares an entity, "a"'),
        ("xml", '<!DOCTYPE k SYSTEM "file:///etc/passwd"><k>&x;</k>', "doc:1:44 &x; is not declared in the document"),
        ("xml", '<!DOCTYPE k [<!ATTLIST k a CDATA "d">]><k/>', 'doc:1:34 the document type gives "a" of "k" a value'),
        ("xml", "<a>" * 101, "doc:1:301 the document is nested more than 100 deep"),
        ("xml", "<k><a></k>", "doc:1:9 this is not XML: mismatched tag"),
        ("xml", "<k>é<a></k>", "doc:1:10 this is not XML: mismatched tag"),
        ("xml", "", "doc:1:1 this is not XML: no element found"),
        ("xml", "<p:k/>", "doc:1:1 this is not XML: unbound prefix"),
        ("json", '{"a": 1,}', "doc:1:9 this is not JSON"),
        ("json", "[" * 200 + "]" * 200, "doc the document is nested more than 100 deep"),
        ("json", "", "doc:1:1 the document is empty"),
        ("ini", "x = 1", "doc:1:1 this line stands before the first section"),
        ("ini", "[x", "doc:1:1 this section's name is not closed"),
        ("yaml", "a: [", "doc:2:1"),
    ],
)  # fmt: skip
def test_what_is_no_document_is_told_at_its_place(kind: str, data: str, wanted: str) -> None:
    with pytest.raises(Unreadable) as unread:
        read(data, kind)
    (fault,) = unread.value.faults

    assert f"{fault.place or fault.where} {fault.what}".startswith(wanted)


@pytest.mark.parametrize(
    ("kind", "data", "codec"),
    [
        ("xml", "<k a='é'/>".encode(), "utf-8"),
        ("xml", "\ufeff<k a='é'/>".encode(), "utf-8 with a mark"),
        ("xml", "<?xml version='1.0' encoding='ISO-8859-1'?><k a='é'/>".encode("latin-1"), "iso8859-1"),
        ("xml", "\ufeff<k a='é'/>".encode("utf-16-be"), "utf-16-be with a mark"),
        ("xml", "<k a='é'/>".encode("utf-16-le"), "utf-16-le"),
        ("lines", "\ufeffk = é".encode("utf-16-le"), "utf-16-le with a mark"),
    ],
)  # fmt: skip
def test_an_encoding_is_declared_or_marked_and_gives_the_same_bytes_again(kind: str, data: bytes, codec: str) -> None:
    text, found = notation(kind).decode(data, "doc")

    assert (found, "é" in text, encoded(text, found) == data) == (codec, True, True)


@pytest.mark.parametrize(
    "data",
    [
        b"<k a='\xff'/>",
        b"<?xml version='1.0' encoding='rot13'?><k/>",
        b"<?xml version='1.0' encoding='nowhere'?><k/>",
        b"<k>\0</k>",
        b"\xff\xfe<",
    ],
)
def test_bytes_that_are_no_text_are_told(data: bytes) -> None:
    with pytest.raises(Unreadable):
        notation("xml").decode(data, "doc")


def test_there_are_five_notations() -> None:
    assert notations() == ["ini", "json", "lines", "xml", "yaml"]
