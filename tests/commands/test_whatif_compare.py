"""`whatif` and `compare` through the program."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from support import DEMO, Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
zone: Europe/Rome
loggers: {root: {level: info, to: book}, lib: {level: warn, to: side, climb: false}}
appenders:
  book: {sink: file, path: book.log, template: "{message}", roll: {at-size: 40 B, rename-to: "book.{n}.log", keep: {files: 2}}}
  side: {sink: file, path: side.log, template: "{message}"}
stages:
  loud: {loggers: {root: {level: debug}}}
"""


def traffic() -> list[dict[str, Any]]:
    days = ["2026-11-09T23:30:00Z", "2026-11-10T08:00:00Z", "2026-11-11T08:00:00Z"]
    rows = [event(time=day, level=level, message=f"{level:<9}") for day in days for level in ("debug", "info", "info")]
    return [*rows, event(logger="lib", level="info", message="quiet", count=4, time=days[2])]


def test_whatif_json_is_the_contract(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())

    found = run("whatif", "plan.yaml", "e.jsonl", "--tune", "root=debug", "--json", "--ratio", "1")

    assert found.code == 0
    jsonschema.validate(found.json, run("schema", "output", "whatif").json)
    kept = ("appender", "before", "after", "gained", "lost")
    assert [{key: one[key] for key in kept} for one in found.json["appenders"]] == [
        {"appender": "book", "before": {"events": 6, "bytes": 60}, "after": {"events": 9, "bytes": 90}, "gained": 3, "lost": 0},
        {"appender": "side", "before": {"events": 0, "bytes": 0}, "after": {"events": 0, "bytes": 0}, "gained": 0, "lost": 0},
    ]
    assert found.json["loggers"] == [
        {"logger": "ropeway.gate", "level": "debug", "appender": "book", "gained": {"events": 3, "bytes": 30}, "lost": {"events": 0, "bytes": 0}}
    ]  # fmt: skip
    assert [(one["day"], one["before"]["events"], one["after"]["events"]) for one in found.json["days"]] == [
        ("2026-11-10", 4, 6),
        ("2026-11-11", 2, 3),
    ]
    assert found.json["newly_seen"] == [{"logger": "ropeway.gate", "level": "debug", "events": 3}]
    assert found.json["unheard"] == []
    (files,) = found.json["files"]
    assert (files["before"]["files"], files["after"]["files"]) == (2, 3)


def test_both_sides_of_whatif_are_what_routes_says(run: Run) -> None:
    plan, week = DEMO / "plan.yaml", DEMO / "week.jsonl"
    change = ["--tune", "ropeway.gate=debug", "--set", "appenders.daybook.floor=debug"]

    found = run("whatif", plan, week, *change, "--json", "--ratio", "0.2").json["appenders"]

    for side, words in (("before", []), ("after", change)):
        routed = run("routes", plan, week, *words, "--json").json["appenders"]
        assert [(one["appender"], one[side]) for one in found] == [
            (one["appender"], {"events": one["reached"], "bytes": one["bytes"]}) for one in routed
        ]


@pytest.mark.parametrize(
    "words, expected",
    [
        pytest.param(["--tune", "lib=debug"], ["side (+4)", "nothing at debug from lib"], id="what a recording cannot tell"),
        pytest.param(["--tune", "root=off"], ["Less to book (-6)", "silent from now on"], id="less"),
        pytest.param(["--set", "loggers.lib={to: [side, side]}"], ["Nothing changes"], id="nothing"),
        pytest.param(["--set", "loggers.root.to=[book, book]"], ["6 events arrive twice", "twice from now on: ropeway.gate"], id="twice"),
        pytest.param(["--set", "appenders.book.template='[{message}]'"], ["the lines of book change"], id="other lines"),
        pytest.param(["--to-stage", "loud"], ["book (+3)", "Files that roll", "2 > 3"], id="a stage"),
        pytest.param(["--tune", "lib=info", "--rate", "lib info 10/hour 100"], ["side (+329)"], id="a stream more"),
        pytest.param(["--tune", "lib=info", "--rate", "lib info 100000/second 2000"], ["side (+11 700 000 004)", "TiB a day more"], id="a flood"),
    ],
)  # fmt: skip
def test_whatif_says_it_in_words(run: Run, write: Write, words: list[str], expected: list[str]) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())

    found = run("whatif", "plan.yaml", "e.jsonl", *words)

    assert found.code == 0
    for text in expected:
        assert text in " ".join(found.out.split())


