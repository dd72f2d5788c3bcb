"""Hostile documents and mappings: refused or bounded, one message, soon and in little memory."""

from __future__ import annotations

import resource
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from support import PATIENCE, PROGRAM

Write = Callable[..., Path]
MIB = 1 << 20
HEAD = "vetrina-mapping: 1\nreads: "
XML = HEAD + "xml\nplaceholder: '\\?(?P<name>\\w+)\\?'\nloggers: [{each: //e, name: '@n', note: t}]\n"
JSON = HEAD + "json\nloggers: [{each: '$..e', name: {text: x}, note: $}]\n"
LINES = HEAD + "lines\nloggers: [{each: {members: '(?P<n>.+)'}, name: {text: <n>}, note: $}]\n"
INI = HEAD + "ini\nloggers: [{each: {of: '$.*', members: '(?P<n>.+)'}, name: {text: <n>}, note: $}]\n"
YAML = HEAD + "yaml\nloggers: [{each: '$..e', name: {text: x}, note: $}]\n"


def called(folder: Path, memory: int, *words: str) -> tuple[int, str]:
    """Return the exit code and what is said, of a call that may have so many MiB."""
    done = subprocess.run(
        [str(PROGRAM), *words], cwd=folder, capture_output=True, text=True, timeout=PATIENCE, check=False,
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_AS, (memory * MIB, memory * MIB)),
    )  # fmt: skip
    assert "Traceback" not in done.stderr
    return done.returncode, done.stderr


@pytest.mark.parametrize(
    ("document", "mapping", "code", "said"),
    [
        pytest.param('<!DOCTYPE k [<!ENTITY a "x"><!ENTITY b "&a;&a;&a;&a;">]><k>&b;</k>', XML, 2, "declares an entity", id="entities that multiply"),
        pytest.param("<!DOCTYPE k SYSTEM 'http://127.0.0.1:9/x'><k>&x;</k>", XML, 2, "&x; is not declared", id="an external document type"),
        pytest.param("<!DOCTYPE k [<!ENTITY % p SYSTEM 'file:///etc/passwd'>%p;]><k/>", XML, 2, "declares an entity", id="a parameter entity"),
        pytest.param("<a>" * 100_000, XML, 2, "nested more than 100 deep", id="deep elements"),
        pytest.param("<k>" + "<e/>" * 300_000 + "</k>", XML, 2, "grows past 200,000 values", id="many elements"),
        pytest.param("<k " + " ".join(f"a{at}='1'" for at in range(250_000)) + "/>", XML, 2, "grows past 200,000 values", id="many attributes"),
        pytest.param("<k><e n='a'><t>" + "x" * (20 * MIB) + "</t></e></k>", XML, 0, "", id="a long text"),
        pytest.param("<k a='" + "x" * (20 * MIB) + "'/>", XML, 0, "1 part", id="a long attribute"),
        pytest.param("<k>" + "\n" * (10 * MIB) + "</k>", XML, 0, "1 part", id="nothing but line breaks"),
        pytest.param("<k><e n='a'><t>" + "&amp;" * MIB + "</t></e></k>", XML, 0, "", id="many references"),
        pytest.param("<k><e n='a'><t>" + "?x?" * MIB + "</t></e></k>", XML, 2, "too long to look for placeholders", id="many placeholders"),
        pytest.param("<k>" + "".join(f"<e n='a{at}'/>" for at in range(30_000)) + "</k>", XML, 2, "there may be 25,000 entries", id="many loggers"),
        pytest.param("[" * 100_000, JSON, 2, "nested more than 100 deep", id="deep arrays"),
        pytest.param("[" + "1," * 300_000 + "1]", JSON, 2, "grows past 200,000 values", id="many items"),
        pytest.param('{"e": "' + "x" * (20 * MIB) + '"}', JSON, 0, "", id="a long JSON text"),
        pytest.param('{"e": "\\ud800"}', JSON, 2, "is no JSON", id="half a character"),
        pytest.param("c0: &c0 [x, x]\n" + "".join(f"c{at}: &c{at} [*c{at - 1}, *c{at - 1}]\n" for at in range(1, 60)), YAML, 2, "grows past", id="aliases that multiply"),
        pytest.param("".join(f"k{at}=1\n" for at in range(300_000)), LINES, 2, "grows past 200,000 values", id="many lines"),
        pytest.param("k=1\n" * 150_000, LINES, 0, "", id="one key again and again"),
        pytest.param("a=\\\n" * MIB, LINES, 2, "lines are joined", id="lines that are joined without end"),
        pytest.param("a = " + "x" * (20 * MIB), LINES, 0, "", id="a long line"),
        pytest.param("[s]\n" * MIB, INI, 0, "", id="one section again and again"),
        pytest.param("[s]\n" + "\n" * (5 * MIB) + "x", INI, 0, "", id="an empty section"),
        pytest.param(b"\xff\xfe" + "<k/>".encode("utf-16-le")[:-1], XML, 2, "is not UTF-16", id="half a UTF-16 character"),
        pytest.param(b"<?xml version='1.0' encoding='utf-7'?><k>+ADw-</k>", XML, 2, "", id="an encoding with two ways"),
        pytest.param(b"\x00" * MIB, XML, 2, "", id="zeros"),
    ],
)  # fmt: skip
def test_a_hostile_document_is_refused_or_read_in_bounds(
    write: Write, folder: Path, document: str | bytes, mapping: str, code: int, said: str
) -> None:
    write("doc", document)
    write("m.yaml", mapping)
    found, err = called(folder, 1500, "levels", "doc", "--by", "m.yaml")

    assert (found, said in err) == (code, True), err[:600]


