"""Nothing that was asked for is cut off: whole in a pipe and with --wide, wrapped on a terminal; and what is told of what."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from collections.abc import Callable
from pathlib import Path

import pytest

from support import Run, event

Write = Callable[..., Path]
NAMES = [f"a-ledger-with-a-very-long-name-of-its-own-{at}" for at in range(6)]
LOGGER = "pool.of-connections.to.the.data.base.of.the.valley.station"
PLAN = {
    "vetrina": 1,
    "loggers": {"root": {"level": "info", "to": NAMES}, LOGGER: {"level": "debug"}, f"{LOGGER}.2": {"level": "debug"}},
    "appenders": {
        name: {"sink": "file", "path": f"/var/log/sereno/of/the/ropeway/{name}.log", "roll": {"every": "day", "rename-to": f"/var/log/{name}-{{period|%j}}"}}
        for name in NAMES
    },
}  # fmt: skip


@pytest.fixture
def long_names(write: Write) -> None:
    write("plan.yaml", json.dumps(PLAN))
    write("week.jsonl", [event(f"{LOGGER}{end}", "info", f"a message {LOGGER}") for end in ("", ".2") for _ in range(3)])


@pytest.mark.usefixtures("long_names")
@pytest.mark.parametrize(
    "words",
    [
        ["levels", "plan.yaml"],
        ["routes", "plan.yaml", "week.jsonl"],
        ["routes", "plan.yaml", "week.jsonl", "--group-by", "field", "x"],
        ["rolling", "plan.yaml", "week.jsonl"],
        ["rolling", "plan.yaml", "--names"],
        ["whatif", "plan.yaml", "week.jsonl", "--tune", f"{LOGGER}=off"],
        ["preview", "plan.yaml", "week.jsonl"],
    ],
)
def test_names_are_whole_in_a_pipe_and_lost_nowhere(run: Run, run_on_terminal: Run, words: list[str]) -> None:
    piped = run(*words, env={"COLUMNS": "60"}).out
    wide = run_on_terminal(*words, "--wide", columns=60).out
    screen = "".join(run_on_terminal(*words, columns=60).out.split())

    for name in NAMES:
        assert all(any(name in line for line in text.splitlines()) for text in (piped, wide))
    assert "…" not in piped + wide
    if words[0] in {"levels", "rolling"}:
        assert all(name in screen for name in NAMES), "wrapped, not cut"


@pytest.mark.usefixtures("long_names")
def test_two_names_never_look_alike(run_on_terminal: Run) -> None:
    head = next(
        line
        for line in run_on_terminal("routes", "plan.yaml", "week.jsonl", columns=120).out.splitlines()
        if "a-ledg" in line and "events" in line
    )

    assert len(set(head.split())) == len(head.split())


def test_the_list_of_checks_has_whole_sentences(run_on_terminal: Run, run: Run) -> None:
    titles = [one["title"] for one in run("check", "--list", "--json").json["checks"]]
    screen = " ".join(run_on_terminal("check", "--list", columns=70).out.replace("needs --events", "").split())

    assert len(titles) > 60
    assert sum(title in screen for title in titles) > 40
    assert "…" not in screen


def test_levels_tells_what_cannot_pass_where_it_is_attached(run: Run, write: Write) -> None:
    write("plan.yaml", """vetrina: 1
