"""`expect` through the program: verdicts, faults of a file of cases, and recording."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from xml.etree import ElementTree as ET

import jsonschema
import pytest

from support import DEMO, Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers: {root: {level: info, to: [book, side]}, lib: {level: warn, to: book}}
appenders:
  book: {sink: file, path: book.log, template: "{level} {message}"}
  side: {sink: file, path: side.log, floor: error, template: machine}
templates: {machine: {as: json, members: {say: "{message}", data: {raw: fields}}}}
stages:
  loud: {loggers: {root: {level: debug}}}
"""


def cases(body: str) -> str:
    return "vetrina-expect: 1\ncases:\n  - say: it\n    " + body.replace("\n", "\n    ") + "\n"


@pytest.mark.parametrize(
    "body, failure",
    [
        pytest.param("event: {logger: a}\nreaches: book", "", id="reaches"),
        pytest.param("event: {logger: a}\nreaches: file book.log", "", id="a sink by its label"),
        pytest.param("event: {logger: a}\nreaches: [book, side]", "it does not arrive in side|stopped at floor|appenders[side].floor=info", id="the gate and the way"),
        pytest.param("event: {logger: a, level: debug}\nreaches: book", "it does not arrive in book|stopped at level", id="the level gate"),
        pytest.param("event: {logger: a, level: debug}\nreaches: book\nstages: loud", "", id="under a stage"),
        pytest.param("event: {logger: [a, b], level: trace..}\nonly: book", "a at debug: it does not arrive in book", id="many events"),
        pytest.param("event: {logger: a, level: error}\nonly: book", "it arrives in side as well, and must not", id="only"),
        pytest.param("event: {logger: a, level: debug}\nonly: []", "", id="nowhere"),
        pytest.param("event: {logger: a}\navoids: book", "it arrives in book, and must not|attached at root", id="avoids"),
        pytest.param("event: {logger: lib, level: warn}\ntimes: {book: 2}", "", id="twice"),
        pytest.param("event: {logger: lib, level: warn}\ntimes: {book: 1}", "it arrives 2 times in book, not once", id="not twice"),
        pytest.param("event: {logger: a, message: 'gate {n}', fields: {n: 4}}\nline: {book: {text: info gate 4}}", "", id="a line"),
        pytest.param("event: {logger: a}\nline: {book: gate}", "its line in book does not hold 'gate'", id="a text in it"),
        pytest.param("event: {logger: a}\nline: {book: {matches: '^warn'}}", "does not match '^warn'", id="an expression"),
        pytest.param("event: {logger: a, level: error, fields: {n: 4}}\nline: {side: {members: {data: {n: 4}}}}", "", id="members"),
        pytest.param("event: {logger: a, level: error, fields: {n: 5}}\nline: {side: {members: {data: {n: 4}}}}", "has not the member data as wanted", id="another member"),
        pytest.param("event: {logger: a}\nline: {book: {members: {say: x}}}", "is not JSON", id="no JSON"),
    ],
)  # fmt: skip
def test_a_case_holds_or_says_why_not(run: Run, write: Write, body: str, failure: str) -> None:
    write("plan.yaml", PLAN)
    write("cases.yaml", cases(body))

    found = run("expect", "plan.yaml", "cases.yaml")

    assert found.code == bool(failure), found.err
    for text in failure.split("|"):
        assert text in found.out
    assert ("the one case holds" in found.out) == (not failure)


@pytest.mark.parametrize(
    "text, place, expected",
    [
        ("- x\n", "cases.yaml", "this is no file of cases"),
        ("cases: []\n", "cases.yaml:1:1", "begin with vetrina-expect: 1"),
        ("vetrina-expect: 2\ncases: []\n", "cases.yaml:1:17", "begin with vetrina-expect: 1"),
        ("vetrina-expect: 1\ncases: []\n", "cases.yaml:2:8", "must not be empty"),
        (cases("event: {logger: a}"), "cases.yaml:3:5", "this case expects nothing"),
        (cases("event: {logger: a}\nreachs: book"), "cases.yaml:5:5", 'did you mean "reaches"?'),
        (cases("event: {logger: a}\nreaches: bok"), "cases.yaml:5:14", 'did you mean "book"?'),
        (cases("event: {logger: a}\ntimes: {bok: 1}"), "cases.yaml:5:13", 'did you mean "book"?'),
        (cases("event: {logger: a, level: lowd}\nreaches: book"), "cases.yaml:4:31", 'level "lowd" is not known'),
        (cases("event: {level: info}\nreaches: book"), "cases.yaml:4:5", 'an event needs "logger"'),
        (cases("event: {logger: a, time: today}\nreaches: book"), "cases.yaml:4:12", "this is not an event"),
        (cases("event: {logger: a}\nreaches: book\nstages: lowd"), "cases.yaml:6:13", 'did you mean "loud"?'),
        (cases("event: {logger: a}\nline: {book: {matches: '('}}"), "cases.yaml:5:28", "no RE2 expression"),
    ],
)  # fmt: skip
def test_a_wrong_file_of_cases_is_told_with_its_place(run: Run, write: Write, text: str, place: str, expected: str) -> None:
    write("plan.yaml", PLAN)
    write("cases.yaml", text)

    found = run("expect", "plan.yaml", "cases.yaml")

    assert (found.code, found.out) == (2, "")
    assert found.err.startswith(f"{place}: "), found.err
    assert expected in found.err


def test_json_and_junit(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("cases.yaml", cases("event: {logger: a, level: debug}\nreaches: book"))

    found = run("expect", "plan.yaml", "cases.yaml", "--json", "--junit", "r.xml")

    jsonschema.validate(found.json, run("schema", "output", "expect").json)
    assert found.json["failed"] == 1
    suite = ET.fromstring((folder / "r.xml").read_text())
    assert [one.get("name") for one in suite.iter("testcase")] == ["it"]
    assert suite.find(".//failure") is not None


def test_what_is_recorded_holds_and_shows_tomorrows_change(run: Run, write: Write) -> None:
    for name in ("plan.yaml", "week.jsonl"):
        write(name, (DEMO / name).read_text(encoding="utf-8"))
    write("cases.yaml", run("expect", "plan.yaml", "week.jsonl", "--record").out)

    today = run("expect", "plan.yaml", "cases.yaml", "--json")
    changed = run("expect", "plan.yaml", "cases.yaml", "--tune", "ropeway.gate.scanner=debug")

    assert (today.code, today.json["failed"]) == (0, 0)
    assert changed.code == 1
    assert "ropeway.gate.scanner at debug: it arrives in desk as well, and must not" in changed.out


def test_the_schema_accepts_what_is_recorded(run: Run, write: Write) -> None:
    import yaml

    write("plan.yaml", PLAN)
    write("e.jsonl", [event(), event(level="error", fields={"n": [1]})])
    schema = run("schema", "cases").json

    jsonschema.validate(yaml.safe_load(run("expect", "plan.yaml", "e.jsonl", "--record").out), schema)
    jsonschema.validate(yaml.safe_load((DEMO / "cases.yaml").read_text(encoding="utf-8")), schema)
