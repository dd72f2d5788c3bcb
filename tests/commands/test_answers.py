"""The first commands, driven as a user drives them, on small plans whose answers are known by heart."""

from __future__ import annotations

import gzip
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import zstandard

from support import DEMO, Ran, Run, event, every_other

PLAN = """vetrina: 1
levels: {wire: 7}
loggers:
  root: {level: warn, to: [desk]}
  ropeway: info
  ropeway.gate:
    to: [desk, {appender: gate-file, floor: error}]
  lib: {climb: false}
  lib.pool: {level: off, enabled: false}
appenders:
  desk: {sink: console}
  gate-file: {sink: file, path: gate.log}
"""
EVENTS = [
    event("ropeway.gate.scanner", "info", "badge {badge}, {gone}", fields={"badge": 4711}),
    event("ropeway.gate", "ERROR", "stuck", error="Jam"),
    event("ropeway", "debug"),
    event("lib.pool", 13, count=5),
    event("", "fatal", "mañana"),
]
Write = Callable[..., Path]


def schema_of(run: Run, command: str) -> Any:
    return run("schema", "output", command).json


def test_levels_json_says_what_holds_and_why(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("levels", "plan.yaml", "ropeway.gate.scanner", "--tune", "ropeway.gate=wire", "--json")
    rows = {row["logger"]: row for row in found.json["loggers"]}

    jsonschema.validate(found.json, schema_of(run, "levels"))
    assert list(rows) == ["root", "lib", "lib.pool", "ropeway", "ropeway.gate", "ropeway.gate.scanner"]
    scanner = rows["ropeway.gate.scanner"]
    assert (scanner["set"], scanner["effective"], scanner["severity"], scanner["inherited_from"]) == (
        None,
        "wire",
        7,
        "ropeway.gate",
    )
    assert scanner["origin"]["kind"] == "option"
    assert scanner["delivers"] == ["desk", "gate-file", "desk"]
    assert rows["ropeway"]["origin"] == {"kind": "file", "file": "plan.yaml", "line": 5, "column": 12}
    assert rows["root"]["inherited_from"] is None
    pool = rows["lib.pool"]
    assert (pool["set"], pool["effective"], pool["inherited_from"], pool["enabled"], pool["climb"]) == (
        None,
        "warn",
        "root",
        False,
        True,
    )
    assert pool["delivers"] == []


def test_routes_json_counts_everything_once(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)
    found = run("routes", "plan.yaml", "week.jsonl", "--json")
    document = found.json
    default = "2026-11-16T05:12:00.123Z "

    jsonschema.validate(document, schema_of(run, "routes"))
    assert found.code == 0
    assert (document["events"], document["unreadable"], document["unfilled"], document["unrouted"]) == (9, 0, 1, 6)
    assert document["stopped"] == {"door": 0, "level": 1, "nowhere": 5}
    desk, gate_file = document["appenders"]
    lines = (
        ["INFO  ropeway.gate.scanner badge 4711, {gone}\n"] * 2
        + ["ERROR ropeway.gate stuck\nJam\n"] * 2
        + ["FATAL root mañana\n"]
    )
    assert desk == {
        "appender": "desk",
        "sink": "console stdout",
        "reached": 5,
        "bytes": sum(len((default + one).encode()) for one in lines),
        "stopped": {},
    }
    assert (gate_file["reached"], gate_file["stopped"]) == (1, {"attachment": 1})
    assert {(cell["logger"], cell["level"], cell["events"]): cell["reached"] for cell in document["cells"]} == {
        ("lib.pool", "warn", 5): {},
        ("root", "fatal", 1): {"desk": 1},
        ("ropeway", "debug", 1): {},
        ("ropeway.gate", "error", 1): {"desk": 2, "gate-file": 1},
        ("ropeway.gate.scanner", "info", 1): {"desk": 2},
    }


def test_routes_each_prints_one_line_an_event(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)
    found = run("routes", "plan.yaml", "week.jsonl", "--each", "--json")
    schema = schema_of(run, "routes-each")
    for line in found.lines:
        jsonschema.validate(line, schema)

    assert [(line["line"], line["stopped_at"]) for line in found.lines] == [
        (1, None),
        (2, None),
        (3, "level"),
        (4, "nowhere"),
        (5, None),
    ]
    assert found.lines[0]["deliveries"] == [{"appender": "desk", "via": "ropeway.gate"}, {"appender": "desk", "via": "root"}]
    assert found.lines[0]["stops"] == [{"appender": "gate-file", "via": "ropeway.gate", "gate": "attachment"}]


def test_why_names_the_gate_the_levels_and_the_line(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("why", "plan.yaml", "--logger", "ropeway.gate", "--level", "debug", "--json")

    jsonschema.validate(found.json, schema_of(run, "why"))
    assert found.code == 1
    assert (
        found.json["verdict"]
        == "stopped at the level gate: ropeway.gate inherits info from ropeway (plan.yaml:5); debug is below it"
    )
    assert [gate["gate"] for gate in found.json["gates"]] == ["door", "level"]


def test_why_takes_a_line_of_a_file(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)
    found = run("why", "plan.yaml", "--from", "week.jsonl:2")

    assert found.code == 0
    assert "Reaches desk 2 times (through ropeway.gate and root), gate-file (through ropeway.gate)." in found.out
    assert run("why", "plan.yaml", "--from", "week.jsonl:9").code == 2


@pytest.mark.parametrize("pack, name", [(gzip.compress, "week.jsonl.gz"), (zstandard.compress, "week.jsonl.zst"), (bytes, "-")])
def test_events_come_packed_and_from_standard_input(run: Run, write: Write, pack: Callable[[bytes], bytes], name: str) -> None:
    write("plan.yaml", PLAN)
    data = pack("".join(json.dumps(one) + "\n" for one in EVENTS).encode())
    if name != "-":
        write(name, data)

    assert run("routes", "plan.yaml", name, "--json", stdin=data).json["events"] == 9


@pytest.mark.parametrize(
    "line, words",
    every_other(
        [
            pytest.param('{"level":"info","logger":"a","message":"m"}', '"time" is missing', id="time missing"),
            pytest.param('{"time":"2026-11-16","level":"info","logger":"a","message":"m"}', "RFC 3339", id="a date alone"),
            pytest.param(
                '{"time":"2026-11-16T05:12:00","level":"info","logger":"a","message":"m"}', "RFC 3339", id="no offset"
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00+0100","level":"info","logger":"a","message":"m"}',
                "RFC 3339",
                id="an offset without colon",
            ),
            pytest.param('{"time":"2026-11-16T05:12:60Z","level":"info","logger":"a","message":"m"}', "time", id="second 60"),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"inof","logger":"a","message":"m"}',
                "the nearest: info",
                id="unknown level",
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":25,"logger":"a","message":"m"}', "from 1 to 24", id="level 25"
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":true,"logger":"a","message":"m"}', "level", id="a boolean level"
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":1,"message":"m"}', "logger", id="a number as logger"
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":null}',
                '"message" is null',
                id="message null",
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":"\\ud800"}',
                "lone surrogate",
                id="lone surrogate",
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":"m","x":"\\ud800"}',
                "surrogate",
                id="lone surrogate in an unknown key",
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":"m","fields":{"n":NaN}}',
                "not JSON",
                id="NaN",
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":"m","count":0}', "count", id="count 0"
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":"m","fields":[1]}',
                "fields",
                id="fields as a list",
            ),
            pytest.param(
                '{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":"m","fields":{"d":'
                + "[" * 900
                + "]" * 900
                + "}}",
                "deep",
                id="deep",
            ),
            pytest.param("[]", "not a JSON object", id="a list"),
            pytest.param("hello", "not JSON", id="no JSON"),
        ]
    ),
)
def test_an_unreadable_line_is_counted_shown_and_in_the_exit_code(run: Run, write: Write, line: str, words: str) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", json.dumps(EVENTS[0]) + "\n\n" + line + "\n")
    found = run("routes", "plan.yaml", "week.jsonl", "--json")
    strict = run("routes", "plan.yaml", "week.jsonl", "--strict")

    assert (found.code, found.json["events"], found.json["unreadable"]) == (1, 1, 1)
    assert found.err.startswith("week.jsonl:3:1: not an event: ")
    assert words in found.err
    assert (strict.code, strict.out) == (2, "")
    assert strict.err.startswith("week.jsonl:3:1: fault: ")


