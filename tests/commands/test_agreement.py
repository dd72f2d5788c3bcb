"""Commands that look at the same events say the same of them: the demo's week, under every stage and some changes."""

from __future__ import annotations

import json
from collections import Counter
from typing import Any

import pytest

from support import DEMO, Run

WAYS = [
    pytest.param([], id="as it is"),
    pytest.param(["--stage", "live"], id="live"),
    pytest.param(["--stage", "bench"], id="bench", marks=pytest.mark.long),
    pytest.param(["--tune", "ropeway=trace", "--set", "deliver=once"], id="tuned, once", marks=pytest.mark.long),
    pytest.param(["--set", "appenders[daybook].template='{sequence} {message|mask}{fields|before \" \"}'", "--set", "zone=Asia/Kathmandu"], id="another template and zone"),
    pytest.param(["--set", "rules=[{drop: {any: [{error: true}, {field: {line: upper}}]}}]", "--tune", "root=all"], id="other rules", marks=pytest.mark.long),
]  # fmt: skip


def routes(run: Run, way: list[str], *more: str) -> Any:
    return run("routes", "plan.yaml", "week.jsonl", "--json", *way, *more, cwd=DEMO)


@pytest.mark.parametrize("way", WAYS)
def test_each_event_by_itself_and_all_together(run: Run, way: list[str]) -> None:
    whole, each = routes(run, way).json, routes(run, way, "--each").lines
    counts = {
        number: json.loads(line).get("count") or 1
        for number, line in enumerate((DEMO / "week.jsonl").read_text(encoding="utf-8").splitlines(), start=1)
        if line.startswith("{")
    }
    reached: Counter[str] = Counter()
    stopped: Counter[tuple[str, str]] = Counter()
    early: Counter[str] = Counter()
    for one in each:
        for delivery in one["deliveries"]:
            reached[delivery["appender"]] += counts[one["line"]]
        for stop in one["stops"]:
            stopped[stop["appender"], stop["gate"]] += counts[one["line"]]
        if one["stopped_at"]:
            early[one["stopped_at"]] += counts[one["line"]]

    assert whole["events"] == sum(counts[one["line"]] for one in each)
    assert whole["unrouted"] == sum(counts[one["line"]] for one in each if not one["deliveries"])
    assert {one["appender"]: one["reached"] for one in whole["appenders"] if one["reached"]} == reached
    assert {gate: count for gate, count in whole["stopped"].items() if count} == early
    told = {(one["appender"], gate): count for one in whole["appenders"] for gate, count in one["stopped"].items() if count}
    assert told == stopped
    assert sum(cell["events"] for cell in whole["cells"]) == whole["events"]


@pytest.mark.parametrize("way", WAYS)
def test_files_hold_what_is_routed_to_them(run: Run, way: list[str]) -> None:
    routed = {one["appender"]: one for one in routes(run, way).json["appenders"]}
    for one in run("rolling", "plan.yaml", "week.jsonl", "--json", "--ratio", "0.1", *way, cwd=DEMO).lines:
        files = one["files"]
        kept = sum(file["events"] for file in files)
        emptied = sum(file["lost"] for file in files if file["removed_by"] != "overwritten")

        assert kept + emptied == routed[one["appender"]]["reached"]
        assert files == sorted(files, key=lambda file: str(file["opened"]))
        assert all(file["closed"] is None for file in files[-1:]) or not files or files[-1]["closed"] is not None
        assert one["peak_disk_bytes"] >= max((file["disk_bytes"] for file in files), default=0)


@pytest.mark.parametrize("way", WAYS[1:])
def test_a_change_gives_what_routing_says_of_both_sides(run: Run, way: list[str]) -> None:
    to = [{"--stage": "--to-stage"}.get(word, word) for word in way]
    shifts = run("whatif", "plan.yaml", "week.jsonl", "--json", *to, cwd=DEMO).json["appenders"]
    before, after = ({one["appender"]: one for one in routes(run, side).json["appenders"]} for side in ([], way))
    for one in shifts:
        name = one["appender"]

        assert one["before"] == {"events": before[name]["reached"], "bytes": before[name]["bytes"]}
        assert one["after"] == {"events": after[name]["reached"], "bytes": after[name]["bytes"]}
        assert one["gained"] - one["lost"] == one["after"]["events"] - one["before"]["events"]


@pytest.mark.parametrize("way", WAYS)
def test_why_says_of_single_lines_what_routes_says(run: Run, way: list[str]) -> None:
    each = routes(run, way, "--each").lines
    picked = {(one["logger"], one["level"], one["stopped_at"], len(one["deliveries"])): one for one in each}
    for one in list(picked.values())[::9][:8]:
        found = run("why", "plan.yaml", "--from", f"week.jsonl:{one['line']}", "--json", *way, cwd=DEMO)

        assert found.code == (0 if one["deliveries"] else 1)
        assert [(went["appender"], went["via"]) for went in found.json["deliveries"]] == [
            (went["appender"], went["via"]) for went in one["deliveries"]
        ]


@pytest.mark.parametrize("way", WAYS)
def test_the_plan_written_out_routes_alike(run: Run, way: list[str], folder: Any) -> None:
    whole = run("resolve", "plan.yaml", *way, cwd=DEMO).out
    (folder / "whole.yaml").write_text(whole, encoding="utf-8")
    second = run("routes", "whole.yaml", DEMO / "week.jsonl", "--json").json
    first = routes(run, way).json

    for one in (first, second):
        for appender in one["appenders"]:
            appender.pop("sink")
    assert second == first
