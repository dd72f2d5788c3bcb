"""Many events: one process and two, many loggers, many files, on two kinds of traffic; called by run.py."""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

PROGRAM = Path(sys.executable).with_name("vetrina")
EVENTS = int(os.environ.get("BENCH_MANY", "1000000"))
Row = tuple[str, str, str]
OTHER_PLAN_HEAD = "vetrina: 1\nloggers:\n  root: {level: warn, to: [desk, daybook]}\n"
OTHER_PLAN_TAIL = "appenders:\n  desk: {sink: console, stream: stderr}\n  daybook: {sink: file, path: daybook.log}\n  drive-file: {sink: file, path: drive.log}\n"
STACK = "Boom: no answer\n" + "\n".join(
    f"  at ropeway.gate.scanner.Reader{at}.read (reader{at}.py:{100 + at})" for at in range(24)
)


def other_names() -> list[str]:
    return [f"ropeway.part{at % 24}.unit{at // 24}" for at in range(480)]


def make_other(path: Path, count: int, names: list[str] | None = None) -> None:
    """Write events as most JSON writers leave them: blanks after colons and commas, most of them debug, some with a stack."""
    chance, start, names = random.Random(1), datetime(2026, 11, 9, tzinfo=UTC), names or other_names()
    with path.open("w", encoding="utf-8") as file:
        for number in range(count):
            level = chance.choices(["debug", "info", "warn", "error"], [58, 30, 9, 3])[0]
            row = {"time": (start + timedelta(milliseconds=41 * number)).isoformat(timespec="milliseconds").replace("+00:00", "Z"),
                   "level": level, "logger": names[chance.randrange(len(names))], "message": "badge {badge} read at {gate}",
                   "fields": {"badge": number % 977, "gate": "valley"}}  # fmt: skip
            if level == "error":
                row["error"] = STACK
            file.write(json.dumps(row) + "\n")


def other_plan() -> str:
    named = [f"ropeway.part{at}" for at in range(24)] + [f"ropeway.part{at}.unit3" for at in range(14)]
    entries = "".join(
        f"  {name}: {{level: {'info' if at % 3 else 'debug'}{', to: [drive-file]' if at % 9 == 0 else ''}}}\n"
        for at, name in enumerate(named)
    )
    return OTHER_PLAN_HEAD + entries + OTHER_PLAN_TAIL


def timed(words: list[str], cwd: Path, turns: int = 2) -> float:
    """Return the best time of a call of the program."""
    found = []
    for _ in range(turns):
        start = time.perf_counter()
        subprocess.run([str(PROGRAM), *words], cwd=cwd, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False)
        found.append(time.perf_counter() - start)
    return min(found)


def memory(words: list[str], cwd: Path) -> int:
    """Return the peak memory, in MB, of the largest process of a call."""
    code = "import resource,subprocess,sys;subprocess.run(sys.argv[1:],stdout=subprocess.DEVNULL,stderr=subprocess.DEVNULL);print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    done = subprocess.run(
        [sys.executable, "-c", code, str(PROGRAM), *words], cwd=cwd, capture_output=True, text=True, check=True
    )
    return int(done.stdout) // 1024


def calls(plan: str, events: str) -> dict[str, list[str]]:
    return {
        "routes --counts-only": ["routes", plan, events, "--counts-only", "--json"],
        "routes": ["routes", plan, events, "--json"],
        "whatif": ["whatif", plan, events, "--tune", "ropeway=debug", "--json"],
        "preview --raw": ["preview", plan, events, "--raw", "--appender", "daybook"],
        "rolling": ["rolling", plan, events, "--ratio", "0.1", "--json"],
        "rehearse": ["rehearse", plan, events, "--into", "rehearsed", "--clean", "--limit", "8 GiB", "--json"],
    }


GOALS = {
    "routes --counts-only": "≤ 0.9x and ≤ 0.55x the bare parse's time; ≥ 30x the standard library counting",
    "routes": "≥ 20x the standard library writing files",
    "whatif": "≤ 1.4x the time of routes",
    "preview --raw": "≥ 15x the standard library writing files",
    "rehearse": "≥ 15x the standard library writing files",
}


def two_workers(folder: Path, traffic: str, bare: float, counting: float, writing: float, plan: str, events: str) -> list[Row]:
    """Measure each command with one worker and with two; the baselines are seconds an event."""
    rows: list[Row] = []
    each = 1e6 / EVENTS
    routes = 0.0
    for name, words in calls(plan, events).items():
        one, two = (timed([*words, "--workers", count], folder) for count in ("1", "2"))
        against = [f"{one / two:.2f}x as fast with two (wanted ≥ 1.7x)"]
        base = counting if name == "routes --counts-only" else writing
        if name == "routes --counts-only":
            against.append(f"{one / EVENTS / bare:.2f}x and {two / EVENTS / bare:.2f}x the bare parse")
        routes = two if name == "routes" else routes
        against.append(
            f"{two / routes:.2f}x routes" if name == "whatif" else f"{base * EVENTS / two:.1f}x the standard library"
        )
        goal = f" (wanted {GOALS[name]})" if name in GOALS else ""
        rows.append(
            (
                f"{name}, {traffic}",
                f"{one * each:.2f} µs an event with one worker, {two * each:.2f} with two",
                "; ".join(against) + goal,
            )
        )
    return rows


