"""Every command keeps its promises: help with examples, exits, documents that fit their schemas, a place in the README."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from docs import ROOT, prepare
from jsonschema import Draft202012Validator

from support import Run
from vetrina.commands.overview import COMMANDS
from vetrina.formats.schemas import record_schema
from vetrina.views.outputs import OUTPUTS

Write = Callable[..., Path]


@pytest.fixture(autouse=True)
def demo(folder: Path) -> None:
    prepare(folder)


W = "week.jsonl"
DOCUMENTS: dict[str, list[str]] = {
    "levels": ["levels", "plan.yaml", "--stage", "live", "--tune", "ropeway.gate=debug"],
    "resolve": ["resolve", "plan.yaml", "--defaults"],
    "origin": ["origin", "plan.yaml", "appenders.daybook.path"],
    "origin-unused": ["origin", "plan.yaml", "--unused", "--with", "local.yaml"],
    "routes": ["routes", "plan.yaml", W],
    "routes-each": ["routes", "plan.yaml", W, "--each", "--level", "error.."],
    "routes-grouped": ["routes", "plan.yaml", W, "--group-by", "field", "gate"],
    "why": ["why", "plan.yaml", "--logger", "ropeway.gate", "--level", "debug", "--to", "daybook", "--events", W],
    "pressure": ["pressure", "plan.yaml", "rush.jsonl", "--scale", "3", "--advice", "--late", "1 minute", "--rate", "ropeway.gate info 1/minute"],
    "check": ["check", "tangled.yaml", "--events", W],
    "check-list": ["check", "--list"],
    "check-explain": ["check", "--explain", "twice"],
    "preview": ["preview", "plan.yaml", W, "--first", "3"],
    "rolling": ["rolling", "plan.yaml", W, "--runs", "3", "--disk", "40 KiB", "--ratio", "0.2"],
    "rolling-names": ["rolling", "plan.yaml", "--names"],
    "whatif": ["whatif", "plan.yaml", W, "--tune", "ropeway.drive=trace", "--or", "--tune", "root=info", "--rate", "ropeway.drive trace 1/second", "--must-show", "logger=ropeway.drive,level=trace"],
    "page": ["page", "plan.yaml", W, "--out", "page.html"],
    "compare": ["compare", "plan.yaml", "plan.yaml", "--other-stage", "live"],
    "survey": ["survey", "source", "--plan", "plan.yaml", "--events", "live.jsonl"],
    "survey-unspoken": ["survey", "source", "--plan", "plan.yaml", "--unspoken"],
    "survey-unexplained": ["survey", "source", "--events", W, "--unexplained"],
    "apply": ["apply", "plan.yaml", "--tune", "ropeway.gate=debug", "--yes"],
    "undo": ["undo", "plan.yaml", "--dry-run"],
    "undo-list": ["undo", "plan.yaml", "--list"],
    "adopt": ["adopt", "kiosk.xml", "--explain"],
    "expect": ["expect", "plan.yaml", "cases.yaml", "--tune", "ropeway.drive=fatal"],
    "read-draft": ["read", "gate.log", "--draft"],
    "find": ["find", W, "--level", "warn..", "--around", "1"],
    "find-where": ["find", "--plan", "plan.yaml", "--where"],
    "find-counts": ["find", W, "--count-by", "logger", "--count-by", "day"],
    "find-journeys": ["find", "gate.log", "--journey", "ride"],
    "find-blocks": ["find", "gate.log", "--blocks", r"begin (?P<name>\w+)", r"end (?P<name>\w+)"],
    "find-folded": ["find", W, "--fold"],
    "rehearse": ["rehearse", "plan.yaml", W, "--into", "box", "--verify"],
}  # fmt: skip
ELSEWHERE = {
    "read": "on standard error, tested where logs are read",
    "receive": "until Ctrl-C, tested where it listens",
} | dict.fromkeys(("live", "live-tune", "live-put-back", "live-record", "capture", "mimic"), "tested where a service runs")


LINES = {"routes-each", "preview", "rolling", "rolling-names", "find", "survey", "survey-unspoken", "survey-unexplained"}


def test_every_document_is_tried() -> None:
    assert DOCUMENTS.keys() | ELSEWHERE.keys() == OUTPUTS.keys()


@pytest.mark.parametrize("name", DOCUMENTS)
def test_a_document_fits_its_schema_and_the_schema_is_strict(run: Run, name: str) -> None:
    if name.startswith("undo"):
        assert run("apply", "plan.yaml", "--tune", "ropeway.gate=debug", "--yes").code == 0
    found = run(*DOCUMENTS[name], "--json")
    assert found.code in {0, 1}, found.err
    schema = record_schema(OUTPUTS[name], name)
    documents = found.lines if name in LINES else [found.json]

    assert documents
    validator = Draft202012Validator(schema)
    for one in documents:
        validator.validate(one)
        assert one.keys() <= schema["properties"].keys(), "nothing that the schema does not tell"
        needed = schema.get("required", [])
        assert not needed or not validator.is_valid({key: value for key, value in one.items() if key != needed[0]})
    assert run("schema", "output", name).json == schema | {"title": f"vetrina {name} --json"}


@pytest.mark.parametrize("command", COMMANDS)
def test_help_has_a_sentence_examples_and_words_for_all_it_takes(run: Run, command: str) -> None:
    found = run(command, "--help", env={"COLUMNS": "200"})
    assert (found.code, found.err) == (0, "")
    examples = [line.strip() for line in found.out.splitlines() if line.strip().startswith("vetrina ")]
    told = re.findall(r"^  (\S+(?: [A-Z\[<'|.…=,a-z*]+)?) {2,}(\S.*)$", found.out, re.MULTILINE)

    assert examples
    assert sum(command in line for line in examples) >= len(examples) - 1
    assert len({name for name, _ in told}) == len(told), "each is told once"
    assert all(words.strip() and words.strip() != "[required]" for _, words in told)
    assert f"vetrina {command}" in (ROOT / "README.md").read_text(encoding="utf-8") + "".join(
        page.read_text(encoding="utf-8") for page in (ROOT / "docs").rglob("*.md")
    )


@pytest.mark.parametrize(
    "words, code",
    [
        (["levels", "plan.yaml"], 0),
        (["levels", "absent.yaml"], 2),
        (["levels", "plan.yaml", "--stage", "nope"], 2),
        (["resolve", "plan.yaml"], 0),
        (["resolve", "tangled-faults.yaml"], 2),
        (["origin", "plan.yaml", "title"], 0),
        (["origin", "plan.yaml", "nowhere.at.all"], 2),
        (["origin", "plan.yaml"], 2),
        (["routes", "plan.yaml", W], 0),
        (["routes", "plan.yaml", "bad.jsonl"], 1),
        (["routes", "plan.yaml", "bad.jsonl", "--strict"], 2),
        (["routes", "silent.yaml", W, "--fail-on", "lost-errors"], 1),
        (["why", "plan.yaml", "--logger", "ropeway.drive", "--level", "error"], 0),
        (["why", "plan.yaml", "--logger", "ropeway", "--level", "trace"], 1),
        (["why", "plan.yaml", "--logger", "ropeway"], 2),
        (["preview", "plan.yaml"], 0),
        (["preview", "plan.yaml", "bad.jsonl"], 1),
        (["preview", "plan.yaml", "--appender", "nobody"], 2),
        (["rolling", "plan.yaml", W, "--ratio", "1"], 0),
        (["rolling", "plan.yaml", "bad.jsonl", "--ratio", "1"], 1),
        (["rolling", "silent.yaml", W], 2),
        (["whatif", "plan.yaml", W, "--tune", "root=info", "--ratio", "1"], 0),
        (["whatif", "plan.yaml", W, "--tune", "root=info", "--ratio", "1", "--must-show", "logger=lib,level=trace"], 1),
        (["whatif", "plan.yaml", W], 2),
        (["survey", "source", "--plan", "plan.yaml"], 0),
        (["survey", "absent"], 2),
        (["compare", "plan.yaml", "plan.yaml"], 0),
        (["compare", "plan.yaml", "silent.yaml"], 1),
        (["compare", "plan.yaml", "absent.yaml"], 2),
        (["apply", "plan.yaml", "--tune", "ropeway=debug", "--dry-run"], 0),
        (["apply", "plan.yaml", "--tune", "ropeway=debug"], 2),
        (["apply", "plan.yaml"], 2),
        (["undo", "plan.yaml"], 2),
        (["undo", "plan.yaml", "--list"], 0),
        (["expect", "plan.yaml", "cases.yaml", "--set", "rules={add: [{lift: {exactly: ropeway.gate.scanner, level: debug}}]}"], 0),
        (["expect", "plan.yaml", "cases.yaml"], 1),
        (["expect", "silent.yaml", "cases.yaml"], 2),
        (["expect", "plan.yaml", "cases.yaml", "--tune", "ropeway.drive=off"], 1),
        (["rehearse", "plan.yaml", W, "--into", "box"], 0),
        (["rehearse", "plan.yaml", W, "--into", "."], 2),
        (["rehearse", "plan.yaml", "bad.jsonl", "--into", "box"], 1),
        (["receive", "--into", "box", "--host", "8.8.8.8"], 2),
        (["read", "drive.log", "--template", "{time} {message}"], 0),
        (["read", "odd.log", "--template", "{time} {message}"], 1),
        (["read", "drive.log"], 0),
        (["read", "drive.log", "--plan", "plan.yaml"], 2),
        (["check", "plan.yaml", "--fail-on", "error"], 0),
        (["check", "plan.yaml"], 1),
        (["check", "plan.yaml", "--only", "nothing"], 2),
        (["schema", "plan"], 0),
        (["schema", "nothing"], 2),
        (["tour", "plan.yaml"], 2),
        (["nothing"], 2),
        (["--version"], 0),
        (["--help"], 0),
        ([], 2),
    ],
    ids=lambda one: " ".join(one) if isinstance(one, list) else str(one),
)  # fmt: skip
def test_exit_codes(run: Run, write: Write, words: list[str], code: int) -> None:
    write("bad.jsonl", '{"time": "2026-11-02T10:00:00Z", "level": "info", "logger": "ropeway", "message": "x"}\nnonsense\n')
    write("silent.yaml", "vetrina: 1\nloggers: {root: {to: a}}\nappenders: {a: {sink: none, enabled: false}}\n")
    write("drive.log", "2026-11-02T10:00:00.000Z hello\n")
    write("odd.log", "hello\n2026-11-02T10:00:00.000Z hello\n")
    found = run(*words)

    assert found.code == code, found.out + found.err
    assert (found.err != "") or code != 2
    if code == 2 and words:
        assert "fault:" in found.err or "Usage" in found.err or "Error" in found.err, found.err
    assert json.dumps(found.out)