def test_other_keys_become_fields_unless_strict(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN + "  probe: {sink: none, template: '{fields}|{time|%6f}'}\n")
    write(
        "week.jsonl",
        [
            event(
                "ropeway.gate",
                message="{a} {b}",
                fields={"a": 1},
                a=2,
                b=3,
                error=None,
                time="2026-11-16T05:12:00.9999999+01:00",
            )
        ],
    )
    found = run("routes", "plan.yaml", "week.jsonl", "--json", "--set", "loggers[ropeway.gate].to=probe")

    assert found.json["unfilled"] == 0
    assert found.json["appenders"][2]["bytes"] == len("a=1 b=3|999999\n")
    assert run("routes", "plan.yaml", "week.jsonl", "--strict").code == 2


def test_a_line_over_the_limit_is_told_and_the_rest_is_read(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    good = json.dumps(EVENTS[0]).encode() + b"\n"
    write("week.jsonl", good + b'{"x":"' + b"y" * (17 << 20) + b'"}\n' + good)
    found = run("routes", "plan.yaml", "week.jsonl", "--json")

    assert (found.code, found.json["events"], found.json["unreadable"]) == (1, 2, 1)
    assert "week.jsonl:2:1: not an event: the line is longer than 16 MiB" in found.err


def test_a_packed_file_that_breaks_off_is_told(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write(
        "week.jsonl.gz", gzip.compress(b"".join(json.dumps(event(message=str(n))).encode() + b"\n" for n in range(2000)))[:-400]
    )
    found = run("routes", "plan.yaml", "week.jsonl.gz", "--json")

    assert found.code == 1
    assert found.json["events"] > 100
    assert "breaks off" in found.err


def test_the_demo_answers_as_the_guide_says(run: Run) -> None:
    document = run("routes", "plan.yaml", "week.jsonl", "--json", cwd=DEMO).json
    reached = {one["appender"]: one["reached"] for one in document["appenders"]}

    assert (document["events"], document["unrouted"], document["unfilled"]) == (23_859, 21_730, 1)
    assert document["stopped"] == {"door": 20_160, "level": 1505, "nowhere": 65}
    assert reached == {
        "desk": 1268,
        "daybook": 447,
        "drive-file": 453,
        "wind-file": 279,
        "fare-ledger": 390,
        "alarms": 3,
        "night-report": 0,
        "blackbox": 226,
        "gust-table": 925,
    }


def test_tour_runs_every_chapter_and_leaves_a_folder(run: Run, folder: Path) -> None:
    found = run("tour", "sereno")
    again = run("tour", "sereno")
    (folder / "mine").mkdir()
    (folder / "mine" / "letter.txt").write_text("mine")
    refused = run("tour", "mine")

    assert (found.code, again.code, refused.code) == (0, 0, 2)
    assert "the tour expected" not in found.out
    assert (folder / "sereno" / "plan.yaml").read_bytes() == (DEMO / "plan.yaml").read_bytes()
    assert "not empty" in refused.err


def test_help_version_and_unknown_commands(run: Run) -> None:
    assert run("--help").out.startswith("usage: vetrina COMMAND")
    assert run("--version").out.startswith("vetrina ")
    assert run().code == 2
    nearly: Ran = run("levles")
    assert (nearly.code, 'did you mean "vetrina levels"' in nearly.err) == (2, True)
    for command in ("levels", "routes", "why", "schema", "tour"):
        assert "Examples:" in run(command, "--help").out


def test_text_from_events_never_steers_a_terminal(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", [event("ropeway.\x1b[31m\u202ex", message="\x1b]0;owned\x07 [bold]x[/bold]")])
    found = run("routes", "plan.yaml", "week.jsonl")
    why = run("why", "plan.yaml", "--from", "week.jsonl:1")

    for text in (found.out, why.out):
        assert "\x1b" not in text
        assert "\u202e" not in text
    assert "ropeway.\\e[31m\\u202ex" in found.out
    assert "[bold]x[/bold]" in why.out


def test_the_documented_python_example_runs(
    write: Write, folder: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    import vetrina

    write("plan.yaml", PLAN + "stages: {live: {}}\n")
    write("week.jsonl", EVENTS)
    monkeypatch.chdir(folder)
    code = (vetrina.__doc__ or "").split("::\n", 1)[1].split("\nNames are")[0]
    exec("\n".join(line.removeprefix("    ") for line in code.splitlines()), {})

    assert capsys.readouterr().out.splitlines()[1] == "ropeway.gate ['desk', 'gate-file', 'desk']"
    assert sorted(vetrina.__all__) == vetrina.__all__
    assert all(hasattr(vetrina, name) for name in vetrina.__all__)
