"""`rolling` through the program."""

from __future__ import annotations

import gzip
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from support import DEMO, Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
zone: Europe/Rome
loggers: {root: {to: book}}
appenders:
  book:
    sink: file
    path: book.log
    template: "{message}"
    roll: {every: day, at-size: 40 B, rename-to: "old/book-{period|%Y-%m-%d}.{n}.log.gz", keep: {files: 3}}
"""
START = datetime(2026, 11, 9, tzinfo=UTC)


def hourly(count: int, **more: Any) -> list[dict[str, Any]]:
    """Return one event an hour, nine bytes each with the line feed."""
    return [event(time=(START + timedelta(hours=hour)).isoformat(), message="x" * 9, **more) for hour in range(count)]


def test_rolling_json_is_the_contract(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", hourly(9))
    found = run("rolling", "plan.yaml", "week.jsonl", "--json", "--ratio", "0.5")
    (document,) = found.lines
    jsonschema.validate(document, run("schema", "output", "rolling").json)

    assert (found.code, document["appender"], document["peak_disk_bytes"]) == (0, "book", 20 + 40)
    assert document["files"] == [
        {
            "name": f"old/book-2026-11-09.{number}.log.gz",
            "opened": f"2026-11-09T{1 + 4 * (number - 1):02}:00:00.000+01:00",
            "closed": f"2026-11-09T{1 + 4 * number:02}:00:00.000+01:00",
            "reason": "size",
            "events": 4,
            "bytes": 40,
            "disk_bytes": 20,
            "removed": None,
            "removed_by": None,
            "lost": 0,
        }
        for number in (1, 2)
    ] + [
        {
            "name": "book.log",
            "opened": "2026-11-09T09:00:00.000+01:00",
            "closed": None,
            "reason": None,
            "events": 1,
            "bytes": 10,
            "disk_bytes": 10,
            "removed": None,
            "removed_by": None,
            "lost": 0,
        }
    ]
    assert document["history"] == {"from": "2026-11-09T01:00:00.000+01:00", "to": "2026-11-09T09:00:00.000+01:00"}


def test_packed_sizes_are_measured_without_a_ratio(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", hourly(5))
    (document,) = run("rolling", "plan.yaml", "week.jsonl", "--json").lines
    packed = len(gzip.compress(b"xxxxxxxxx\n" * 4, 6))

    assert abs(document["files"][0]["disk_bytes"] - packed) <= 2


def test_people_see_files_and_the_sums_to_decide_by(run: Run) -> None:
    found = run("rolling", "plan.yaml", "week.jsonl", "--appender", "daybook", cwd=DEMO)

    assert found.code == 0
    for words in (
        "rolls every day at 03:00, at 6 KiB; keeps 8 files, 5 days",
        "peak disk",
        "history",
        "at its shortest",
        "bytes a day",
        "busiest hour",
        "files 2026-11-1",
    ):
        assert words in found.out
    listing = run(
        "rolling", "plan.yaml", "week.jsonl", "--appender", "daybook", "--on", "2026-11-11T12:00:00+01:00", cwd=DEMO
    ).out
    assert "daybook-2026-11-09.01.log.gz" in listing
    assert "daybook-2026-11-12" not in listing


def test_busier_traffic_and_added_streams(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN.replace("keep: {files: 3}", "keep: {files: 900}"))
    write("week.jsonl", hourly(48))

    def written(*options: str) -> int:
        (document,) = run("rolling", "plan.yaml", "week.jsonl", "--json", "--ratio", "1", *options).lines
        return sum(one["events"] for one in document["files"])

    assert written() == 48
    assert written("--repeat", "3") == 144
    assert written("--scale", "2") == 96
    assert 90 < written("--scale", "2.5", "--seed", "3") < 150
    assert written("--rate", "ropeway info 1/minute") == 48 + 47 * 60
    assert written("--rate", "ropeway debug 500/second") == 48
    assert written("--rate", "ropeway info 2/hour 1000") == 48 + 94


def test_streams_pack_as_the_recording_does(run: Run, write: Write) -> None:
    """Also where the recording closes no file; where it has no line of the appender's, that is told."""
    write(
        "plan.yaml",
        "vetrina: 1\nloggers: {ropeway: {to: one}, other: {to: two}}\nappenders:\n"
        + "".join(
            f"  {name}: {{sink: file, path: {name}.log, roll: {{at-size: 1 MiB, rename-to: '{name}.{{n}}.log.gz'}}}}\n"
            for name in ("one", "two")
        ),
    )
    write("week.jsonl", hourly(48))

    found = run(
        "rolling",
        "plan.yaml",
        "week.jsonl",
        "--json",
        *(x for n in ("ropeway", "other") for x in ("--rate", f"{n} info 1/second")),
    )

    packed = {one["appender"]: one["files"][0]["disk_bytes"] / one["files"][0]["bytes"] for one in found.lines}
    assert packed["one"] < 0.7
    assert packed["two"] == 1
    assert "no recorded event reaches two: how small its files become is not known" in found.err
    assert "reaches one" not in found.err