loggers: {root: {level: warn, to: [desk, {appender: errors, ceiling: warn}]}, lib: off, pool: {to: desk}}
appenders: {desk: {sink: none}, errors: {sink: none, floor: error}}
""")  # fmt: skip
    found = run("levels", "plan.yaml")
    (root, lib, pool) = run("levels", "plan.yaml", "--json").json["loggers"]

    assert "desk, (errors)" in found.out
    assert "(errors): attached, but nothing can pass there from root" in found.out
    assert (root["delivers"], [one["appender"] for one in root["closed"]]) == (["desk", "errors"], ["errors"])
    assert [one["appender"] for one in lib["closed"]] == ["desk", "errors"]
    assert pool["delivers"] == ["desk", "desk", "errors"]


CHECKED = """vetrina: 1
loggers: {root: {level: info, to: [a, b]}, c: {to: a}}
appenders: {a: {sink: none}, b: {sink: file, path: /x/b.log, template: "{message} {logger}"}}
"""


def test_check_of_several_plans_and_what_ci_is_told(run: Run, write: Write, folder: Path) -> None:
    write("one.yaml", CHECKED)
    write("two.yaml", CHECKED.replace("c: {to: a}", "c: {}"))
    write("bad.yaml", "a: [")
    found = run(
        "check", "one.yaml", "two.yaml", "bad.yaml", "--junit", "out.xml", "--sarif", "out.sarif", "--skip", "endless-file"
    )
    cases = list(ET.parse(folder / "out.xml").getroot()[0])
    kinds = {kind: sum(case.find(kind) is not None for case in cases) for kind in ("failure", "error", "skipped", "system-out")}
    suite = ET.parse(folder / "out.xml").getroot()[0].attrib
    (log,) = json.loads((folder / "out.sarif").read_text())["runs"]

    assert (found.code, "bad.yaml:2:1: fault: this is not YAML" in found.err) == (2, True)
    assert "one.yaml:2:52: warning twice" in found.out
    assert "endless-file" not in found.out
    assert (suite["failures"], suite["errors"], suite["skipped"]) == (str(kinds["failure"]), "1", str(kinds["skipped"]))
    assert kinds["system-out"] >= 2, "a hint is told and fails nothing"
    skipped = ET.parse(folder / "out.xml").getroot().iterfind(".//skipped")
    assert any("needs --events" in one.attrib["message"] for one in skipped)
    assert log["invocations"][0]["executionSuccessful"] is False
    assert run("check", "-", "--only", "twice", stdin=CHECKED.encode()).out.startswith("-:2:52: warning twice")


def test_errors_that_arrive_nowhere_end_with_1_where_that_is_asked(run: Run, write: Write) -> None:
    write("plan.yaml", CHECKED.replace("c: {to: a}", "c: {climb: false}"))
    write("week.jsonl", [event("a", "error"), event("c", "error", count=3), event("c", "fatal")])
    for more in ([], ["--each"], ["--counts-only"], ["--json"], ["--group-by", "field", "x"]):
        found = run("routes", "plan.yaml", "week.jsonl", *more, "--fail-on", "lost-errors")

        assert (found.code, "lost-errors: 4 errors arrive nowhere: c (3 at error), c (1 at fatal)" in found.err) == (1, True)
        assert run("routes", "plan.yaml", "week.jsonl", *more).code == 0


@pytest.mark.parametrize(
    "words, lines",
    [
        (["levels", "one.yaml"], False), (["resolve", "one.yaml"], False), (["origin", "one.yaml", "loggers.c.to"], False), (["origin", "one.yaml", "--unused"], False),
        (["routes", "one.yaml", "week.jsonl"], False), (["routes", "one.yaml", "week.jsonl", "--each"], True), (["why", "one.yaml", "--logger", "a", "--level", "info"], False),
        (["check", "one.yaml"], False), (["check", "--list"], False), (["check", "--explain", "twice"], False), (["preview", "one.yaml", "week.jsonl"], True),
        (["rolling", "one.yaml", "week.jsonl"], True), (["rolling", "one.yaml", "--names"], True), (["whatif", "one.yaml", "week.jsonl", "--tune", "c=off"], False),
        (["compare", "one.yaml", "one.yaml"], False), (["apply", "one.yaml", "--tune", "c=off", "--dry-run"], False), (["undo", "one.yaml", "--list"], False),
        (["rehearse", "one.yaml", "week.jsonl", "--into", "out"], False), (["read", "app.log", "--template", "{time} {message}"], True),
    ],
)  # fmt: skip
def test_json_is_one_document_and_json_lines_for_streams(run: Run, write: Write, words: list[str], lines: bool) -> None:
    write("one.yaml", CHECKED.replace("path: /x/b.log", 'path: /x/b.log, roll: {every: day, rename-to: "/x/b-{period|%j}"}'))
    write("week.jsonl", [event("a"), event("c", "error")])
    write("app.log", "2026-11-02T10:00:00Z one\n2026-11-02T10:00:01Z two\n")
    found = run(*words, "--json")
    parsed = [json.loads(line) for line in found.out.splitlines()] if lines else [json.loads(found.out)]

    assert found.code in {0, 1}
    assert all(isinstance(one, dict) for one in parsed)
    assert len(parsed) == 1 or lines


def test_compare_tells_that_an_appender_moved_and_what_else_differs(run: Run, write: Write) -> None:
    rolled = 'roll: {at-size: 200 KiB, rename-to: "x.{n}", keep: {files: 20}}'
    write("one.yaml", CHECKED.replace("path: /x/b.log", f"path: /x/b.log, {rolled}"))
    write(
        "two.yaml",
        CHECKED.replace("path: /x/b.log", f"path: /y/b.log, {rolled}").replace("200 KiB", "500 MiB").replace("20}", "3}"),
    )
    found = run("compare", "one.yaml", "two.yaml").out

    assert "b: looks like the same appender at another place\n    file /x/b.log > file /y/b.log" in found
    assert "at-size: 200 KiB > 500 MiB" in found
    assert "keep.files: 20 > 3" in found
