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

from support import PATIENCE, PROGRAM, Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers: {root: {to: [a, b]}}
appenders: {a: {sink: console, template: "{message}"}, b: {sink: file, path: "/x/b.log", roll: {every: day, rename-to: "b-{period|%Y}-{n}"}}}
"""
BAD = PLAN.replace("{message}", "{message} ${BAD}").replace("/x/b.log", "/x/${BAD}.log")
URL = 'vetrina: 1\nloggers: {{root: {{to: a}}}}\nappenders: {{a: {{sink: http, url: "{}"}}}}\n'


FILES: dict[str, Callable[[], Any]] = {
    "holes.jsonl": lambda: [event(message="{a}" * 10_000, fields={"a": 1})],
    "deep.yaml": lambda: "vetrina: 1\nx: " + "[" * 60_000,
    "deep.json": lambda: '{"x":' * 60_000,
    "long.json": lambda: json.dumps({"vetrina": 1, "loggers": {"a" * 5000: "info"}}),
    "long.jsonl": lambda: [event(logger="a" * 5000)],
    "many.jsonl": lambda: [event(count=10**18)],
    "sized.yaml": lambda: PLAN.replace("every: day", "at-size: 1 KiB").replace("{period|%Y}-", ""),
    "packed.yaml": lambda: PLAN.replace("every: day", "at-size: 1 KiB").replace("{period|%Y}-{n}", "{n}.gz"),
    "ones.json": lambda: '{"vetrina":1,"x":[' + ",".join("1" * 300_000) + "]}",
    "ones.yaml": lambda: "vetrina: 1\nx: [" + ",".join("1" * 300_000) + "]",
    "loggers.yaml": lambda: "vetrina: 1\nloggers:\n" + "".join(f" a{number}: info\n" for number in range(25_001)),
    "notes.yaml": lambda: (
        f"vetrina: 1\nvalues: {{v: {'v' * 1_000_000}}}\nloggers:\n"
        + "".join(f"  a{number}: {{note: '${{v}}'}}\n" for number in range(200))
    ),
    "swollen.jsonl": lambda: [event(message="{f}" * 200, fields={"f": "x" * 100_000})],
    "spread.jsonl": lambda: [event(time=f"2026-11-{day}T{hour:02}:00:00Z") for day in (16, 17) for hour in range(24)],
    "century.jsonl": lambda: [event(time="1926-11-17T05:12:00Z"), event()],
    "rules.yaml": lambda: (
        PLAN + "rules:\n" + "".join(f"- drop: {{logger: a{number}}}\n" for number in range(9999)) + "- keep: {logger: a0.b}\n"
    ),
    "junk.jsonl.gz": lambda: gzip.compress(json.dumps(event()).encode() + b"\n" * 3) + b"junk" * 9,
    "url1.yaml": lambda: URL.format("http://h:99999/"),
    "url2.yaml": lambda: URL.format("http://[::1/"),
    "url3.yaml": lambda: URL.format("http://"),
    "url4.yaml": lambda: URL.format("http://h/"),
}


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
        (["levels", "ones.json"], 2, "ones.json:1:400009: fault: the document grows past 200,000 values here"),
        (["levels", "ones.yaml"], 2, "ones.yaml:2:399995: fault: the document grows past 200,000 values here"),
        (["levels", "loggers.yaml"], 2, "loggers.yaml:25003:2: fault: there may be 25,000 entries here, and this is one more"),
        (["resolve", "notes.yaml"], 2, "the filled texts are together longer than 67,108,864 characters"),
        (["preview", "plan.yaml", "swollen.jsonl"], 1, "its message is longer than 16 MiB once its holes are filled"),
        (["rolling", "plan.yaml", "week.jsonl", "--repeat", "200000000"], 2, "give a number up to 100,000,000"),
        (["rolling", "plan.yaml", "week.jsonl", "--runs", "10000"], 0, ""),
        (
            ["rolling", "plan.yaml", "spread.jsonl", "--runs", "10000"],
            2,
            "10,000 runs of 48 hours are more than 200,000 hours to draw",
        ),
        (
            ["rolling", "plan.yaml", "century.jsonl", "--rate", "a info 1/second"],
            2,
            "it would be written more than 5,000,000 times",
        ),
        (["check", "rules.yaml"], 1, "rule 9999 of the door never decides: rule 0 (drop) always beats it"),
        (["routes", "plan.yaml", "junk.jsonl.gz"], 1, "junk.jsonl.gz:4:1: not an event: the file breaks off here"),
    ],
    ids=lambda value: " ".join(map(str, value))[:60] if isinstance(value, list) else "",
)
def test_attacks(run: Run, write: Write, tmp_path: Path, words: list[str], code: int, said: str) -> None:
    write("plan.yaml", PLAN.replace("vetrina: 1\n", "vetrina: 1\nzone: Europe/Rome\n"))
    write("week.jsonl", [event(), event(time="2026-11-17T05:12:00Z")])
    for name in FILES.keys() & set(words):
        write(name, FILES[name]())
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
        [os.fsencode(PROGRAM), *words], cwd=folder, env=environment, capture_output=True, timeout=PATIENCE, check=False
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
        ["bash", "-c", line.format(PROGRAM)], cwd=folder, capture_output=True, text=True, timeout=PATIENCE, check=False
    )

    assert (found.returncode, said in found.stderr, "Traceback" in found.stderr) == (code, True, False), found.stderr