def ceiling(folder: Path, turns: int = 3) -> Row:
    """Measure what two processes that have nothing to do with each other gain here over one after the other."""
    words = [str(PROGRAM), "routes", "plan.yaml", "much.jsonl", "--json", "--workers", "1"]
    found = []
    for _ in range(turns):
        alone = timed(words[1:], folder, 1)
        start = time.perf_counter()
        both = [subprocess.Popen(words, cwd=folder, stdout=subprocess.DEVNULL) for _ in range(2)]
        for process in both:
            process.wait()
        found.append(2 * alone / (time.perf_counter() - start))
    shown = f"{min(found):.2f} to {max(found):.2f}x as fast as one after the other"
    return ("two calls with one worker each, at the same time", shown, "what these two cores give to anybody")


def reading(folder: Path, plan: str, events: str) -> Row:
    with (folder / "day.log").open("wb") as out:
        words = ["preview", plan, events, "--raw", "--appender", "daybook", "--workers", "2"]
        subprocess.run([str(PROGRAM), *words], cwd=folder, stdout=out, check=False)
    words = ["read", "day.log", "--plan", plan, "--appender", "daybook"]
    lines = (folder / "day.log").read_bytes().count(b"\n")
    one, two = (timed([*words, "--workers", count], folder) for count in ("1", "2"))
    return ("read", f"{lines / one:,.0f} lines a second with one worker, {lines / two:,.0f} with two", f"{one / two:.2f}x as fast with two (wanted ≥ 1.7x)")  # fmt: skip


def many_loggers(folder: Path, count: int = 400_000) -> Row:
    make_other(folder / "few.jsonl", count, [f"a{at % 10}.b{at // 10}" for at in range(100)])
    make_other(folder / "many.jsonl", count, [f"a{at % 10}.b{at // 10 % 1000}.c{at}" for at in range(200_000)])
    few, many = (
        timed(["routes", "plan.yaml", name, "--json", "--workers", "1"], folder) for name in ("few.jsonl", "many.jsonl")
    )
    used = memory(["routes", "plan.yaml", "many.jsonl", "--json", "--workers", "1"], folder)
    return ("200,000 different loggers in one stream", f"{many:.1f} s of {count:,} events, {used} MB", f"{many / few:.2f}x the time of 100 loggers (wanted ≤ 3x, ≤ 200 MB)")  # fmt: skip


def many_files(folder: Path, events: Path, count: int = 1000) -> Row:
    lines = events.read_bytes().splitlines(keepends=True)
    (folder / "archive").mkdir()
    share = -(-len(lines) // count)
    for at in range(count):
        (folder / f"archive/part-{at:04}.jsonl").write_bytes(b"".join(lines[at * share : (at + 1) * share]))
    one, many = (
        timed(["routes", "plan.yaml", name, "--json", "--workers", "1"], folder, 3) for name in (events.name, "archive")
    )
    return ("1,000 files", f"{many:.2f} s of {len(lines):,} events", f"{many / one:.2f}x the time of one file (wanted ≤ 1.1x)")  # fmt: skip


def measure(
    folder: Path,
    make_events: Callable[[Path, int], None],
    baselines: Callable[[Path], tuple[float, float, float]],
) -> list[Row]:
    """Return the rows; ``baselines`` measures a file: bare parse, the standard library counting and writing, each in all."""
    rows: list[Row] = []
    make_events(folder / "much.jsonl", EVENTS)
    sample = 200_000
    for traffic, plan, events, make in (
        ("the benchmark's traffic", "plan.yaml", "much.jsonl", make_events),
        ("other traffic", "other.yaml", "other.jsonl", make_other),
    ):
        if plan == "other.yaml":
            (folder / plan).write_text(other_plan(), encoding="utf-8")
            make(folder / events, EVENTS)
        make(folder / "sample.jsonl", sample)
        bare, counting, writing = (one / sample for one in baselines(folder / "sample.jsonl"))
        rows.append((f"bare parse and standard library, {traffic}", f"{bare * 1e6:.2f}, {counting * 1e6:.2f} (counting) and {writing * 1e6:.2f} (writing files) µs an event", ""))  # fmt: skip
        rows += two_workers(folder, traffic, bare, counting, writing, plan, events)
    rows.append(ceiling(folder))
    rows.append(reading(folder, "plan.yaml", "much.jsonl"))
    words = ["routes", "plan.yaml", "much.jsonl", "--json", "--workers", "2"]
    rows.append(("memory of a worker", f"{memory(words, folder)} MB at {EVENTS:,} events", "flat (wanted ≤ 60 MB)"))
    rows.append(many_loggers(folder))
    rows.append(many_files(folder, folder / "much.jsonl"))
    return rows
