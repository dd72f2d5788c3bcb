"""Documents in other formats through the built program: read by every command, changed in place, put back, refused."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from adopted import HEAD
from support import DEMO, Run, event
from vetrina.core.config.edits import lines_of
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import plain_value, read_document
from vetrina.formats.drafting import draft_of
from vetrina.formats.mapping_schema import mapping_schema
from vetrina.formats.plans import read_resolved_plan
from vetrina.views.screen import plain
from vetrina.work.applying import Work, _by_meaning

Write = Callable[..., Path]
XML = """<?xml version="1.0"?>
<kiosk>
  <!-- kept -->
  <ear for="a" from="Whisper" alone="nay"><goes to="x"/></ear>
  <ear  for='b'  from='?lvl!shout?' />
  <ear for="c"/>
  <drawer id="x" most="5 kilo"><where>x &amp; y.log</where><look>$w</look></drawer>
  <season is="w"><ear for="a" from="Shout"/></season>
</kiosk>
"""
XML_MAP = """vetrina-mapping: 1
reads: xml
plan: {zone: {text: UTC}}
levels: {whisper: debug, shout: error, "40..59": warn}
"yes": [aye]
"no": [nay]
placeholder: '\\?(?P<name>\\w+)(?:!(?P<default>[^?]*))?\\?'
loggers:
  - {each: //ear, name: "@for", level: "@from", to: goes/@to, climb: {at: "@alone", words: {aye: false, nay: true}}}
appenders:
  - {each: //drawer, name: "@id", sink: {text: file}, path: where, buffer: {events: {at: "@most", match: '\\d+'}}, template: {at: look, by: look}}
tokens: {look: [{match: '\\$w', text: "{level}"}]}
stages: [{each: //season, name: "@is", loggers: [{each: ear, name: "@for", level: "@from"}]}]
new: {logger: {into: /kiosk, text: '<ear for="{name}" from="{level}"/>'}}
"""
JSON = """{
  "ears": {"a": {"min": 20, "on": true}, "b": {"min": 40}},
  "pen": "a.log"
}
"""
JSON_MAP = """vetrina-mapping: 1
reads: json
levels: {"10..29": debug, "30..49": info, "50..": error}
loggers: [{each: '$.ears.*', name: {key: 0}, level: $.min, enabled: $.on}]
appenders: [{each: $.pen, name: {text: f}, sink: {text: file}, path: $}]
new: {logger: {into: $.ears, member: "{name}", value: {min: "{level}", on: true}}}
"""
YAML = "# kept\nears:\n- {name: a, min: INFO}\n- name: b   # too\n  min: 'DEBUG'\npen: a.log\n"
YAML_MAP = """vetrina-mapping: 1
reads: yaml
loggers: [{each: '$.ears[*]', name: $.name, level: $.min}]
appenders: [{each: $.pen, name: {text: f}, sink: {text: file}, path: $}]
new: {logger: {into: $.ears, item: {name: "{name}", min: "{level}"}}}
"""
INI = "[ear:a]\nmin = info\n; kept\n[ear:b]\nmin=debug\n"
INI_MAP = """vetrina-mapping: 1
reads: ini
loggers: [{each: {members: 'ear:(?P<n>.+)'}, name: {text: <n>}, level: $.min}]
new: {logger: {section: "ear:{name}", text: "min = {level}"}}
"""
LINES = "# kept\nlisten.a = 30\nlisten.b: 20\r\nother = 1\n"
LINES_MAP = """vetrina-mapping: 1
reads: lines
levels: {"..19": trace, "20..29": debug, "30..": info}
loggers: [{each: {members: 'listen\\.(?P<n>.+)'}, name: {text: <n>}, level: $}]
new: {logger: {text: "listen.{name} = {level}"}}
"""
KINDS = {
    "xml": (XML, XML_MAP),
    "json": (JSON, JSON_MAP),
    "yaml": (YAML, YAML_MAP),
    "ini": (INI, INI_MAP),
    "conf": (LINES, LINES_MAP),
}


def put(write: Write, kind: str) -> str:
    """Write a document and its mapping beside it; return its name."""
    document, mapping = KINDS[kind]
    write(f"doc.{kind}", document.encode())
    write("doc.mapping.yaml", mapping)
    return f"doc.{kind}"


@pytest.mark.parametrize(
    ("kind", "words", "old", "new"),
    [
        ("xml", ["--tune", "a=error"], 'for="a" from="Whisper"', 'for="a" from="Shout"'),
        ("xml", ["--tune", "a=warn"], 'from="Whisper"', 'from="40"'),
        ("xml", ["--tune", "a=info"], 'from="Whisper"', 'from="Info"'),
        ("xml", ["--set", "loggers.a.climb=false"], 'alone="nay"', 'alone="aye"'),
        ("xml", ["--set", "appenders.x.path='z < {{1}}.log'"], "x &amp; y.log", "z &lt; {1}.log"),
        ("xml", ["--tune", "a.new=debug"], "</season>\n", '</season>\n  <ear for="a.new" from="Whisper"/>\n'),
        ("xml", ["--tune", "c=debug"], "</season>\n", '</season>\n  <ear for="c" from="Whisper"/>\n'),
        ("xml", ["--stage", "w", "--tune", "a=debug"], 'for="a" from="Shout"', 'for="a" from="Whisper"'),
        ("json", ["--tune", "a=info"], '"min": 20', '"min": 40'),
        ("json", ["--set", "loggers.a.enabled=false"], "true", "false"),
        ("json", ["--tune", "c=error"], '{"min": 40}}', '{"min": 40}, "c": {"min": 50, "on": true}}'),
        ("json", ["--set", "appenders.f.path='é\"'"], '"a.log"', '"é\\""'),
        ("yaml", ["--tune", "a=debug"], "INFO", "DEBUG"),
        ("yaml", ["--tune", "b=warn"], "'DEBUG'", "'WARN'"),
        ("yaml", ["--tune", "c=debug"], "'DEBUG'\n", "'DEBUG'\n- {name: c, min: DEBUG}\n"),
        ("ini", ["--tune", "b=info"], "min=debug", "min=info"),
        ("ini", ["--tune", "c=debug"], "min=debug\n", "min=debug\n\n[ear:c]\nmin = debug\n"),
        ("conf", ["--tune", "b=info"], "b: 20\r\n", "b: 30\r\n"),
        ("conf", ["--tune", "c=debug"], "b: 20\r\n", "b: 20\r\nlisten.c = 20\r\n"),
    ],
)  # fmt: skip
def test_a_change_is_written_in_place_and_taken_back(
    run: Run, write: Write, kind: str, words: list[str], old: str, new: str
) -> None:
    name = put(write, kind)
    path = write("unused", "").with_name(name)
    before = path.read_bytes()
    found = run("apply", name, *words, "--yes")
    after = path.read_bytes()
    back = run("undo", name)

    assert (found.code, back.code) == (0, 0), found.err
    assert after == before.replace(old.encode(), new.encode(), 1)
    assert path.read_bytes() == before


@pytest.mark.parametrize(
    ("kind", "words", "place", "why"),
    [
        ("xml", ["--tune", "b=debug"], "doc.xml:5:24", "a placeholder decides this value: ?lvl!shout?"),
        ("xml", ["--set", "appenders.x.buffer.events=7"], "doc.xml:7:24", "only a piece of the text is taken"),
        ("xml", ["--set", "templates.x.text='{message}'"], "doc.xml:7:66", "tokens translate it"),
        ("xml", ["--set", "zone=Europe/Rome"], "doc.mapping.yaml:3:14", "the mapping says this value"),
        ("xml", ["--set", "loggers.a.note=x"], "--set loggers.a.note=x", "nothing else that is new"),
        ("xml", ["--set", "loggers.a.level=null"], "--set loggers.a.level=null", "single values"),
        ("xml", ["--in-stage", "w", "--tune", "b=debug"], "--tune b=debug", "nothing else that is new"),
        ("conf", ["--set", "values={x: y}"], "--set values={x: y}", "single values"),
    ],
)  # fmt: skip
def test_what_cannot_be_written_is_refused_with_its_place(
    run: Run, write: Write, kind: str, words: list[str], place: str, why: str
) -> None:
    name = put(write, kind)
    found = run("apply", name, *words, "--yes")

    assert (found.code, found.out) == (2, "")
    assert found.err.splitlines()[-3 if "why" in found.err else -1].startswith(place) or f"\n{place}: fault" in found.err
    assert why in found.err


def test_a_level_that_no_way_leads_to_is_refused(run: Run, write: Write) -> None:
    write("doc.xml", XML)
    write("doc.mapping.yaml", XML_MAP.partition("new:")[0])
    for words, what in (
        ("c=debug", "logger c has no level in the document"),
        ("d=debug", "there is no logger d in the document"),
    ):
        found = run("apply", "doc.xml", "--tune", words, "--yes")
        assert (found.code, what in found.err) == (2, True)


def test_a_change_that_would_mean_something_else_is_refused(run: Run, write: Write) -> None:
    write("doc.xml", XML)
    write("doc.mapping.yaml", XML_MAP.replace("into: /kiosk", "into: //season"))
    found = run("apply", "doc.xml", "--tune", "d=debug", "--yes")

    assert found.code == 2
    assert "would not take effect" in found.err


def test_included_documents_and_other_encodings_are_written_as_they_are(run: Run, write: Write, folder: Path) -> None:
    write("doc.xml", "<?xml version='1.0' encoding='UTF-16'?><kiosk><more f='in/é.xml'/></kiosk>".encode("utf-16"))
    inner = "<?xml version='1.0' encoding='iso-8859-1'?>\r\n<kiosk><ear for='é' from='Whisper'/></kiosk>"
    write("in/é.xml", inner.encode("latin-1"))
    write("m.yaml", XML_MAP + "include: {each: //more, path: '@f'}\n")
    found = run("apply", "doc.xml", "--by", "m.yaml", "--tune", "é=error", "--yes")
    after = (folder / "in/é.xml").read_bytes()
    back = run("undo", "doc.xml")

    assert (found.code, back.code) == (0, 0), found.err + back.err
    assert after == inner.replace("Whisper", "Error").encode("latin-1") or after == inner.replace("Whisper", "Shout").encode(
        "latin-1"
    )
    assert (folder / "in/é.xml").read_bytes() == inner.encode("latin-1")
    refused = run("apply", "doc.xml", "--by", "m.yaml", "--tune", "中=error", "--yes")
    assert (refused.code, (folder / "doc.xml").read_bytes()[:2]) == (0, b"\xff\xfe"), refused.err


WAYS: dict[str, list[str]] = {
    "levels": [], "origin": ["loggers.a.level"], "why": ["--logger", "a", "--level", "info"], "check": [], "preview": [],
    "routes": ["week.jsonl"], "rolling": ["week.jsonl"], "whatif": ["week.jsonl", "--tune", "a=fatal"], "expect": ["cases.yaml"],
    "compare": ["doc.xml", "--other-stage", "w"], "rehearse": ["week.jsonl", "--into", "box", "--clean"],
}  # fmt: skip


@pytest.mark.parametrize("command", WAYS)
def test_every_command_reads_a_document_as_the_plan_that_adopt_writes(run: Run, write: Write, command: str) -> None:
    name = put(write, "xml")
    write("week.jsonl", [event(logger, level) for logger in ("a", "b", "c") for level in ("debug", "warn", "error")])
    write("cases.yaml", "vetrina-expect: 1\ncases: [{say: it, event: {logger: a, level: warn, message: m}, reaches: x}]\n")
    write("plan.yaml", run("adopt", name).out)
    words = [one if one != "doc.xml" else "plan.yaml" for one in WAYS[command]]
    document, plan = run(command, name, *WAYS[command], "--json"), run(command, "plan.yaml", *words, "--json")
    seen, wanted = (_without_places(one.out) for one in (document, plan))

    assert document.code == plan.code
    assert "read through doc.mapping.yaml" in document.err
    assert seen == wanted


def _without_places(out: str) -> list[object]:
    """Return JSON documents without what differs between a document and its plan: files, lines, how they are written."""

    def bare(one: object) -> object:
        if isinstance(one, dict):
            drop = {
                "file",
                "line",
                "column",
                "origin",
                "text",
                "place",
                "levels",
                "title",
                "values",
                "sayings",
                "said",
                "into",
                "opened",
                "now",
                "uses",
                "history",
            }
            return {key: bare(value) for key, value in one.items() if key not in drop}
        if isinstance(one, list):
            kept = [bare(item) for item in one if not (isinstance(item, dict) and item.get("code") in OWN)]
            return sorted(kept, key=str) if any(isinstance(item, dict) and "code" in item for item in kept) else kept
        return one.replace("doc.xml", "plan.yaml").split(" (")[0] if isinstance(one, str) else one

    text = out.strip()
    try:
        return [bare(json.loads(text))]
    except ValueError:
        return [bare(json.loads(line)) for line in text.splitlines()]


OWN = {"left-over", "repeated-key", "takes-nothing"}


def test_findings_and_faults_stand_at_the_document_s_own_place(run: Run, write: Write, folder: Path) -> None:
    put(write, "xml")
    found = run("check", "doc.xml", "--sarif", "f.sarif")
    write("doc.xml", XML.replace("Whisper", "Wisper").replace('to="x"', 'to="y"'))
    faults = run("levels", "doc.xml")

    assert "doc.xml:7:3: warning" in found.out or "doc.xml:7:15" in found.out
    results = json.loads((folder / "f.sarif").read_text())["runs"][0]["results"]
    assert {one["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] for one in results} == {"doc.xml"}
    assert faults.code == 2
    assert (
        'doc.xml:4:22: fault: "level" level "Wisper" is not known' in faults.err
        or 'doc.xml:4:22: fault: level "Wisper"' in faults.err
    )
    assert "see: doc.mapping.yaml:9:40 (the look-up in the mapping)" in faults.err
    assert 'doc.xml:4:52: fault: no appender is called "y"' in faults.err


def test_what_is_left_over_is_told_everywhere(run: Run, write: Write) -> None:
    write("doc.xml", XML.replace("<drawer", "<odd a='1'/><drawer kind='glass'"))
    write("doc.mapping.yaml", XML_MAP)
    adopted = run("adopt", "doc.xml", "--json")
    checked = run("check", "doc.xml", "--json")
    levels = run("levels", "doc.xml", "--by", "doc.mapping.yaml")
    explained = run("adopt", "doc.xml", "--explain")

    assert adopted.code == 1
    assert [(one["path"], one["text"], one["line"]) for one in adopted.json["left_over"]] == [
        ("/kiosk/odd", "<odd a='1'/>", 7), ("/kiosk/drawer/@kind", "glass", 7),
    ]  # fmt: skip
    assert [one["line"] for one in checked.json["findings"] if one["code"] == "left-over"] == [7, 7]
    assert (
        "warning: 2 parts of doc.xml are read by nothing: vetrina adopt doc.xml --by doc.mapping.yaml names them" in levels.err
    )
    assert "stands beside it" not in levels.err
    assert explained.out.count("left over") == 2


def test_a_mapping_beside_a_document_is_found_and_can_be_switched_off(run: Run, write: Write, folder: Path) -> None:
    put(write, "yaml")
    assert "doc.yaml is read through doc.mapping.yaml, which stands beside it" in run("levels", "doc.yaml").err
    off = run("levels", "doc.yaml", "--by", "-")
    assert (off.code, '"ears" is not a known key' in off.err) == (2, True)
    write("doc.yaml", "vetrina: 1\nloggers: {a: info}\n")
    assert run("levels", "doc.yaml").err == "", "a plan needs no mapping"
    for text in ("# c\n$schema: x\nvetrina: 1\n", '{"$schema": "x",\n "vetrina": 1}'):
        write("doc.yaml", text)
        assert (run("levels", "doc.yaml").code, run("levels", "doc.yaml").err) == (0, "")
    (folder / "doc.mapping.yaml").rename(folder / "doc.yaml.mapping.yaml")
    write("doc.yaml", YAML)
    assert "doc.yaml.mapping.yaml" in run("levels", "doc.yaml").err
    assert "vetrina adopt other.xml --draft" in run("levels", write("other.xml", XML).name).err


def test_a_document_from_standard_input_and_beside_a_plan(run: Run, write: Write) -> None:
    put(write, "xml")
    write("m.yaml", XML_MAP)
    assert run("check", "-", "--by", "m.yaml", stdin=XML.encode()).code == 1
    write("plan.yaml", run("adopt", "doc.xml").out)
    assert run("compare", "doc.xml", "plan.yaml", "--by", "m.yaml").code == 0
    assert run("compare", "plan.yaml", "doc.xml", "--other-by", "m.yaml", "--other-tune", "a=fatal").code == 1


@given(st.lists(st.tuples(st.sampled_from(["a", "b", "a.b"]), st.sampled_from(["Whisper", "shout", "45", "info", "?lvl!x?", ""]), st.sampled_from(["", "alone='aye'"])), max_size=4),
       st.sampled_from(["$w{x}", "", "a $w b"]), st.sampled_from(["x.log", "${y}", "{n}?lvl!z?"]))  # fmt: skip
def test_what_adopt_writes_means_the_same_when_it_is_read_again(ears: list[tuple[str, str, str]], look: str, path: str) -> None:
    inside = "".join(f"<ear for='{name}' from='{level}' {alone}/>" for name, level, alone in ears)
    text = f"<kiosk>{inside}<drawer id='x'><where>{path}</where><look>{look}</look></drawer></kiosk>"
    texts = {"doc.xml": text, "m.yaml": XML_MAP.replace("shout: error", "shout: error, x: info")}
    document = _read(texts, "doc.xml", "m.yaml")
    if document is None:
        return
    texts["plan.yaml"] = _adopted(texts)
    again = _read(texts, "plan.yaml", "-")

    assert again is not None
    assert {key: one for key, one in again.items() if not key.startswith("levels")} == document


def _read(texts: dict[str, str], name: str, by: str) -> dict[str, str] | None:
    found = read_resolved_plan(name, by=by, texts=texts, environment={})
    return _by_meaning(lines_of(found), found.plan)


def _adopted(texts: dict[str, str]) -> str:
    from vetrina.core.config.adopted_plan import adopted_plan
    from vetrina.formats.adopting import read_adopted
    from vetrina.views.adopt import plan_lines

    return plain(plan_lines(adopted_plan(*read_adopted(Path("doc.xml"), "doc.xml", Path("m.yaml"), [], texts))[0]))


@given(st.sampled_from(sorted(KINDS)), st.sampled_from(["a", "b", "c", "x.y"]), st.sampled_from(["debug", "info", "error"]))
def test_a_written_level_is_the_one_that_was_asked_for(
    tmp_path_factory: pytest.TempPathFactory, kind: str, logger: str, level: str
) -> None:
    folder = tmp_path_factory.mktemp("doc")
    document, mapping = KINDS[kind]
    (folder / f"doc.{kind}").write_bytes(document.encode())
    (folder / "doc.mapping.yaml").write_text(mapping)
    plan = folder / f"doc.{kind}"
    if (kind, logger) == ("xml", "b"):
        return  # a placeholder decides it
    change = Work(plan, [], [], [], [], None).worked_out([], [f"{logger}={level}"], None)
    after = {name: one.after for name, one in change.versions.items()}
    found = read_resolved_plan(plan, texts=after).plan

    set_level = found.loggers[logger].level
    assert set_level is not None
    assert found.scale.name(set_level.value) == level


def data_of(text: str) -> dict[str, object]:
    """Return a mapping's file as plain data."""
    node = read_document(text, Source("m.yaml", "file", text), lambda _fault: None)
    assert node is not None
    found: dict[str, object] = plain_value(node)
    return found


DRAFTS = {
    "doc.xml": (XML, {"loggers": {"a", "b", "c"}, "appenders": {"x"}}),
    "doc.json": ('{"to": [{"id": "x", "file": "/v/x.log"}, {"id": "y", "file": "/v/y.log"}], "ears": {"a": {"min": "info", "to": ["x"]}, "a.b": {"min": "debug"}}}',
                 {"loggers": {"a", "a.b"}, "appenders": {"x", "y"}}),
    "doc.ini": ("[pen:x]\nfile=/v/x.log\n[ear:a]\nmin=info\nto=x\n[ear:a.b]\nmin=debug\n", {"loggers": {"a", "a.b"}, "appenders": {"x"}}),
    "doc.conf": ("d = /v\near.a = info\near.a.b = debug\npen.x.where = *d*/x.log\nsend.a = x\n", {"loggers": {"a", "a.b"}, "appenders": {"x"}, "values": {"d"}}),
}  # fmt: skip


@pytest.mark.parametrize("name", DRAFTS)
def test_a_draft_reads_loggers_and_appenders_by_their_shape(run: Run, write: Write, name: str) -> None:
    document, wanted = DRAFTS[name]
    document = document.replace("Whisper", "debug").replace("?lvl!shout?", "error").replace("Shout", "error")
    write(name, document)
    drafted = run("adopt", name, "--draft")
    write("m.yaml", drafted.out)
    found = run("adopt", name, "--by", "m.yaml", "--json").json["plan"]

    assert drafted.code == 0
    assert {key: set(found.get(key, {})) for key in wanted} == wanted
    jsonschema.Draft202012Validator(mapping_schema()).validate(data_of(drafted.out))


def test_a_draft_of_the_demo_begins_what_its_mapping_ends() -> None:
    for name, words in (
        ("kiosk.xml", ["//ear", "//drawer", r"\?(?P<name>[\w.]+)"]),
        ("station.conf", [r"listen\.", r"paper\."]),
    ):
        text = draft_of(DEMO / name, "")
        assert all(word in text for word in words), text
        assert "as it stands, this draft reads" in text


@pytest.mark.parametrize(
    ("name", "text", "words", "wanted"),
    [
        ("d.xml", "<k/>", [], "which mapping?"),
        ("d.xml", "<k/>", ["--by", "nowhere.yaml"], "there is no such file"),
        ("d.xml", "<k/>", ["--by", "m.yaml", "--reads", "xml"], "--reads has no effect without --draft"),
        ("d.bin", "x", ["--draft"], "does not tell its notation"),
        ("d.bin", "x", ["--draft", "--reads", "xlm"], 'did you mean "xml"'),
        ("d.xml", "<k>", ["--by", "m.yaml"], "this is not XML"),
    ],
)  # fmt: skip
def test_bad_calls(run: Run, write: Write, name: str, text: str, words: list[str], wanted: str) -> None:
    write(name, text)
    write("m.yaml", HEAD["xml"])
    found = run("adopt", name, *words)

    assert (found.code, found.out) == (2, "")
    assert wanted in found.err


@pytest.mark.parametrize(
    ("mapping", "wanted"),
    [
        ("", "the file is empty"),
        ("- 1", "a mapping's file is a mapping"),
        ("reads: xml", '"vetrina-mapping" is missing'),
        ("vetrina-mapping: 2\nreads: xml", "version"),
        ("vetrina-mapping: 1", '"reads" is missing'),
        ("vetrina-mapping: 1\nreads: xmll", 'did you mean "xml"'),
    ],
)  # fmt: skip
def test_what_is_no_mapping_is_told(run: Run, write: Write, mapping: str, wanted: str) -> None:
    write("d.xml", "<k/>")
    write("m.yaml", mapping)
    found = run("levels", "d.xml", "--by", "m.yaml")

    assert (found.code, wanted in found.err) == (2, True), found.err


def test_the_schema_of_mappings_takes_the_demo_s_and_refuses_a_misspelt_key(run: Run) -> None:
    schema = run("schema", "mapping").json
    jsonschema.Draft202012Validator.check_schema(schema)
    for path in DEMO.glob("*.mapping.yaml"):
        mapping = data_of(path.read_text())
        known = jsonschema.Draft202012Validator(schema)
        assert not list(known.iter_errors(mapping))
        assert list(known.iter_errors(mapping | {"loggrs": []}))
        assert list(known.iter_errors(mapping | {"loggers": [{"each": "//x", "name": "@y", "levl": "@z"}]}))
