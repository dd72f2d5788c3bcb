"""A secret from outside, in every key of a plan: no output shows it, and every output is still what it was."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from support import Run, event

SECRET = "hunter2-sesame"
PLAN = """vetrina: 1
title: "t ${DB_PASSWORD}"
values: {v: "x-${DB_PASSWORD}"}
rules: [{drop: {message: "a${DB_PASSWORD}"}}, {keep: {field: {f: "${DB_PASSWORD}"}}}]
loggers:
  root: {to: [c, f, m, h, s, t, b], note: "n ${v}", level: info}
  l: {level: debug, note: "${DB_PASSWORD}"}
appenders:
  c: {sink: console, template: "{message} ${DB_PASSWORD}"}
  f: {sink: file, path: "/x/${DB_PASSWORD}/b.log", roll: {at-size: 1 KiB, rename-to: "/x/${DB_PASSWORD}/b-{n}.log", keep: {files: 2}}}
  m: {sink: mail, host: "${DB_PASSWORD}.example", from: "a@${DB_PASSWORD}.example", recipients: "b@${DB_PASSWORD}.example", subject: "s ${DB_PASSWORD}"}
  h: {sink: http, url: "http://u:${DB_PASSWORD}@h/${DB_PASSWORD}", headers: {X-A: "${DB_PASSWORD}"}}
  s: {sink: syslog, host: "${DB_PASSWORD}"}
  t: {sink: table, database: "/x/${DB_PASSWORD}.db", table: "t${DB_PASSWORD}", columns: {a: "{message} ${DB_PASSWORD}"}}
  b: {sink: file, path: "/x/c.csv", template: w}
templates: {w: {as: csv, columns: {a: "{message} ${v}", b: "{field x|or ${DB_PASSWORD}}"}}}
stages: {live: {loggers: {l: {note: "st ${DB_PASSWORD}"}}}}
"""
CALLS = """levels plan.yaml
levels plan.yaml --json
resolve plan.yaml --defaults
resolve plan.yaml --json
origin plan.yaml values.v --json
origin plan.yaml appenders.f.path
why plan.yaml --logger l --level info --message hello --to c
why plan.yaml --logger l --level trace --message hello --to f --json
routes plan.yaml e.jsonl --plot out.svg
routes plan.yaml e.jsonl --json
check plan.yaml --events e.jsonl --probe
check plan.yaml --json --sarif out.sarif --junit out.xml
preview plan.yaml e.jsonl --remarks
preview plan.yaml e.jsonl --json
rolling plan.yaml e.jsonl --all
rolling plan.yaml --names
rolling plan.yaml e.jsonl --json
rolling plan.yaml e.jsonl --appender f --plot out.svg
whatif plan.yaml e.jsonl --tune l=warn --note out.md
whatif plan.yaml e.jsonl --tune l=warn --json
compare plan.yaml other.yaml
compare plan.yaml other.yaml --json
apply plan.yaml --tune l=warn --dry-run --json
apply plan.yaml --set title=abc --dry-run
rehearse plan.yaml e.jsonl --into made
rehearse plan.yaml e.jsonl --into made --verify --json
expect plan.yaml cases.yaml --junit out.xml
expect plan.yaml cases.yaml --json
expect plan.yaml e.jsonl --record"""


@pytest.mark.parametrize("call", CALLS.splitlines())
def test_no_output_shows_a_secret(run: Run, write: Callable[..., Path], folder: Path, call: str) -> None:
    write("plan.yaml", PLAN)
    write("other.yaml", PLAN.replace("level: debug, note", "level: warn, note"))
    write("e.jsonl", [event("l", level, message) for level in ("debug", "info", "error") for message in ("hello", "m" * 400)])
    write("cases.yaml", "vetrina-expect: 1\ncases: [{say: x, event: {logger: l, level: info, message: hello}, reaches: [c], line: {c: zzz}}]\n")  # fmt: skip
    write("env", f"DB_PASSWORD={SECRET}\n")
    given = {"options": [f"--env=DB_PASSWORD={SECRET}"], "file": ["--env-file=env"], "environment": []}
    for way, words in given.items():
        found = run(
            *call.split(),
            *words,
            *(["--clean"] if "rehearse" in call else []),
            env={"DB_PASSWORD": SECRET} if way == "environment" else {},
        )
        shown = found.out + found.err + "".join(one.read_text(errors="replace") for one in folder.glob("out.*"))

        assert SECRET not in shown, way
        assert "is not known" not in shown
        if "--json" in call:
            assert [
                json.loads(line)
                for line in (found.out.splitlines() if call.startswith(("rolling", "preview")) else [found.out])
            ]
