"""`preview` and `read` through the program."""

from __future__ import annotations

import gzip
import json
from collections.abc import Callable
from pathlib import Path

import jsonschema
import pytest

from support import DEMO, Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers:
  root: {to: [desk, book]}
appenders:
  desk: {sink: console, template: "{time|%H:%M} {level|upper|cut 4} {message|cut 12}{error|before ' - '}"}
  book: {sink: file, path: book.jsonl, template: j}
  wide: {sink: file, path: wide.txt, encoding: utf-16-le, template: "{message}"}
  rows: {sink: file, path: rows.csv, template: c}
templates:
  j: {as: json, members: {at: "{time}", say: "{message}", data: {raw: fields}}}
  c: {as: csv, header: true, columns: {at: "{time}", say: "{message}"}}
""".replace("before ' - '", 'before \\" - \\"')
EVENTS = [
    event("a", "info", "badge {badge} read", fields={"badge": 4711}),
    event("a", "error", 'said "x"\nand {gone}', error="Jam"),
    event("b", "debug", "never"),
]


def test_preview_json_has_one_line_a_delivery_with_its_ending(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)
    found = run("preview", "plan.yaml", "week.jsonl", "--json")
    schema = run("schema", "output", "preview").json
    for line in found.lines:
        jsonschema.validate(line, schema)

    assert [(line["line"], line["appender"]) for line in found.lines] == [(1, "desk"), (1, "book"), (2, "desk"), (2, "book")]
    assert found.lines[0]["output"] == "05:12 INFO badge 4711 r\n"
    assert json.loads(found.lines[3]["output"]) == {
        "at": "2026-11-16T05:12:00.123Z",
        "say": 'said "x"\nand {gone}',
        "data": None,
    }


def test_preview_shows_people_what_a_line_looks_like(run: Run, run_on_terminal: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)
    found = run("preview", "plan.yaml", "week.jsonl", "--appender", "desk", "--remarks").out

    assert "desk  console stdout, its own template\n2 deliveries\n     1 05:12 INFO badge 4711 r\n" in found
    assert "message is cut by cut 12: 3 characters are gone" in found
    assert "1 hole of the message without a field" in found
    assert "the first 1 shown" in run("preview", "plan.yaml", "week.jsonl", "--first", "1").out
    book = ("preview", "plan.yaml", "week.jsonl", "--appender", "book")
    assert all(len(line) <= 50 for line in run_on_terminal(*book, columns=50).out.splitlines())
    for whole in (run(*book, env={"COLUMNS": "50"}), run_on_terminal(*book, "--wide", columns=50)):
        assert any(len(line) > 60 for line in whole.out.splitlines()), "a pipe and --wide fold nothing"


def test_preview_makes_samples_where_there_are_no_events(run: Run) -> None:
    found = run("preview", "plan.yaml", "--appender", "fare-ledger", "--first", "99", cwd=DEMO)

    assert "samples that Vetrina made for this plan" in found.out
    assert found.out.count('"at":') > 3
    assert "\x1b" not in run("preview", "plan.yaml", "--first", "99", cwd=DEMO).out


def test_preview_shows_two_appenders_side_by_side(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)
    found = run("preview", "plan.yaml", "week.jsonl", "--side-by-side", "desk", "book")

    assert "desk" in found.out.splitlines()[0]
    assert "│ book" in found.out.splitlines()[0]
    assert "05:12 INFO badge 4711 r" in found.out
    assert '│ {"at":"2026-11-16T05:12:00.123Z"' in found.out


def test_preview_raw_writes_exact_bytes(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)

    def raw(name: str) -> str:
        return run("preview", "plan.yaml", "week.jsonl", "--appender", name, "--raw", "--set", f"loggers.root.to={name}").out

    assert (
        raw("rows")
        == 'at,say\r\n2026-11-16T05:12:00.123Z,badge 4711 read\r\n2026-11-16T05:12:00.123Z,"said ""x""\nand {gone}"\r\n'
    )
    assert raw("wide").encode() == "badge 4711 read\n".encode("utf-16-le") + 'said "x"\nand {gone}\n'.encode("utf-16-le")


def test_a_template_is_tried_and_laid_out(run: Run, write: Write) -> None:
    write("week.jsonl", EVENTS)
    tried = run("preview", "--template", "{level|upper} {message}", "week.jsonl")
    laid = run("preview", "--template", "{level|upper|cut 1} {message}", "week.jsonl", "--explain")

    assert "     1 INFO badge 4711 read" in tried.out
    assert [line.split() for line in laid.out.splitlines()[1:4]] == [
        ["{level|upper|cut", "1}", "level", '"info"'],
        ["|", "upper", '"INFO"'],
        ["|", "cut", "1", '"I"'],
    ]


def test_what_preview_wrote_is_read_back(run: Run, write: Write) -> None:
    raw = run("preview", "plan.yaml", "week.jsonl", "--appender", "drive-file", "--raw", cwd=DEMO).out
    write("drive.log.gz", gzip.compress(raw.encode()))
    found = run("read", "drive.log.gz", "--plan", DEMO / "plan.yaml", "--appender", "drive-file")
    (fault,) = [one for one in found.lines if "BrakeFault" in one.get("error", "")]

    assert (found.code, found.err[:39], len(found.lines)) == (0, "5 further lines belong to 1 event (stac", 453)
    assert fault["error"].count("\n") == 4
    assert (fault["level"], fault["time"]) == ("error", "2026-11-13T10:41:07.312000+01:00")
    ledger = run("read", "fare-old.jsonl", "--plan", "plan.yaml", "--appender", "fare-ledger", cwd=DEMO)
    assert (ledger.code, len(ledger.lines)) == (0, 200)


def test_the_old_log_takes_its_day_from_its_name(run: Run) -> None:
    template = '{time|%H:%M:%S.%3f} {level|upper|pad 8} [{thread|or -}] {logger} - {message}{error|before "\\n"}'
    found = run("read", "gates-2026-11-02.log", "--zone", "Europe/Rome", "--template", template, cwd=DEMO)
    errors = [one for one in found.lines if one.get("error", "").startswith("ScanTimeout")]

    assert (found.code, found.lines[0]["time"][:10], found.lines[-1]["time"][:10]) == (0, "2026-11-02", "2026-11-07")
    assert len(errors) > 15
    assert all(one["error"].count("\n") == 2 for one in errors)


@pytest.mark.parametrize(
    "content, words, code",
    [
        pytest.param(b"", "there is no line in it", 1, id="empty"),
        pytest.param(b"2026-11-02T10:00:00.000Z INFO a b\nx\n", "", 0, id="a further line belongs to the event"),
        pytest.param(
            b"no time here\n2026-11-02T10:00:00.000Z INFO a b\n",
            "log:1:1: does not fit: it stops fitting at character 1",
            1,
            id="a first line that does not fit",
        ),
        pytest.param(b"\xff\xfe\x00\n" * 3, "is not utf-8", 1, id="binary"),
        pytest.param(b"garbage\n" * 1200, "none of the first 1000 lines fits", 2, id="another format altogether"),
        pytest.param(
            b"2026-11-02T10:00:00.000Z INFO a " + b"x" * (17 << 20) + b"\n", "longer than 16 MiB", 1, id="a line of 17 MiB"
        ),
    ],
)
def test_logs_that_do_not_fit(run: Run, write: Write, content: bytes, words: str, code: int) -> None:
    write("log", content)
    found = run("read", "log", "--template", "{time} {level|upper} {logger} {message}")

    assert found.code == code
    assert words in found.err


@pytest.mark.parametrize(
    "words, message",
    [
        (["preview", "plan.yaml", "--appender", "dsk"], 'did you mean "desk"'),
        (["preview", "plan.yaml", "--raw"], "name it with --appender"),
        (["preview", "--template", "{tim}", "week.jsonl"], '"tim" is not a source at character 2'),
        (["preview", "--template", "{time", "week.jsonl"], "not closed"),
        (["preview", "--template", "{time}", "week.jsonl", "--zone", "Mars"], "not in the IANA"),
        (["read", "log"], "no layout is found"),
        (["read", "log", "--plan", "plan.yaml"], "which appender wrote them?"),
        (["read", "log", "--template", "{message}{thread}"], "collide"),
        (["read", "log", "--template", "{time|%H} {message}"], "its times have no date"),
        (["read", "log", "--template", "{message}", "--date", "today"], "is no day"),
        (["read", "log", "--template", "{message}", "--encoding", "latin-99"], "is not known"),
        (["read", "missing", "--template", "{time} {message}"], "no such file"),
    ],
)
def test_bad_calls(run: Run, write: Write, words: list[str], message: str) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", EVENTS)
    write("log", "x\n")
    found = run(*words)

    assert (found.code, found.out) == (2, "")
    assert message in found.err


def test_a_template_of_more_than_a_mebibyte_is_refused(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN.replace('template: "{message}"', 'template: "{message}' + "x" * (1 << 20) + '"'))
    found = run("preview", "plan.yaml")

    assert (found.code, found.out) == (2, "")
    assert "longer than 1,048,576 characters" in found.err


PARTS_PLAN = """vetrina: 1
rules:
  - drop: {message: heartbeat}
