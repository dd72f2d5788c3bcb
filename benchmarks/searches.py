"""Searching a gigabyte of text log and a gigabyte of events, beside `grep -c -F` and beside a full parse; called by run.py."""

from __future__ import annotations

import os
import random
import subprocess
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

from scale import PROGRAM, Row, memory

SIZE = int(os.environ.get("BENCH_FIND", str(1 << 30)))
TEMPLATE = '{time|%Y-%m-%d %H:%M:%S.%3f} {level|upper|pad 5} {logger} {message}{error|before "\\n"}'
_LOGGERS = ("ropeway.gate", "ropeway.gate.scanner", "ropeway.drive.motor", "lib.http")
_MESSAGES = (
    "door of cabin {cabin} did not close", "badge {cabin} read twice", "wind above limit: {cabin} km/h, slowing down",
    "heartbeat of the drive, all values in their bounds", "GET /passes/{cabin} took 12 ms",
)  # fmt: skip
_RARE = "needle-20817"


def _day(*, text: bool) -> list[str]:
    """Return the lines of a day; its date stands as `2026-01-01`."""
    dice, time_, lines = random.Random(1), datetime(2026, 1, 1, tzinfo=UTC), []
    while time_.day == 1:
        level, logger, message, cabin = (
            dice.choice(("debug", "info", "info", "warn")),
            dice.choice(_LOGGERS),
            dice.choice(_MESSAGES),
            dice.randrange(100_000),
        )
        level = "error" if dice.random() < 0.002 else level
        stamp = time_.isoformat(timespec="milliseconds")[:23]
        if text:
            lines.append(f"{stamp.replace('T', ' ')} {level.upper():<5} {logger} {message.replace('{cabin}', str(cabin))}\n")
            if level == "error":
                lines.append("GateError: cabin is stuck\n  in close (gate/door.c:41)\n")
        else:
            lines.append(
                f'{{"time":"{stamp}Z","level":"{level}","logger":"{logger}","message":"{message}","fields":{{"cabin":{cabin},"gate":"gate-2"}},"thread":"worker-3"}}\n'
            )
        time_ += timedelta(milliseconds=dice.randrange(1, 400))
    return lines


def _make(path: Path, *, text: bool) -> None:
    day = "".join(_day(text=text)).encode()
    count = max(2, SIZE // len(day))
    with path.open("wb") as file:
        for at in range(count):
            date = (datetime(2026, 1, 1, tzinfo=UTC) + timedelta(days=at)).date().isoformat().encode()
            data = day.replace(b"slowing down", _RARE.encode(), 1) if at == count // 2 else day
            file.write(data.replace(b"2026-01-01", date))


def _best(work: Callable[[], object], turns: int = 3) -> float:
    found = []
    for _ in range(turns):
        begun = time.perf_counter()
        work()
        found.append(time.perf_counter() - begun)
    return min(found)


def _call(words: list[str], folder: Path) -> Callable[[], object]:
    def call() -> None:
        with (folder / "out").open("wb") as out:
            subprocess.run(words, cwd=folder, stdout=out, stderr=subprocess.DEVNULL, check=False)

    return call


def searches() -> list[Row]:
    """Return the rows of the benchmark."""
    rows: list[Row] = []
    with tempfile.TemporaryDirectory(prefix="vetrina-bench-") as name:
        folder = Path(name)
        _make(folder / "big.log", text=True)
        _make(folder / "big.jsonl", text=False)
        (folder / "none.jsonl").write_text("")
        start = _best(_call([str(PROGRAM), "find", "none.jsonl"], folder))
        for file, more, most in (("big.log", ["--template", TEMPLATE], 3), ("big.jsonl", [], 6)):
            size = (folder / file).stat().st_size / 2**30
            find = [str(PROGRAM), "find", file, *more]
            plain = _best(_call(["grep", "-c", "-F", _RARE, file], folder))
            ours = _best(_call([*find, "--text", _RARE, "--workers", "1"], folder)) - start
            two = _best(_call([*find, "--text", _RARE, "--workers", "2"], folder)) - start
            rows.append((f"find --text of something rare, {size:.2f} GiB of {file}", f"{ours:.2f} s with one worker, {two:.2f} s with two, start-up apart; grep -c -F {plain:.2f} s",
                         f"{ours / plain:.1f}x and {two / plain:.1f}x grep (wanted ≤ {most}x)"))  # fmt: skip
        log = [str(PROGRAM), "find", "big.log", "--template", TEMPLATE]
        days = max(2, SIZE // 80_000_000)
        middle = (datetime(2026, 1, 1, tzinfo=UTC) + timedelta(days=max(1, days // 3))).date().isoformat()
        full = _best(_call([*log, "--level", "error", "--workers", "1"], folder), 1) - start
        full_two = _best(_call([*log, "--level", "error", "--workers", "2"], folder), 1) - start
        since = (
            _best(_call([*log, "--level", "error", "--since", middle, "--until", f"{middle} 00:10", "--workers", "1"], folder))
            - start
        )
        rows.append(
            (
                "find --level error, the whole log parsed",
                f"{full:.1f} s with one worker, {full_two:.1f} s with two",
                f"{full / full_two:.2f}x as fast with two (wanted ≥ 1.7x)",
            )
        )
        rows.append(
            (
                "find --since, --until: ten minutes in the middle of it",
                f"{since:.2f} s",
                f"{since / full:.3f} of parsing all of it",
            )
        )
        part = folder / "part.log"
        with (folder / "big.log").open("rb") as whole:
            part.write_bytes(whole.read(1 << 27).rpartition(b"\n")[0] + b"\n")
        read = _best(_call([str(PROGRAM), "read", "part.log", "--template", TEMPLATE, "--workers", "1"], folder), 2)
        found = _best(_call([str(PROGRAM), "find", "part.log", "--template", TEMPLATE, "--json", "--workers", "1"], folder), 2)
        rows.append(
            (
                "find --json, all of 128 MiB of text",
                f"{found:.1f} s; read {read:.1f} s",
                f"{found / read:.2f}x read (wanted ≤ 1.3x)",
            )
        )
        peaks = [
            memory(["find", "big.log", "--template", TEMPLATE, "--level", "error", "--workers", "1"], folder),
            memory(["find", "big.log", "big.jsonl", "--template", TEMPLATE, "--level", "error"], folder),
        ]
        rows.append(
            ("memory of find", f"{peaks[0]} MB over one file, {peaks[1]} MB over two in the order of time", "(wanted ≤ 150 MB)")
        )
    return rows


if __name__ == "__main__":
    for row in searches():
        print(*row, sep=" | ")