def test_redrawn_traffic_comes_as_ranges_that_repeat_with_the_seed(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", hourly(60))

    def outlook(seed: int) -> Any:
        (document,) = run(
            "rolling", "plan.yaml", "week.jsonl", "--json", "--ratio", "1", "--runs", "20", "--seed", str(seed)
        ).lines
        return document["outlook"]

    first = outlook(1)
    assert first == outlook(1) != outlook(2)
    assert first["bytes"]["p5"] < first["bytes"]["p50"] < first["bytes"]["p95"]
    assert first["bytes"]["p5"] < 600 < first["bytes"]["p95"]


def test_advice_is_verified_by_simulating_it(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", hourly(300))
    (document,) = run(
        "rolling", "plan.yaml", "week.jsonl", "--json", "--ratio", "1", "--disk", "2000 B", "--history", "4 days"
    ).lines
    options = [word for edit in document["advice"]["edits"] for word in ("--set", edit.removeprefix("--set ").strip("'"))]
    (applied,) = run("rolling", "plan.yaml", "week.jsonl", "--json", "--ratio", "1", *options).lines

    assert document["advice"]["met"] is True
    assert applied["peak_disk_bytes"] == document["advice"]["peak_disk_bytes"] <= 2000
    (never,) = run(
        "rolling", "plan.yaml", "week.jsonl", "--json", "--ratio", "1", "--disk", "200 B", "--history", "4 days"
    ).lines
    assert never["advice"]["met"] is False
    assert (
        "no limits that were tried meet it"
        in run("rolling", "plan.yaml", "week.jsonl", "--disk", "200 B", "--history", "4 days").out
    )


def test_names_need_no_events(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("rolling", "plan.yaml", "--names")

    assert "before the clock changes" in found.out
    assert found.out.count("old/book-") >= 12
    assert run("rolling", "plan.yaml", "--names", "--json").lines[0]["appender"] == "book"


def test_two_appenders_on_one_path_are_simulated_apart_with_a_warning(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN.replace("{to: book}", "{to: [book, other]}") + "  other: {sink: file, path: ./book.log}\n")
    write("week.jsonl", hourly(2))
    found = run("rolling", "plan.yaml", "week.jsonl", "--json")

    assert [line["appender"] for line in found.lines] == ["book", "other"]
    assert "other and book write to one path" in found.err


def test_pictures_repeat_byte_for_byte(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", hourly(70))
    for name in ("one.svg", "two.svg"):
        assert run("rolling", "plan.yaml", "week.jsonl", "--plot", name).code == 0

    assert (folder / "one.svg").read_bytes() == (folder / "two.svg").read_bytes()


@pytest.mark.parametrize(
    "words, message",
    [
        (["rolling", "plan.yaml"], "which events?"),
        (["rolling", "plan.yaml", "week.jsonl", "--appender", "bok"], 'did you mean "book"'),
        (["rolling", "plan.yaml", "week.jsonl", "--ratio", "-1"], "a ratio is a number"),
        (["rolling", "plan.yaml", "week.jsonl", "--on", "noon"], "is no time"),
        (["rolling", "plan.yaml", "week.jsonl", "--rate", "ropeway info"], "this is no stream"),
        (["rolling", "plan.yaml", "week.jsonl", "--rate", "ropeway inof 5/second"], "the nearest: info"),
        (["rolling", "plan.yaml", "week.jsonl", "--disk", "20"], "has no unit"),
        (["rolling", "plan.yaml", "week.jsonl", "--history", "2 months"], "no fixed length"),
        (["rolling", "plan.yaml", "week.jsonl", "--plot", "x.pdf"], "is no kind of picture"),
        (["rolling", "plan.yaml", "-", "--repeat", "2"], "can be read only once"),
    ],
)
def test_bad_calls(run: Run, write: Write, words: list[str], message: str) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", hourly(2))
    found = run(*words)

    assert (found.code, found.out) == (2, "")
    assert message in found.err


def test_events_in_checks_show_limits_that_never_act(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN.replace("keep: {files: 3}", "keep: {files: 3, age: 2 days}"))
    write("week.jsonl", hourly(60))
    call = ("check", "plan.yaml", "--events", "week.jsonl", "--only", "idle-limit", "--json")
    found = run(*call).json["findings"]
    longer = run(*call, "--set", "appenders.book.roll.keep.age=3 days").json["findings"]

    assert longer == [], "60 hours cannot tell of a limit of 3 days"
    assert [one["message"] for one in found] == ["keep.age of book (2 days) never acts on this traffic"]
