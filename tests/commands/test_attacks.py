"""Attacks that broke something once: one clear message each, an exit code of the contract, never a fault in Vetrina itself."""

from __future__ import annotations

import gzip
import json
import os
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from support import PROGRAM, Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers: {root: {to: [a, b]}}
appenders: {a: {sink: console, template: "{message}"}, b: {sink: file, path: "/x/b.log", roll: {every: day, rename-to: "b-{period|%Y}-{n}"}}}
"""
BAD = PLAN.replace("{message}", "{message} ${BAD}").replace("/x/b.log", "/x/${BAD}.log")
URL = 'vetrina: 1\nloggers: {{root: {{to: a}}}}\nappenders: {{a: {{sink: http, url: "{}"}}}}\n'


@pytest.mark.parametrize(
    "words, code, said",
    [
        (
            ["preview", "--template", "{message" + "|upper" * 65 + "}", "week.jsonl"],
            2,
            "a placeholder has more than 64 steps at character 394",
        ),
        (["preview", "--template", "{message" + "|upper" * 64 + "}", "week.jsonl"], 0, ""),
        (["preview", "--template", "{message}" * 10_001, "week.jsonl"], 2, "the template has more than 10,000 parts"),
        (["preview", "plan.yaml", "holes.jsonl"], 0, ""),
        (["routes", "plan.yaml", "holes.jsonl"], 0, ""),
        (["rolling", "plan.yaml", "week.jsonl", "--seed", "-1", "--runs", "2"], 2, "--seed"),
        (["rolling", "plan.yaml", "week.jsonl", "--scale", "inf"], 2, "--scale"),
        (["rolling", "plan.yaml", "week.jsonl", "--scale", "nan"], 2, "a scale is a number"),
        (["rolling", "plan.yaml", "week.jsonl", "--scale", "1e308"], 2, "--scale"),
        (["rolling", "plan.yaml", "week.jsonl", "--rate", f"a info {'9' * 400}/second"], 2, "this is no stream"),
        (
            ["whatif", "plan.yaml", "week.jsonl", "--tune", "a=off", "--rate", "a info 1000001/second"],
            2,
            "at most 1,000,000 a second",
        ),
        (["rolling", "plan.yaml", "week.jsonl", "--on", "0001-01-01"], 2, "past the end of the calendar"),
        (
            ["rehearse", "plan.yaml", "week.jsonl", "--into", "out", "--crash-at", "9999-12-31T23:59:59-10:00"],
            2,
            "past the end of the calendar",
        ),
        (["check", "url1.yaml", "--probe-network"], 1, "is no URL: port out of range"),
        (["rehearse", "url2.yaml", "week.jsonl", "--into", "out", "--send"], 2, "is no URL"),
        (["levels", "url3.yaml"], 2, "is no URL to send to"),
        (["receive", "--into", "rec", "--host", "a" * 300], 2, "is not a loopback address"),
        (["levels", "deep.yaml"], 2, "deep.yaml:2:2004: fault: the document is nested more than 100 deep"),
        (["levels", "deep.json"], 2, "nested more than 100 deep"),
        (["check", "plan.yaml", "--sarif", "./plan.yaml"], 2, "plan.yaml: fault: this file is named twice in the call"),
        (["whatif", "plan.yaml", "week.jsonl", "--tune", "a=off", "--note=link.md"], 2, "this file is named twice in the call"),
        (["levels", "long.json"], 2, "a logger's name may have 4,096 characters; this has 5,000"),
        (["routes", "plan.yaml", "long.jsonl"], 1, 'long.jsonl:1:1: not an event: "logger" has 5,000 characters'),
        (["rolling", "sized.yaml", "many.jsonl"], 2, "this policy makes more than 100,000 files of this traffic"),
        (["check", "sized.yaml", "--events", "many.jsonl"], 2, "the first are b-1, b-2, b-3"),
        (["rolling", "packed.yaml", "many.jsonl"], 2, "at most 1,073,741,824 bytes of one event are packed"),
        (["rehearse", "sized.yaml", "many.jsonl", "--into", "out"], 2, "would write more than 10,737,418,240 bytes"),
        (["rehearse", "plan.yaml", "many.jsonl", "--into", "out"], 2, "would write more than 10,737,418,240 bytes"),
        (["rehearse", "url4.yaml", "many.jsonl", "--into", "out"], 2, "and one is made of at most 16,777,216"),
        (["routes", "plan.yaml", "junk.jsonl.gz"], 1, "junk.jsonl.gz:4:1: not an event: the file breaks off here"),
    ],
    ids=lambda value: " ".join(map(str, value))[:60] if isinstance(value, list) else "",
)
def test_attacks(run: Run, write: Write, tmp_path: Path, words: list[str], code: int, said: str) -> None:
    write("plan.yaml", PLAN.replace("vetrina: 1\n", "vetrina: 1\nzone: Europe/Rome\n"))
    write("week.jsonl", [event(), event(time="2026-11-17T05:12:00Z")])
    write("holes.jsonl", [event(message="{a}" * 10_000, fields={"a": 1})])
    write("deep.yaml", "vetrina: 1\nx: " + "[" * 60_000)
    write("deep.json", '{"x":' * 60_000)
    write("long.json", json.dumps({"vetrina": 1, "loggers": {"a" * 5000: "info"}}))
    write("long.jsonl", [event(logger="a" * 5000)])
    write("many.jsonl", [event(count=10**18)])
    write("sized.yaml", PLAN.replace("every: day", "at-size: 1 KiB").replace("{period|%Y}-", ""))
    write("packed.yaml", PLAN.replace("every: day", "at-size: 1 KiB").replace("{period|%Y}-{n}", "{n}.gz"))
    write("junk.jsonl.gz", "").write_bytes(gzip.compress(json.dumps(event()).encode() + b"\n" * 3) + b"junk" * 9)
    for number, url in enumerate(("http://h:99999/", "http://[::1/", "http://", "http://h/"), start=1):
        write(f"url{number}.yaml", URL.format(url))
    (tmp_path / "link.md").symlink_to(tmp_path / "week.jsonl")
    kept = (tmp_path / "plan.yaml").read_bytes(), (tmp_path / "week.jsonl").read_bytes()
    found = run(*words)

    assert kept == ((tmp_path / "plan.yaml").read_bytes(), (tmp_path / "week.jsonl").read_bytes())
    assert (found.code, said in found.err + found.out) == (code, True), found.err[:400]
    assert "fault in Vetrina itself" not in found.err


def raw(folder: Path, *words: bytes, **env: bytes) -> subprocess.CompletedProcess[bytes]:
    environment = {
        **{name.encode(): value.encode() for name, value in os.environ.items()},
        **{name.encode(): value for name, value in env.items()},
    }
    return subprocess.run(
        [os.fsencode(PROGRAM), *words], cwd=folder, env=environment, capture_output=True, timeout=60, check=False
    )


@pytest.mark.parametrize("words", [b"preview plan.yaml week.jsonl", b"rolling plan.yaml week.jsonl --json", b"check plan.yaml --json", b"resolve plan.yaml",
                                   b"rehearse plan.yaml week.jsonl --into out --json", b"routes plan.yaml week.jsonl --json"])  # fmt: skip
def test_bytes_from_outside_that_are_no_text_are_told(write: Write, folder: Path, words: bytes) -> None:
    write("plan.yaml", BAD)
    write("week.jsonl", [event()])
    found = raw(folder, *words.split(), BAD=b"\xff")

    assert (found.returncode, b"fault in Vetrina" in found.stderr) == (1 if b"check" in words else 2, False)
    assert b"the value of ${BAD} is not text" in found.stderr + found.stdout


@pytest.mark.parametrize(
    "words, code",
    [
        ([b"levels", b"pl\xff.yaml", b"--json"], 0),
        ([b"check", b"pl\xff.yaml", b"--json", b"--sarif", b"out.sarif", b"--junit", b"out.xml"], 1),
        ([b"apply", b"pl\xff.yaml", b"--tune", b"a=debug", b"--yes"], 2),
        ([b"why", b"pl\xff.yaml", b"--logger", b"\xff", b"--level", b"info", b"--json"], 0),
        ([b"rolling", b"pl\xff.yaml", b"week.jsonl", b"--json"], 0),
    ],
)
def test_names_that_are_no_text_are_shown_and_json_stays_json(
    write: Write, folder: Path, words: list[bytes], code: int
) -> None:
    write("week.jsonl", [event()])
    (folder / os.fsdecode(b"pl\xff.yaml")).write_text(PLAN)
    found = raw(folder, *words)
    documents: list[Any] = (
        [json.loads(line) for line in found.stdout.splitlines()] if b"rolling" in words else [json.loads(found.stdout or b"0")]
    )

    assert (found.returncode, b"fault in Vetrina" in found.stderr) == (code, False), found.stderr
    assert b"\\ud" not in found.stdout
    assert documents


@pytest.mark.parametrize(
    "line, code, said",
    [
        ("{} --help > /dev/full", 2, "the output cannot be written: No space left on device"),
        ("{} --version > /dev/full", 2, "No space left on device"),
        ("{} levels --help > /dev/full", 2, "No space left on device"),
        ("{} routes plan.yaml week.jsonl > /dev/full", 2, "No space left on device"),
        ("{} levels missing.yaml 2> /dev/full", 2, ""),
        ("{} levels plan.yaml >&-", 2, "standard output is closed"),
        ("{} levels plan.yaml <&- > /dev/null", 0, ""),
        ("{} routes plan.yaml week.jsonl --each | head -1 > /dev/null; exit ${{PIPESTATUS[0]}}", 0, ""),
        ("{} --help | head -0; exit ${{PIPESTATUS[0]}}", 0, ""),
    ],
)
def test_outputs_that_take_nothing(write: Write, folder: Path, line: str, code: int, said: str) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", [event()] * 5000)
    found = subprocess.run(
        ["bash", "-c", line.format(PROGRAM)], cwd=folder, capture_output=True, text=True, timeout=60, check=False
    )

    assert (found.returncode, said in found.stderr, "Traceback" in found.stderr) == (code, True, False), found.stderr
