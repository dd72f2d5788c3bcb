"""Measure what the README promises, against baselines of the same run: `make bench` writes docs/benchmarks.md.

Ratios matter, not seconds: every figure is the best of a few turns, baselines and Vetrina taking turns.
"""

from __future__ import annotations

import compileall
import json
import logging
import os
import platform
import re
import resource
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import documents
import msgspec
import rush
import scale
import searches
import yaml

from vetrina.core.base.events import Event
from vetrina.core.changes.comparing import compare
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing.counting import Counter
from vetrina.core.routing.router import Router
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.forms import PlainText
from vetrina.formats.events import EventStream
from vetrina.formats.logs import LogReader
from vetrina.formats.plans import read_plan
from vetrina.rehearsal.outlets.outlet import RehearsalSite
from vetrina.rehearsal.rehearsal import Rehearsal
from vetrina.rehearsal.sandbox import Sandbox

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "src" / "vetrina" / "demo"
PROGRAM = Path(sys.executable).with_name("vetrina")
EVENTS = int(os.environ.get("BENCH_EVENTS", "200000"))
TURNS = 3
PLAN = """vetrina: 1
loggers:
  root: {level: warn, to: [desk, daybook]}
  ropeway: info
  ropeway.drive: {level: debug, to: [drive-file]}
  lib: {level: error}
appenders:
  desk: {sink: console, stream: stderr}
  daybook: {sink: file, path: daybook.log}
  drive-file: {sink: file, path: drive.log}
"""
LOGGERS = ["ropeway.gate.scanner", "ropeway.drive.brake", "ropeway.wind.mast3", "ropeway.fare.pass", "lib.pool", "lib.http"]
LEVELS = ["debug", "info", "info", "warn", "error"]
NUMBERS = {"debug": 10, "info": 20, "warn": 30, "error": 40}


def make_events(path: Path, count: int) -> None:
    start = datetime(2026, 11, 9, tzinfo=UTC)
    with path.open("w", encoding="utf-8") as file:
        for number in range(count):
            stamp = (start + timedelta(milliseconds=37 * number)).isoformat(timespec="milliseconds").replace("+00:00", "Z")
            row = {"time": stamp, "level": LEVELS[number * 7 % 5], "logger": LOGGERS[number % 6], "message": "badge {badge} read at {gate}",
                   "fields": {"badge": 10_000 + number % 977, "gate": "valley"}, "thread": "scan-1"}  # fmt: skip
            file.write(json.dumps(row, separators=(",", ":")) + "\n")


def best(work: Callable[[], Any], turns: int = TURNS) -> float:
    found = []
    for _ in range(turns):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def versus(ours: Callable[[], Any], theirs: Callable[[], Any], turns: int = TURNS) -> tuple[float, float]:
    """Return the best of a few turns of each, taken in turn: both see the same machine."""
    found = [(best(ours, 1), best(theirs, 1)) for _ in range(turns)]
    return min(one for one, _ in found), min(other for _, other in found)


class Counting(logging.Handler):
    """Counts and throws away."""

    count = 0

    def emit(self, record: logging.LogRecord) -> None:
        del record
        self.count += 1


class Formatting(logging.Handler):
    """Formats and throws away."""

    def emit(self, record: logging.LogRecord) -> None:
        self.format(record)


def standard_library(path: Path, make: Callable[[str], logging.Handler]) -> None:
    manager = logging.Manager(logging.RootLogger(logging.WARNING))
    manager.loggerClass = logging.Logger
    names = {"ropeway": 20, "ropeway.drive": 10, "lib": 40}
    for name, level in names.items():
        manager.getLogger(name).setLevel(level)
    style = logging.Formatter("%(asctime)s %(levelname)-5s %(name)s %(message)s")
    for logger, handler in (
        (manager.root, make("desk")),
        (manager.root, make("daybook")),
        (manager.getLogger("ropeway.drive"), make("drive")),
    ):
        handler.setFormatter(style)
        logger.addHandler(handler)
    with path.open(encoding="utf-8") as file:
        for line in file:
            row = json.loads(line)
            fields = row.get("fields") or {}
            message = row["message"].replace("{badge}", "%(badge)s").replace("{gate}", "%(gate)s")
            manager.getLogger(row["logger"]).log(NUMBERS[row["level"]], message, fields)


def stdlib_writing(path: Path, folder: Path) -> None:
    standard_library(path, lambda name: logging.FileHandler(folder / f"{name}.log", mode="w", delay=True))


def bare_parse(path: Path) -> None:
    decode = msgspec.json.Decoder(Event).decode
    with path.open("rb") as file:
        for line in file:
            decode(line)


