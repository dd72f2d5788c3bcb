"""--learn through the program: figures with ranges, what they stand on, what is refused."""

from __future__ import annotations

import random
import subprocess
import sys
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from support import Run
from vetrina.formats.schemas import record_schema
from vetrina.views.outputs import OUTPUTS

PLAN = """vetrina: 1
loggers: {root: {level: info, to: [desk, book]}, gate: {}}
appenders:
  desk: {sink: console}
  book: {sink: file, path: book.log, roll: {at-size: 4 KiB, rename-to: "book.{n}.log.gz", keep: {files: 3}}}
  slow: {sink: none, queue: {events: 20, drains: 1/second, full: drop}}
stages: {loud: {loggers: {root: {level: debug}}}, rush: {loggers: {gate: {to: slow}}}}
"""
Write = Callable[..., Path]


def traffic(seed: int, hours: int, begun: datetime, rate: float) -> list[dict[str, Any]]:
    chance = random.Random(seed)
    rows = []
    for hour in range(hours):
        for logger, level, share in (
            ("gate", "info", 1),
            ("gate.scanner", "debug", 3),
            ("drive", "info", 0.5),
            ("drive.motor", "debug", 1),
        ):
            for _ in range(sum(chance.random() < 0.5 for _ in range(round(2 * rate * share)))):
                time = begun + timedelta(seconds=hour * 3600 + chance.random() * 3600)
                rows.append(
                    {
                        "time": time.isoformat(),
                        "level": level,
                        "logger": logger,
                        "message": "step {n}",
                        "fields": {"n": chance.randrange(10**6)},
                    }
                )
    return sorted(rows, key=lambda row: str(row["time"]))


@pytest.fixture
def truth(write: Write) -> list[dict[str, Any]]:
    """Write a live recording and a bench recording; return all that really happened."""
    whole = traffic(1, 20, datetime(2026, 11, 9, tzinfo=UTC), 15)
    write("plan.yaml", PLAN)
    write("live.jsonl", [row for row in whole if row["level"] != "debug"])
    write("bench.jsonl", traffic(2, 8, datetime(2026, 10, 1, tzinfo=UTC), 10))
    write("whole.jsonl", whole)
    return whole