@pytest.mark.parametrize(
    ("mapping", "said"),
    [
        pytest.param("[" * 100_000, "nested", id="deep"),
        pytest.param(HEAD + "xml\nloggers: [{each: '" + "(" * 5000 + "', name: '@n'}]", "is no XPath", id="a path without end"),
        pytest.param(HEAD + "xml\nloggers: [{each: '//e" + "[1]" * 3000 + "', name: '@n'}]", "", id="predicates without end"),
        pytest.param(HEAD + "json\nloggers: [{each: '$" + "[?@" * 900 + "', name: {text: x}}]", "is no JSONPath", id="filters without end"),
        pytest.param(HEAD + "xml\nplaceholder: '(?P<name>a*)*b'\nloggers: [{each: //e, name: '@n', note: '@t'}]", "", id="an expression that backtracks elsewhere"),
        pytest.param(HEAD + "xml\nloggers: [{each: //e, name: {at: '@n', match: '(a{1000}){1000}'}}]", "is no expression", id="an expression that grows"),
        pytest.param(HEAD + "xml\nloggers: [{each: '//e | document(\"/etc/passwd\")', name: '@n'}]", "", id="another document"),
        pytest.param(HEAD + "xml\nspaces: {x: 5}\nlevels: [1]\nyes: {a: b}\ntokens: 5\ntables: [x]\nstages: {a: 1}\nignore: {a: 1}\nnew: [1]\ninclude: 7\n", "wanted here", id="wrong types"),
    ],
)  # fmt: skip
def test_a_hostile_mapping_is_refused_or_obeyed(write: Write, folder: Path, mapping: str, said: str) -> None:
    write("doc", "<k><e n='a' t='" + "a" * 5000 + "'/></k>")
    write("m.yaml", mapping)
    found, err = called(folder, 1500, "levels", "doc", "--by", "m.yaml")

    assert (found in {0, 2}, said in err) == (True, True), err[:600]


def test_an_include_leads_to_no_folder_pipe_or_endless_chain(write: Write, folder: Path) -> None:
    write("m.yaml", HEAD + "xml\ninclude: {each: //more, path: '@f'}\nloggers: [{each: //e, name: '@n'}]\n")
    for at in range(30):
        write(f"d{at}", f"<k><more f='d{at + 1}'/></k>")
    for name, text, said in (
        ("folder", "<k><more f='.'/></k>", "this is a directory"),
        ("device", "<k><more f='/dev/zero'/></k>", ""),
        ("chain", "<k><more f='d0'/></k>", "more than 20 deep"),
        ("itself", "<k><more f='itself'/></k>", "in a circle"),
    ):
        write(name, text)
        found, err = called(folder, 1500, "levels", name, "--by", "m.yaml")
        assert (found, said in err) == (2, True), (name, err[:300])


def test_text_from_a_document_is_harmless_on_a_screen(write: Write, folder: Path) -> None:
    write("m.yaml", HEAD + "xml\nloggers: [{each: //e, name: '@n', note: '@t'}]\n")
    write("doc", "<k odd='&#x202e;evil'><e n='a&#x9b;31m' t='[red]x[/red]'/>\u009b2J</k>")
    for words in (["adopt", "--explain"], ["adopt"], ["levels"], ["check"]):
        done = subprocess.run(
            [str(PROGRAM), words[0], "doc", "--by", "m.yaml", *words[1:]],
            cwd=folder,
            capture_output=True,
            text=True,
            check=False,
        )
        assert not {"\u009b", "\u202e", "\x1b"} & set(done.stdout + done.stderr), words