def baselines(path: Path, folder: Path) -> tuple[float, float, float]:
    """Return the time of a bare parse of a file, and of the standard library counting and writing files."""
    return (
        best(lambda: bare_parse(path)),
        best(lambda: standard_library(path, lambda _name: Counting()), 1),
        best(lambda: stdlib_writing(path, folder), 1),
    )


def counted(path: Path, *, with_bytes: bool) -> None:
    plan = read_plan(path.parent / "plan.yaml")
    counter = Counter(Router(plan), with_bytes=with_bytes)
    stream = EventStream(str(path), scale=plan.scale)
    with path.open("rb") as file:
        stream.send(file, counter)
    counter.result()


def rendered_and_read(events: Path, folder: Path) -> list[tuple[str, str, str]]:
    decode = msgspec.json.Decoder(Event).decode
    parsed = [decode(line) for line in events.read_bytes().splitlines()]
    text = text_template("{time|%Y-%m-%d %H:%M:%S.%3f} {level|upper|pad 5} [{thread|or -}] {logger} {message}", Setting())
    render = text.compile("\n")
    manager = logging.Manager(logging.RootLogger(logging.DEBUG))
    formatting = Formatting()
    formatting.setFormatter(logging.Formatter("%(asctime)s %(levelname)-5s [%(threadName)s] %(name)s %(message)s"))
    manager.root.addHandler(formatting)
    clock = time.perf_counter
    ours = theirs = 0.0
    raw = events.read_bytes().splitlines()
    for begun in range(
        0, len(raw), 50
    ):  # a few just decoded ones at a time, as they come in: both in turn, on the same machine
        block = [decode(line) for line in raw[begun : begun + 50]]
        records = [
            (
                event.logger,
                NUMBERS[str(event.level)],
                event.message.replace("{badge}", "%(badge)s").replace("{gate}", "%(gate)s"),
                event.fields,
            )
            for event in block
        ]
        start = clock()
        for number, event in enumerate(block):
            render(event, number)
        between = clock()
        for name, level, message, fields in records:
            manager.getLogger(name).log(level, message, fields)
        ours, theirs = ours + between - start, theirs + clock() - between
    log = folder / "app.log"
    log.write_text("".join(render(event, 1) for event in parsed), encoding="utf-8")
    lines = log.read_text(encoding="utf-8").splitlines()
    match = re.compile(r"(\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d{3}) (\S+) +\[([^\]]*)\] (\S+) (.*)").fullmatch

    def read_back() -> None:
        with log.open("rb") as file:
            for _ in LogReader(PlainText("text", text.setting, None, (text,))).read(file, "app.log"):
                pass

    reading, bare = versus(read_back, lambda: [match(line) for line in lines])
    each = 1e6 / len(parsed)
    return [
        (
            "rendering to text",
            f"{ours * each:.2f} µs an event",
            f"{theirs / ours:.1f}x the standard library's own logging formatting them (wanted ≥ 10x)",
        ),
        (
            "reading a text log back",
            f"{len(lines) / reading:,.0f} lines a second",
            f"{bare / reading:.2f}x the speed of one bare compiled expression (wanted ≥ 300,000 lines a second, or 0.5x)",
        ),
    ]


def rehearsed_and_changed(events: Path, folder: Path) -> list[tuple[str, str, str]]:
    (folder / "files.yaml").write_text(
        PLAN.replace("{sink: console, stream: stderr}", "{sink: file, path: desk.log}"), encoding="utf-8"
    )
    plan = read_plan(folder / "files.yaml")

    def rehearsing() -> None:
        target = folder / "rehearsed"
        shutil.rmtree(target, ignore_errors=True)
        target.mkdir()
        box = Sandbox(target, most_bytes=1 << 40, most_files=1000)
        rehearsal = Rehearsal(Router(plan), RehearsalSite(plan, "/", box))
        with events.open("rb") as file:
            EventStream(str(events), scale=plan.scale).send(file, rehearsal)
        rehearsal.finish()

    before = read_plan(folder / "plan.yaml")
    after = read_plan(folder / "plan.yaml", tunes=["ropeway.gate=debug"])

    def changing() -> None:
        comparison = Comparison(Router(before), Router(after))
        with events.open("rb") as file:
            EventStream(str(events), scale=before.scale).send(file, comparison)
        comparison.result()

    writing, stdlib_files = versus(rehearsing, lambda: stdlib_writing(events, folder))
    whatif, routes = versus(changing, lambda: counted(events, with_bytes=True))
    each = 1e6 / EVENTS
    text = big_plan(folder / "first.yaml")
    (folder / "second.yaml").write_text(
        text.replace("l5.m5.c505:\n    level: debug", "l5.m5.c505:\n    level: warn"), encoding="utf-8"
    )
    first, second = read_plan(folder / "first.yaml"), read_plan(folder / "second.yaml")
    comparing = best(lambda: compare(first, second), 1)
    return [
        (
            "rehearse to files",
            f"{writing * each:.2f} µs an event",
            f"{stdlib_files / writing:.1f}x the standard library writing files (wanted ≥ 15x with two workers)",
        ),
        ("whatif", f"{whatif * each:.2f} µs an event", f"{whatif / routes:.2f}x the time of routes with bytes (wanted ≤ 1.4x)"),
        ("compare on 10,000 loggers and 100 appenders", f"{comparing:.1f} s", ""),
    ]


