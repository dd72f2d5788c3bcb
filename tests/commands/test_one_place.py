"""Two appenders at one place, however they write it: every command counts them together, and a rehearsal writes both."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from support import Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers: {root: {level: info, to: [one, two]}}
appenders:
  one: {sink: file, path: logs/door.log, template: "1 {message}"MORE}
  two: {sink: file, path: ./logs/../logs/door.log, template: "2 {message}"}
"""
CASES = """vetrina-expect: 1
cases:
  - {say: both arrive in one file, event: {logger: a, level: info, message: x}, times: {file ./logs//door.log: 2, file logs/door.log: 2}}
"""


@pytest.fixture
def plan(write: Write) -> Path:
    write("week.jsonl", [event("pool", message=f"m{number}") for number in range(4)])
    write("cases.yaml", CASES)
    return write("plan.yaml", PLAN.replace("MORE", ""))


@pytest.mark.parametrize(
    "words, said",
    [
        (["why", "plan.yaml", "--logger", "a", "--level", "info"], "one and two write to one place"),
        (["why", "plan.yaml", "--logger", "a", "--level", "info", "--twice"], "'loggers[root].to={remove: [two]}'"),
        (["routes", "plan.yaml", "week.jsonl"], "arrives more than once in file logs/door.log (one and two): pool"),
        (["expect", "plan.yaml", "cases.yaml"], "the one case holds"),
        (["check", "plan.yaml", "--only", "twice"], "arrive twice in file logs/door.log, which one and two write"),
        (["check", "plan.yaml", "--only", "shared-place"], "write to one place"),
    ],
)  # fmt: skip
@pytest.mark.usefixtures("plan")
def test_one_place_is_one_place(run: Run, words: list[str], said: str) -> None:
    assert said in run(*words).out


@pytest.mark.parametrize("more", ["", ", buffer: {events: 3}", ', roll: {at-size: 12 B, rename-to: "logs/d.{n}.log"}'])
def test_a_rehearsal_writes_every_line_of_both_and_verifies_it(run: Run, plan: Path, folder: Path, more: str) -> None:
    plan.write_text(PLAN.replace("MORE", more))
    found = run("rehearse", "plan.yaml", "week.jsonl", "--into", "out", "--verify", "--set", "workdir=/x")
    lines = "".join(path.read_text() for path in sorted((folder / "out" / "files" / "x" / "logs").iterdir())).splitlines()

    assert found.code == 0
    assert "verified" in found.out
    assert "one and two write to one file, logs/door.log: here through one writer, by one's rolling policy" in found.err
    assert sorted(lines) == sorted(f"{number} m{at}" for at in range(4) for number in (1, 2))
    if "buffer" not in more and "roll" not in more:
        assert lines == [f"{number} m{at}" for at in range(4) for number in (1, 2)]


def test_a_logger_that_nothing_names_is_asked_about(run: Run, plan: Path) -> None:
    assert "did you mean" not in run("why", "plan.yaml", "--logger", "anything", "--level", "info").err
    plan.write_text(PLAN.replace("MORE", "").replace("loggers: {", "loggers: {pool.door: debug, "))
    asked = [
        run("why", "plan.yaml", "--logger", "pool.dooor", "--level", "info").err,
        run("apply", "plan.yaml", "--tune", "pool.dooor=debug", "--yes").err,
    ]

    assert all('no such logger is configured: "pool.dooor"; did you mean "pool.door"?' in one for one in asked)
    assert run("why", "plan.yaml", "--logger", "pool", "--level", "info").err == "", (
        "an ancestor of a configured one is no slip"
    )