def test_whatif_gives_ranges_that_hold_the_truth(run: Run, truth: list[dict[str, Any]]) -> None:
    found = run("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "bench.jsonl", "--json").json
    real = run("whatif", "plan.yaml", "whole.jsonl", "--tune", "gate=debug", "--json").json
    scanned = sum(row["logger"] == "gate.scanner" for row in truth)

    assert found["learned"]["from"] == "bench.jsonl"
    assert found["learned"]["hours"] == 8
    (lesson,) = found["learned"]["loggers"]
    assert (lesson["logger"], lesson["set_against"], lesson["weak"]) == ("gate.scanner", "gate", False)
    assert lesson["low"] <= scanned <= lesson["high"]
    assert lesson["low"] < lesson["middle"] < lesson["high"]
    for mine, theirs in zip(found["appenders"], real["appenders"], strict=True):
        if not mine["estimated"]:
            assert (mine["appender"], mine["after"]) == ("slow", {"events": 0, "bytes": 0})
            continue
        for figure in ("events", "bytes"):
            ends = mine["after"]["estimated"]
            assert ends["low"][figure] <= theirs["after"][figure] <= ends["high"][figure]
            assert ends["middle"][figure] == mine["after"][figure]
        assert mine["before"] == {key: theirs["before"][key] for key in ("events", "bytes")}
        assert mine["a_day"]["estimated"]["low"]["after"] < mine["a_day"]["after"] < mine["a_day"]["estimated"]["high"]["after"]
    assert found["newly_seen"][0]["estimated"]["from"] == ["gate.scanner debug"]
    assert found["files"][0]["after"]["estimated"]["low"]["files"] <= real["files"][0]["after"]["files"]
    assert found["files"][0]["after"]["estimated"]["high"]["files"] >= real["files"][0]["after"]["files"]
    assert (
        found["pace"]["estimated_events"]
        == lesson["middle"]
        == found["events"] - len([row for row in truth if row["level"] != "debug"])
    )


def test_figures_are_marked_and_the_sentence_on_top_says_what_is_weak(
    run: Run, write: Write, truth: list[dict[str, Any]]
) -> None:
    call = ("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--tune", "drive=trace", "--learn", "bench.jsonl")
    told = run(*call).out
    short = write("short.jsonl", truth[:60])
    weak = run(*call[:-1], short).out

    assert "Estimated in part: bench.jsonl tells of 2 loggers and levels that the recording lacks." in told
    assert "neither these events nor the recordings of --learn hold anything at trace from drive and below it" in " ".join(
        told.split()
    )
    assert "More goes to book (~+" in told
    assert "gate.scanner  debug" in told
    assert "weak, with fewer than 30 events or 3 hours behind it: drive.motor debug" in " ".join(weak.split())


@pytest.mark.usefixtures("truth")
def test_rolling_and_pressure_hold_the_truth_too(run: Run) -> None:
    words = ("--tune", "gate=debug", "--json")
    (mine,) = run("rolling", "plan.yaml", "live.jsonl", *words, "--learn", "bench.jsonl").lines
    (real,) = run("rolling", "plan.yaml", "whole.jsonl", *words).lines
    pressed, really = (
        run("pressure", "plan.yaml", name, "--stage", "rush", "--appender", "slow", *words, *more).json
        for name, more in (("live.jsonl", ("--learn", "bench.jsonl")), ("whole.jsonl", ()))
    )
    ends = mine["estimated"]
    figures = {one["figure"]: one["estimated"] for one in pressed["appenders"][0]["ranges"]}

    assert ends["low"]["files"] <= len(real["files"]) <= ends["high"]["files"]
    assert ends["low"]["bytes"] <= sum(one["bytes"] for one in real["files"]) <= ends["high"]["bytes"]
    assert ends["middle"]["events"] == sum(one["events"] for one in mine["files"])
    assert figures["arrived"]["low"] <= really["appenders"][0]["arrived"] <= figures["arrived"]["high"]
    assert pressed["learned"]["played"] is True
    assert pressed["estimated"] == pressed["learned"]["loggers"][0]["middle"]


@pytest.mark.usefixtures("truth")
@pytest.mark.parametrize("command", ["whatif", "rolling", "pressure"])
def test_the_document_fits_its_schema(run: Run, command: str) -> None:
    found = run(command, "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "bench.jsonl", "--json")
    validator = Draft202012Validator(record_schema(OUTPUTS[command], command))

    for one in found.lines if command == "rolling" else [found.json]:
        validator.validate(one)
        assert one["learned"]["loggers"]


@pytest.mark.usefixtures("truth")
def test_it_is_the_same_for_a_seed_whoever_reads_and_each_round_has_its_own(run: Run) -> None:
    call = ("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "bench.jsonl", "--json")
    once, again, other = (run(*call, *words).out for words in ((), ("--workers", "2"), ("--seed", "2")))
    (twice,) = run("rolling", "plan.yaml", "live.jsonl", *call[3:], "--repeat", "2").lines
    (single,) = run("rolling", "plan.yaml", "live.jsonl", *call[3:]).lines

    assert once == again != other
    assert twice["estimated"]["middle"]["events"] == pytest.approx(2 * single["estimated"]["middle"]["events"], abs=2)


@pytest.mark.usefixtures("truth")
def test_limits_recalls_and_queues_decide_on_estimated_events_too(run: Run) -> None:
    found = run(
        "whatif", "plan.yaml", "live.jsonl", "--stage", "rush", "--tune", "gate=debug", "--learn", "bench.jsonl", "--json"
    ).json
    slow = next(one for one in found["appenders"] if one["appender"] == "slow")

    assert found["learned"]["played"] is True
    assert (
        slow["after"]["estimated"]["low"]["events"] <= slow["after"]["events"] <= slow["after"]["estimated"]["high"]["events"]
    )
    assert slow["gained"] > 0


@pytest.mark.usefixtures("truth")
def test_recorded_under_says_what_is_hidden(run: Run, write: Write) -> None:
    write("other.yaml", PLAN.replace("level: info", "level: debug"))
    call = ("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "bench.jsonl")
    for words in (("--recorded-stage", "loud"), ("--recorded-under", "other.yaml")):
        assert "Nothing is estimated" in run(*call, *words).out
    told = " ".join(run("whatif", "plan.yaml", "whole.jsonl", *call[3:]).out.split())

    assert "the recording holds what the plan stops that it is taken to be recorded under: drive.motor debug (" in told


@pytest.mark.parametrize(
    "words, told",
    [
        (("rolling", "plan.yaml", "live.jsonl", "--learn", "bench.jsonl"), "--learn has no effect here"),
        (("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--recorded-stage", "loud"), "--recorded-stage has no effect without --learn"),
        (("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--seed", "3"), "--seed has no effect without --learn"),
        (("pressure", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "nowhere.jsonl"), "nowhere.jsonl"),
        (("rolling", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "bench.jsonl", "--runs", "3"), "--runs has no effect with --learn"),
        (("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "bench.jsonl", "--recorded-under", "levels.yaml"), "gives names another meaning"),
    ],
)  # fmt: skip
@pytest.mark.usefixtures("truth")
def test_what_has_no_effect_is_refused(run: Run, write: Write, words: tuple[str, ...], told: str) -> None:
    write("levels.yaml", PLAN + "levels: {odd: 7}\n")
    found = run(*words)

    assert found.code == 2
    assert told in found.err


@pytest.mark.usefixtures("truth")
def test_lines_of_a_recording_that_are_no_events_are_told(run: Run, write: Write) -> None:
    path = write("bad.jsonl", (Path.read_text(write("x", "")) or "") + "no event\n")
    found = run("whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug", "--learn", "bench.jsonl", "--learn", path)

    assert found.code == 1
    assert "bad.jsonl:1:1: not an event" in found.err


_LOADED = r"""
import sys
sys.argv = ["vetrina", *sys.argv[1:]]
from vetrina.commands.main import main
try: main()
except SystemExit: pass
print("numpy" in sys.modules, file=sys.stderr)
"""


@pytest.mark.usefixtures("truth")
def test_numpy_is_loaded_only_where_something_is_learned(folder: Path) -> None:
    call = [sys.executable, "-c", _LOADED, "whatif", "plan.yaml", "live.jsonl", "--tune", "gate=debug"]
    loaded = [
        subprocess.run([*call, *more], cwd=folder, capture_output=True, text=True, check=False).stderr.split()[-1]
        for more in ([], ["--learn", "bench.jsonl"])
    ]

    assert loaded == ["False", "True"]