def rolled(events: Path, folder: Path) -> list[tuple[str, str, str]]:
    (folder / "rolling.yaml").write_text(
        "vetrina: 1\nloggers: {root: {level: all, to: a}}\nappenders:\n  a: {sink: file, path: a.log, roll: {every: hour, at-size: 2 KiB, rename-to: 'a-{period|%Y-%m-%d-%H}.{n}.log.gz', keep: {files: 100}}}\n",
        encoding="utf-8",
    )
    plan = read_plan(folder / "rolling.yaml")
    render = plan.appenders["a"].template.compile("\n")

    def rendering() -> None:
        stream = EventStream(str(events), scale=plan.scale)
        with events.open("rb") as file:
            for number, event in enumerate(stream.read(file)):
                render(event, number)

    files = 0

    def simulating() -> None:
        nonlocal files
        stream, rolling = EventStream(str(events), scale=plan.scale), Rolling(Router(plan), ratio=0.1)
        with events.open("rb") as file:
            rolling.feed(stream.read(file))
        rolling.finish()
        files = len(rolling.lanes["a"].simulation.files)

    ours, base = versus(simulating, rendering)
    return [
        (
            "rolling, with --ratio",
            f"{ours * 1e6 / EVENTS:.2f} µs an event, {files:,} files",
            f"{ours / base:.2f}x the time of rendering alone (wanted ≤ 1.3x)",
        )
    ]


def big_plan(path: Path) -> str:
    lines = ["vetrina: 1", "loggers:", "  root: {level: warn, to: [a0]}"]
    for number in range(10_000):
        lines += [f"  l{number % 100}.m{number // 100}.c{number}:", "    level: debug", f"    to: [a{number % 100}, {{appender: a{(number + 1) % 100}, floor: error}}]", "    climb: false"]  # fmt: skip
    lines += ["appenders:", *(f"  a{number}: {{sink: file, path: /x/{number}.log}}" for number in range(100))]
    path.write_text("\n".join(lines), encoding="utf-8")
    return path.read_text(encoding="utf-8")


def call(*words: str, cwd: Path) -> Callable[[], Any]:
    return lambda: subprocess.run([*words], cwd=cwd, stdout=subprocess.DEVNULL, check=True)


def memory_of(words: list[str], cwd: Path) -> float:
    code = "import resource,subprocess,sys;subprocess.run(sys.argv[1:],stdout=subprocess.DEVNULL);print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    done = subprocess.run([sys.executable, "-c", code, *words], cwd=cwd, capture_output=True, text=True, check=True)
    return int(done.stdout) / 1024


