"""What changes or writes something does so whatever becomes of its output: the reader leaves, or the disk is full."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from standins import LEVELS, record_of, service_file, standing_in, wait_for
from support import DEMO, PROGRAM

Done = Callable[[Path], bool]


def holds(name: str, text: str) -> Done:
    return lambda folder: text in (folder / name).read_text(encoding="utf-8")


def begins(name: str, data: bytes) -> Done:
    return lambda folder: (folder / name).read_bytes().startswith(data)


APPLY = "apply plan.yaml --tune ropeway.gate=debug --yes"
ACTING = [
    pytest.param(APPLY, holds("plan.yaml", "ropeway.gate: debug"), id="apply"),
    pytest.param("undo plan.yaml", lambda folder: (folder / "plan.yaml").read_bytes() == (DEMO / "plan.yaml").read_bytes(), id="undo"),
    pytest.param("whatif plan.yaml some.jsonl --tune ropeway=debug --note n.md", holds("n.md", "How to put it back"), id="--note"),
    pytest.param("whatif plan.yaml some.jsonl --tune ropeway=debug --page p.html", holds("p.html", "</html>"), id="--page"),
    pytest.param("page plan.yaml some.jsonl --out p.html", holds("p.html", "</html>"), id="--out"),
    pytest.param("check tangled.yaml --sarif s.json --junit j.xml", lambda folder: holds("s.json", '"results"')(folder) and holds("j.xml", "</testsuite")(folder), id="--sarif, --junit"),
    pytest.param("routes plan.yaml some.jsonl --plot r.svg", holds("r.svg", "</svg>"), id="--plot"),
    pytest.param("find some.jsonl --copy c.jsonl", lambda folder: (folder / "c.jsonl").read_bytes() == (folder / "some.jsonl").read_bytes(), id="--copy"),
    pytest.param("survey source --as-events e.jsonl", begins("e.jsonl", b'{"'), id="--as-events"),
    pytest.param("rehearse plan.yaml some.jsonl --into box --verify", lambda folder: bool([*(folder / "box").rglob("daybook.log")]), id="rehearse"),
]  # fmt: skip


def prepare(folder: Path, words: str) -> None:
    for name in ("plan.yaml", "tangled.yaml"):
        shutil.copy(DEMO / name, folder)
    shutil.copytree(DEMO / "source", folder / "source")
    lines = (DEMO / "week.jsonl").read_bytes().splitlines(keepends=True)
    (folder / "some.jsonl").write_bytes(b"".join(line for line in lines if b"ropeway.drive" in line))
    if words.startswith("undo"):
        subprocess.run([PROGRAM, *APPLY.split()], cwd=folder, check=True, capture_output=True)


def left(folder: Path, words: str, lines: int | None) -> tuple[int, int]:
    """Call with one reader of all that is said, who leaves after some lines; return the exit code and the lines read."""
    process = subprocess.Popen(
        [PROGRAM, *words.split()], cwd=folder, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
    )
    assert process.stdout is not None
    read = 0
    while (lines is None or read < lines) and process.stdout.readline():
        read += 1
    process.stdout.close()
    return process.wait(120), read


@pytest.mark.parametrize("words, done", ACTING)
def test_a_reader_who_leaves_ends_nothing_that_changes_something(folder: Path, words: str, done: Done) -> None:
    whole = folder / "whole"
    whole.mkdir()
    prepare(whole, words)
    code, count = left(whole, words, None)
    assert done(whole)
    for lines in {0, 1, count - 1}:
        place = folder / f"after {lines}"
        place.mkdir()
        prepare(place, words)

        assert (left(place, words, lines)[0], done(place)) == (code, True), lines


def test_a_reader_who_leaves_ends_no_change_in_a_service(folder: Path) -> None:
    with standing_in() as standin:
        service = service_file(folder, standin.port, "logs: [{path: app.log, template: '{message}'}]\n")
        (folder / "app.log").write_text("")
        how = "--settle 200ms"
        for words, levels in (
            (f"live {service} --tune lib=off --yes {how}", {**LEVELS, "lib": "off"}),
            (f"live {service} --put-back {how}", LEVELS),
            (f"capture {service} --into C --tune lib=off {how} -- sh -c 'echo>>app.log'".replace("'", ""), LEVELS),
        ):
            assert (left(folder, words, 0)[0], standin.levels) == (0, levels), words
        assert not record_of(folder).exists()
        assert (folder / "C" / "capture.json").exists()


@pytest.mark.parametrize("words, done", ACTING[:3])
def test_a_full_disk_ends_nothing_that_changes_something_and_is_told(folder: Path, words: str, done: Done) -> None:
    prepare(folder, words)
    with Path("/dev/full").open("wb") as full:
        ended = subprocess.run([PROGRAM, *words.split()], cwd=folder, stdout=full, stderr=subprocess.PIPE, check=False)

    assert (ended.returncode, b"the output cannot be written" in ended.stderr, done(folder)) == (2, True, True)


def test_a_reader_who_leaves_ends_what_only_shows(folder: Path) -> None:
    prepare(folder, "")
    endless = subprocess.Popen(
        [PROGRAM, "find", "some.jsonl", "--follow"], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    assert endless.stdout is not None
    endless.stdout.readline()
    endless.stdout.close()

    def ended() -> bool:
        with (folder / "some.jsonl").open("a") as file:
            file.write('{"time": "2026-11-16T05:12:00Z", "level": "info", "logger": "a", "message": "more"}\n')
        return endless.poll() is not None

    wait_for(ended, 120)
    assert endless.returncode == 0
