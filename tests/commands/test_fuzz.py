"""Every command over every kind of input, mutated: an answer or one clear refusal, never a fault in Vetrina itself."""

from __future__ import annotations

import json
import os
import random
import shutil
from pathlib import Path

import pytest

from in_process import call
from support import DEMO

TIMES = int(os.environ.get("FUZZ", "6"))
CALLS = {
    "plan.yaml": [
        "levels plan.yaml --json", "resolve plan.yaml", "origin plan.yaml loggers.root", "why plan.yaml --logger ropeway.gate --level debug --to desk",
        "routes plan.yaml e.jsonl", "check plan.yaml --json", "check plan.yaml --events e.jsonl", "preview plan.yaml e.jsonl", "rolling plan.yaml e.jsonl",
        "rolling plan.yaml --names", "whatif plan.yaml e.jsonl --tune ropeway=debug", "compare plan.yaml other.yaml", "expect plan.yaml cases.yaml",
        "apply plan.yaml --tune ropeway.gate=debug --yes", "rehearse plan.yaml e.jsonl --into made --clean", "read gates.log --plan plan.yaml --appender desk",
    ],
    "layer.yaml": ["levels plan.yaml --with layer.yaml", "check plan.yaml --with layer.yaml", "apply plan.yaml --tune lib=info --into layer.yaml --yes"],
    "env": ["levels plan.yaml --env-file env", "resolve plan.yaml --env-file env"],
    "e.jsonl": [
        "routes plan.yaml e.jsonl --json", "routes plan.yaml e.jsonl --each", "routes plan.yaml e.jsonl --group-by field gate", "check plan.yaml --events e.jsonl",
        "preview plan.yaml e.jsonl --json", "rolling plan.yaml e.jsonl --json --ratio 0.2", "whatif plan.yaml e.jsonl --tune ropeway=debug --json",
        "why plan.yaml --from e.jsonl:3", "expect plan.yaml e.jsonl --record", "rehearse plan.yaml e.jsonl --into made --clean --verify",
    ],
    "cases.yaml": ["expect plan.yaml cases.yaml", "expect plan.yaml cases.yaml --json"],
    "gates.log": ["read gates.log --plan plan.yaml --appender desk --date 2026-11-13", "read gates.log --plan plan.yaml --appender fare-ledger", "read gates.log --plan plan.yaml --appender wind-file"],
    ".plan.yaml.vetrina-undo.json": ["undo plan.yaml", "undo plan.yaml --list", "apply plan.yaml --tune lib=info --yes"],
    "kiosk.xml": [
        "levels kiosk.xml", "check kiosk.xml --all-stages --json", "adopt kiosk.xml", "adopt kiosk.xml --explain", "adopt kiosk.xml --json", "adopt kiosk.xml --draft",
        "apply kiosk.xml --tune ticket.printer=debug --tune new=info --yes", "origin kiosk.xml loggers[ticket].level --stage winter", "preview kiosk.xml",
    ],
    "kiosk.mapping.yaml": ["levels kiosk.xml", "adopt kiosk.xml --json", "apply kiosk.xml --tune ticket.printer=debug --tune new=info --yes"],
    "station.conf": ["check station.conf", "adopt station.conf --explain", "adopt station.conf --draft", "apply station.conf --tune station.wind=info --tune new=info --yes"],
    "station.mapping.yaml": ["levels station.conf", "adopt station.conf"],
    "doc.json": ["adopt doc.json --draft", "adopt doc.json --by json.mapping.yaml", "apply doc.json --by json.mapping.yaml --tune a.b=info --tune c=info --yes"],
    "json.mapping.yaml": ["adopt doc.json --by json.mapping.yaml"],
    "doc.ini": ["adopt doc.ini --draft", "adopt doc.ini --by ini.mapping.yaml", "apply doc.ini --by ini.mapping.yaml --tune a.b=info --tune c=info --yes"],
    "made/.vetrina-rehearsal": ["rehearse plan.yaml e.jsonl --into made --clean", "rehearse plan.yaml e.jsonl --into made"],
}  # fmt: skip
SNIPPETS = [
    b"\0", b"\xff", b"\xed\xa0\x80", b"{", b"}", b"[", b"]", b'"', b"'", b"${", b"${a:-", b"}}", b"*a", b"&a ", b": ", b"- ", b"\n", b"\r", b"\t", b"#", b"|", b"null",
    b"-1", b"1e999", b"9" * 500, b"0x", b".inf", b"!!binary ", b"---\n", b"\xe2\x80\xae", b"\x1b[31m", b"%", b"~", b",", b"off", b"true", b"\xef\xbb\xbf", b"<<: ", b"<", b">", b"&", b"]]>", b"<![CDATA[", b"<!--", b"</ear>", b"<!DOCTYPE k [<!ENTITY a 'b'>]>", b"//*", b"<it>", b"<name|dates>", b"[@a=1]", b"$..*", b"(?P<it>.)",
]  # fmt: skip