def measure(folder: Path) -> list[tuple[str, str, str]]:
    events = folder / "events.jsonl"
    make_events(events, EVENTS)
    (folder / "plan.yaml").write_text(PLAN, encoding="utf-8")
    rows: list[tuple[str, str, str]] = []
    counts, bare = versus(lambda: counted(events, with_bytes=False), lambda: bare_parse(events))
    counts_again, stdlib_counts = versus(
        lambda: counted(events, with_bytes=False), lambda: standard_library(events, lambda _name: Counting()), 2
    )
    counts = min(counts, counts_again)
    sizes, stdlib_files = versus(
        lambda: counted(events, with_bytes=True),
        lambda: stdlib_writing(events, folder),
        2,
    )
    each = 1e6 / EVENTS
    rows += [
        ("bare msgspec parse", f"{bare * each:.2f} µs an event", ""),
        ("standard library: parse, log, count", f"{stdlib_counts * each:.2f} µs an event", ""),
        ("standard library: parse, log, write files", f"{stdlib_files * each:.2f} µs an event", ""),
        ("routes, counts", f"{counts * each:.2f} µs an event", f"{stdlib_counts / counts:.1f}x the standard library (wanted ≥ 30x with two workers), {counts / bare:.2f}x the bare parse's time (wanted ≤ 0.9x)"),
        ("routes, with bytes", f"{sizes * each:.2f} µs an event", f"{stdlib_files / sizes:.1f}x the standard library writing files (wanted ≥ 20x with two workers)"),
    ]  # fmt: skip
    rows += scale.measure(folder, make_events, lambda path: baselines(path, folder))
    rows += rehearsed_and_changed(events, folder)
    rows += rendered_and_read(events, folder)
    rows += rolled(events, folder)
    rows += rush.measure(folder, events, PLAN)
    text = big_plan(folder / "big.yaml")
    compose = best(lambda: yaml.compose(text, Loader=yaml.CSafeLoader))
    reading = best(lambda: read_plan(folder / "big.yaml"))
    rows.append(
        (
            "a plan of 10,000 loggers and 100 appenders, read and resolved",
            f"{reading:.2f} s",
            f"{reading / compose:.2f}x the bare YAML compose (wanted ≤ 2x)",
        )
    )
    rows += documents.measure(folder)
    rules = "".join(f"  - drop: {{logger: l{one % 100}.m{one}, level: ..info, field: {{x: {one}}}}}\n" for one in range(1000))
    (folder / "ruled.yaml").write_text(f"{text}\nrules:\n{rules}", encoding="utf-8")
    checking = best(
        lambda: subprocess.run([PROGRAM, "check", "ruled.yaml", "--json"], cwd=folder, stdout=subprocess.DEVNULL, check=False),
        1,
    )
    rows.append(
        ("check on 10,000 loggers, 100 appenders and 1,000 rules", f"{checking:.1f} s", "(wanted ≤ 2x the time of compare)")
    )
    for number in range(3):
        entries = "".join(
            f"  l{one % 100}.m{one // 100}.c{one}: {{level: {'info' if number else 'warn'}, note: layer {number}}}\n"
            for one in range(10_000)
        )
        (folder / f"layer{number}.yaml").write_text("loggers:\n" + entries, encoding="utf-8")
    layers = [folder / f"layer{number}.yaml" for number in range(3)]
    composing = best(
        lambda: [yaml.compose(path.read_text(), Loader=yaml.CSafeLoader) for path in [folder / "big.yaml", *layers]]
    )
    layering = best(lambda: read_plan(folder / "big.yaml", layers=layers))
    rows.append(
        (
            "the same with three layers of 10,000 loggers",
            f"{layering:.2f} s",
            f"{layering / composing:.2f}x the bare YAML compose of the same bytes (wanted ≤ 5x)",
        )
    )
    compileall.compile_dir(ROOT / "src", quiet=2)  # as an installed program is
    python = best(call(sys.executable, "-c", "pass", cwd=folder), 10)
    helped = best(call(str(PROGRAM), "--help", cwd=folder), 10)
    levels = best(call(str(PROGRAM), "levels", str(DEMO / "plan.yaml"), cwd=folder), 10)
    rows.append(
        ("vetrina --help", f"{helped * 1000:.0f} ms", f"{helped / python:.1f}x the start of a bare Python (wanted ≤ 2.5x)")
    )
    rows.append(
        (
            "vetrina levels on the demo",
            f"{levels * 1000:.0f} ms",
            f"{levels / python:.1f}x the start of a bare Python (wanted ≤ 8x)",
        )
    )
    ten = folder / "ten.jsonl"
    ten.write_bytes(events.read_bytes() * max(1, 2_000_000 // EVENTS))
    small = memory_of([str(PROGRAM), "routes", "plan.yaml", "events.jsonl", "--json"], folder)
    large = memory_of([str(PROGRAM), "routes", "plan.yaml", "ten.jsonl", "--json"], folder)
    rows.append(
        ("memory of routes", f"{small:.0f} MB at {EVENTS:,} events, {large:.0f} MB at 2,000,000", "flat (wanted ≤ 150 MB)")
    )
    return rows + searches.searches()


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        rows = measure(Path(name))
    machine = f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}, {datetime.now(tz=UTC).date().isoformat()}"
    lines = [
        "# Benchmarks",
        "",
        f"Made by `make bench` on {machine}. Baselines and Vetrina are measured in one run; only the ratios travel.",
        "",
        "| what | measured | against |",
        "|---|---|---|",
        *(f"| {what} | {found} | {ratio} |" for what, found, ratio in rows),
        "",
    ]
    (ROOT / "docs" / "benchmarks.md").write_text("\n".join(lines), encoding="utf-8")
    print("\n".join(lines))
    print(f"peak memory of this run: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024} MB")


if __name__ == "__main__":
    main()