def test_candidates_and_a_note(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())
    words = ["--tune", "lib=debug", "--or", "--tune", "root=debug", "--or", "--set=loggers.root.level=all", "--note", "n.md"]

    found = run(
        "whatif",
        "plan.yaml",
        "-",
        *words,
        "--must-show",
        "logger=ropeway.gate,level=debug",
        "--json",
        stdin=(folder / "e.jsonl").read_bytes(),
    )

    assert found.code == 0
    assert [one["shows"] for one in found.json["candidates"]] == [[], ["book"], ["book"]]
    note = (folder / "n.md").read_text()
    assert "+ loggers[root].level: debug" in note or "+ loggers.root.level: debug" in note
    assert "## How to put it back" in note


def test_whatif_wants_a_change_that_shows_the_message(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())

    found = run("whatif", "plan.yaml", "e.jsonl", "--tune", "lib=debug", "--must-show", "logger=x,level=debug")

    assert found.code == 1
    assert "no candidate shows" in found.err


@pytest.mark.parametrize(
    "words, expected",
    [
        (["whatif", "plan.yaml", "e.jsonl"], "what is the change?"),
        (["whatif", "plan.yaml", "e.jsonl", "--tune", "a=lowd"], 'level "lowd" is not known'),
        (["whatif", "plan.yaml", "e.jsonl", "--tune", "a=debug", "--or"], "a group without a change"),
        (["whatif", "plan.yaml", "e.jsonl", "--tune", "a=debug", "--or", "--tune"], "--tune wants a value"),
        (["whatif", "plan.yaml", "e.jsonl", "--set", "levels.loud=9"], "another meaning"),
        (["whatif", "plan.yaml", "e.jsonl", "--tune", "a=debug", "--must-show", "logger=a"], "wants a logger and a level"),
        (["whatif", "plan.yaml", "e.jsonl", "--tune", "a=debug", "--rate", "much"], "this is no stream"),
        (["whatif", "plan.yaml", "e.jsonl", "--to-stage", "lowd"], 'no stage is called "lowd"'),
        (["compare", "plan.yaml", "plan.yaml", "--told-by", "name"], "--told-by sink or --told-by appender"),
        (["compare", "plan.yaml", "plan.yaml", "--other-tune", "a=lowd"], "--other-tune a=lowd"),
        (["compare", "plan.yaml", "none.yaml"], "there is no such file"),
    ],
)
def test_a_wrong_call_is_one_clear_message(run: Run, write: Write, words: list[str], expected: str) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())

    found = run(*words)

    assert (found.code, found.out) == (2, "")
    assert expected in found.err


def test_compare_json_is_the_contract(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)

    found = run("compare", "plan.yaml", "plan.yaml", "--other-stage", "loud", "--json")

    assert found.code == 1
    jsonschema.validate(found.json, run("schema", "output", "compare").json)
    (one,) = found.json["differences"]
    assert (one["logger"], one["scope"], one["level"], one["when"]) == ("root", "both", "debug..8", [])
    assert (one["only_in_first"], one["only_in_second"]) == ([], ["file book.log"])
    assert one["example"]["level"] == "debug"


def test_yaml_and_json_of_one_plan_are_equal(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("plan.json", json.dumps(run("resolve", "plan.yaml", "--json").json.get("plan", {"vetrina": 1})))
    resolved = run("resolve", "plan.yaml").out
    write("resolved.yaml", resolved)

    found = run("compare", "plan.yaml", "resolved.yaml")

    assert found.code == 0, found.out
    assert found.out.startswith("equal: ")


@pytest.mark.parametrize(
    "value, kind, expected",
    [
        ("appenders.book.template={level} {message}", "lines", "the same event gives another line"),
        ("appenders.book.roll.keep.files=3", "files", "keep.files: 2 > 3"),
        ("appenders.book.buffer={events: 3}", "groups", "buffer.events: not given > 3"),
    ],
)
def test_compare_tells_lines_files_and_groups(run: Run, write: Write, value: str, kind: str, expected: str) -> None:
    write("plan.yaml", PLAN)

    value = value if "template" not in value else f"{value.partition('=')[0]}='{value.partition('=')[2]}'"
    found = run("compare", "plan.yaml", "plan.yaml", "--other-set", value, "--json")

    assert found.code == 1
    assert not found.json["differences"]
    assert [(one["kind"], one["what"]) for one in found.json["sinks"]][:1] == [(kind, [expected])]
    assert [one["what"] for one in found.json["sinks"][1:]] == ([["and for an event with an error"]] if kind == "lines" else [])