def mutated(data: bytes, chance: random.Random) -> bytes:
    """Return bytes changed in one to four places."""
    for _ in range(chance.randint(1, 4)):
        at = chance.randrange(len(data) + 1)
        end = min(len(data), at + chance.choice([0, 1, 1, 3, 20, 200]))
        new = chance.choice([b"", b"", data[at:end] * 2, *chance.sample(SNIPPETS, 3), bytes([chance.randrange(256)])])
        data = data[:at] + new + data[end:]
    return data if chance.random() < 0.9 else data[: chance.randrange(len(data) + 1)]


DOCUMENTS = {
    "doc.json": '{"ears": {"a": {"min": "info", "to": ["x"]}, "a.b": {"min": "debug"}}, "pens": [{"id": "x", "file": "x.log"}]}\n',
    "json.mapping.yaml": """vetrina-mapping: 1
reads: json
loggers: [{each: '$.ears[?@.min]', name: {key: 0}, level: $.min, to: $.to}]
appenders: [{each: {of: $, members: pens}, name: '$[0].id', sink: {text: file}, path: '$[0].file'}]
new: {logger: {into: $.ears, member: "{name}", value: {min: "{level}"}}}
""",
    "doc.ini": "[ear a]\nmin = info\nto=x\n; c\n[ear a.b]\nmin=debug\n[pen x]\nfile = x.log\n",
    "ini.mapping.yaml": """vetrina-mapping: 1
reads: ini
loggers: [{each: {members: 'ear (?P<n>.+)'}, name: {text: <n>}, level: $.min, to: {at: $.to, split: ','}}]
appenders: [{each: {members: 'pen (?P<n>.+)'}, name: {text: <n>}, sink: {text: file}, path: $.file}]
new: {logger: {section: "ear {name}", text: "min = {level}"}}
""",
}


@pytest.fixture(scope="module")
def room(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with good inputs of every kind."""
    folder = tmp_path_factory.mktemp("good")
    for name, text in DOCUMENTS.items():
        (folder / name).write_text(text)
    for name in ("kiosk.xml", "kiosk.mapping.yaml", "station.conf", "station.mapping.yaml"):
        shutil.copy(DEMO / name, folder / name)
    for source, name in (("plan.yaml", "plan.yaml"), ("plan.yaml", "other.yaml"), ("local.yaml", "layer.yaml"), ("sereno.env", "env"), ("cases.yaml", "cases.yaml"), ("gates-2026-11-02.log", "gates.log")):  # fmt: skip
        shutil.copy(DEMO / source, folder / name)
    lines = (DEMO / "week.jsonl").read_bytes().splitlines(keepends=True)
    (folder / "e.jsonl").write_bytes(b"".join(lines[:40] + lines[-20:]))
    for words in ("apply plan.yaml --tune lib=info --yes", "rehearse plan.yaml e.jsonl --into made"):
        assert call(folder, words) in {0, 1}, words
    return folder


@pytest.mark.parametrize("kind, words", [(kind, words) for kind, calls in CALLS.items() for words in calls])
def test_mutated_inputs(room: Path, tmp_path: Path, kind: str, words: str) -> None:
    chance = random.Random(f"{kind} {words}")
    good = (room / kind).read_bytes()
    for turn in range(TIMES):
        folder = tmp_path / str(turn)
        shutil.copytree(room, folder)
        bad = mutated(good, chance)
        (folder / kind).write_bytes(bad)
        try:
            code = call(folder, words)
        except Exception as error:
            raise AssertionError(f"{words} with {kind} = {json.dumps(bad.decode('latin-1'))[:3000]}") from error
        assert code in {0, 1, 2}
