"""A logger or a field that neither the plan nor the events know is told, with the nearest that is known; what is known is not."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from support import Run, event

Write = Callable[..., Any]
PLAN = """vetrina: 1
loggers: {root: {level: info, to: [book]}, scale.belt: warn}
appenders: {book: {sink: file, path: book.log, template: "{time} {level} {logger} {message}"}}
"""
EVENTS = [event("scale.belt", "warn", "late", fields={"parcel": 7, "by": {"robot": 2}}), event("desk.clerk", "info", "in")]
NEAR_BELT, NEAR_DESK = 'did you mean "scale.belt"?', 'did you mean "desk.clerk"?'
KNOWN = ""


@pytest.mark.parametrize(
    "words, told",
    [
        pytest.param("whatif plan.yaml e.jsonl --tune scale.bellt=debug", ["--tune", "or seen in e.jsonl", NEAR_BELT], id="a tuned logger"),
        pytest.param("whatif plan.yaml e.jsonl --tune desk.clerk=debug", [KNOWN], id="one that the events know"),
        pytest.param("whatif plan.yaml e.jsonl --tune desk=debug", [KNOWN], id="one above those that the events know"),
        pytest.param("whatif plan.yaml e.jsonl --tune scale=debug", [KNOWN], id="one above those that the plan knows"),
        pytest.param("whatif plan.yaml e.jsonl --set loggers[desk.clerc].level=off", ["--set", NEAR_DESK], id="a path"),
        pytest.param("whatif plan.yaml e.jsonl --tune root=debug --rate scale.bellt_info_1/hour", ["--rate", NEAR_BELT], id="a stream"),
        pytest.param("page plan.yaml e.jsonl --tune scale.bellt=debug --out p.html", [NEAR_BELT], id="page"),
        pytest.param("levels plan.yaml --tune scale.bellt=debug", ["no such logger is configured:", NEAR_BELT], id="without events"),
        pytest.param("check plan.yaml --tune scale.bellt=debug", [NEAR_BELT], id="where something is found"),
        pytest.param("routes plan.yaml e.jsonl --logger desk.clerc", ["--logger", NEAR_DESK], id="routes"),
        pytest.param("routes plan.yaml e.jsonl --field parsel=7", ['has a field "parsel"', 'did you mean "parcel"?'], id="a field"),
        pytest.param("routes plan.yaml e.jsonl --field by.robot=9", [KNOWN], id="a field inside of another, with another value"),
        pytest.param("preview plan.yaml e.jsonl --logger desk.clerc", ["or seen in e.jsonl", NEAR_DESK], id="preview"),
        pytest.param("preview plan.yaml e.jsonl --logger desk.clerc --json", [NEAR_DESK], id="preview for a program"),
        pytest.param("find e.jsonl --logger desk.clerc", ["is seen in e.jsonl", NEAR_DESK], id="find"),
        pytest.param("find e.jsonl --logger desk --logger bellt", ['"bellt"'], id="find, one of two"),
        pytest.param("find e.jsonl --logger desk --level fatal", [KNOWN], id="find, nothing for another reason"),
        pytest.param("find e.jsonl --logger desk.clerk,scale.belt", ["name one logger at a time"], id="find, a list"),
        pytest.param("find e.jsonl --not-logger desk.clerc", ["--not-logger", NEAR_DESK], id="find, left out"),
        pytest.param("find e.jsonl --field parsel=7", ['did you mean "parcel"?'], id="find, a field"),
        pytest.param("find e.jsonl --journey parsel", ['did you mean "parcel"?'], id="find, journeys"),
        pytest.param("find b.log --template {time}_{level}_{logger}_{message} --logger desk.clerc", [NEAR_DESK], id="find in a log"),
        pytest.param("read b.log --template {time}_{level}_{logger}_{message} --logger desk.clerc", [NEAR_DESK], id="read"),
    ],
)  # fmt: skip
def test_a_name_that_nothing_knows_is_told(run: Run, write: Write, words: str, told: list[str]) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", EVENTS)
    write("b.log", "".join(f"{one['time']} {one['level']} {one['logger']} {one['message']}\n" for one in EVENTS))
    found = run(*(word.replace("_", " ") for word in words.split()))

    assert found.code in {0, 1}, found.err
    said = " ".join(found.err.split())
    assert [one for one in told if one not in said] == [], said
    assert ("no such logger" in said or "has a field" in said) is (told != [KNOWN])
    assert "no such logger" not in found.out


def test_of_very_many_events_it_is_said_how_many_were_looked_at(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", [*EVENTS, *([EVENTS[0]] * 120_000)])

    assert "or seen in the first 100 000 events of e.jsonl" in run("routes", "plan.yaml", "e.jsonl", "--logger", "robto").err