loggers:
  root: {level: info, to: [desk, book, desk]}
  a.b: {level: all, to: [{appender: desk, floor: warn}], climb: false}
appenders:
  desk: {sink: console, template: "{sequence} {level} {logger} {message}{error}"}
  book: {sink: file, path: b, floor: warn, template: "{sequence|zeros 9} {message|pad 30}"}
"""
PARTS_EVENTS = [
    event(logger, level, message, **more)
    for message, more in (
        ("badge {gate}", {"fields": {"gate": "valley"}}),
        ("a heartbeat", {}),
        ("out {gate}", {"fields": {"gate": 1}, "error": "Jam"}),
    )
    for logger in ("a", "a.b", "c")
    for level in ("debug", "info", "error")
] * 5


@pytest.mark.parametrize("part", [[], ["--logger", "a"], ["--level", "warn.."], ["--logger", "a.b", "--level", "..info"]])
def test_preview_and_routes_look_at_the_same_part_in_the_same_numbering(run: Run, write: Write, part: list[str]) -> None:
    write("plan.yaml", PARTS_PLAN)
    write("week.jsonl", PARTS_EVENTS)
    shown = run("preview", "plan.yaml", "week.jsonl", "--json", *part).lines
    told = {one["appender"]: one for one in run("routes", "plan.yaml", "week.jsonl", "--json", *part).json["appenders"]}
    screen = run("preview", "plan.yaml", "week.jsonl", *part).out
    for name in ("desk", "book"):
        outputs = [line["output"] for line in shown if line["appender"] == name]

        assert all(int(line["output"].split()[0]) == line["line"] for line in shown), "the number among the input's events"
        assert (told[name]["reached"], told[name]["bytes"]) == (len(outputs), len("".join(outputs).encode()))
        assert f"{len(outputs)} deliveries" in screen or len(outputs) == 0
        assert run("preview", "plan.yaml", "week.jsonl", "--raw", "--appender", name, *part).out == "".join(outputs)
    assert bool(shown) == (part != ["--logger", "a.b", "--level", "..info"])


def test_raw_output_before_a_line_that_stops_everything_is_not_lost(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", b"\n".join(json.dumps(one).encode() for one in [EVENTS[0]] * 3) + b"\nnot an event\n")
    found = run("preview", "plan.yaml", "week.jsonl", "--raw", "--appender", "desk", "--strict")

    assert (found.code, found.out) == (2, "05:12 INFO badge 4711 r\n" * 3)
    assert "week.jsonl:4:1" in found.err


def test_routes_by_field_measures_what_preview_would_show(run: Run, write: Write) -> None:
    write("plan.yaml", PARTS_PLAN)
    write("week.jsonl", PARTS_EVENTS)
    told = run("routes", "plan.yaml", "week.jsonl", "--json", "--field", "gate=valley", "--logger", "a").json
    lines = run("preview", "plan.yaml", "week.jsonl", "--json", "--logger", "a").lines
    outputs = [line["output"] for line in lines if "badge" in line["output"]]

    assert told["events"] == 6 * 5
    assert sum(one["bytes"] for one in told["appenders"]) == len("".join(outputs).encode()) > 0
