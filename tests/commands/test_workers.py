"""Processes that work pieces: the same answer, and a clear end whatever becomes of them."""

from __future__ import annotations

import gzip
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest
from docs import prepare

from support import PATIENCE, PROGRAM, Run
from vetrina.core.base.faults import Refused
from vetrina.formats.pieces import Piece
from vetrina.work.workers import Workers

Write = Callable[..., Path]
TEXT = '{time} {level} {logger} {message}{error|before "\\n"}'
CALLS = [
    ["routes", "plan.yaml", "week.jsonl", "--also", "more.jsonl.gz", "--json"],
    ["routes", "plan.yaml", "week.jsonl", "--each"],
    ["routes", "plan.yaml", "week.jsonl", "--group-by", "field", "gate", "--fail-on", "lost-errors"],
    ["whatif", "plan.yaml", "week.jsonl", "--tune", "ropeway=debug", "--rate", "ropeway.drive debug 2/hour", "--json"],
    ["rolling", "plan.yaml", "week.jsonl", "--repeat", "3", "--json"],
    ["check", "plan.yaml", "--events", "week.jsonl", "--json"],
    ["preview", "plan.yaml", "week.jsonl", "--raw", "--appender", "daybook"],
    ["preview", "plan.yaml", "week.jsonl", "--json"],
    ["expect", "plan.yaml", "week.jsonl", "--record"],
    ["rehearse", "plan.yaml", "week.jsonl", "--into", "box", "--clean", "--verify", "--json"],
    ["read", "day.log", "--template", TEXT],
    ["read", "fare-old.jsonl", "--plan", "plan.yaml", "--appender", "fare-ledger"],
]


@pytest.fixture(autouse=True)
def room(folder: Path) -> Path:
    """Return a folder with the demo, bad lines among its week, and a packed file."""
    prepare(folder)
    lines = (folder / "week.jsonl").read_bytes().splitlines(keepends=True)
    (folder / "week.jsonl").write_bytes(b"".join([*lines[:900], b"junk\n", *lines[900:], b"{}"]))
    (folder / "more.jsonl.gz").write_bytes(
        gzip.compress(b"".join([*lines[:300], *(folder / "rush.jsonl").read_bytes().splitlines(keepends=True)]))
    )
    plain = [
        line
        for line in (folder / "plan.yaml").read_text().splitlines()
        if not line.startswith(("    limit:", "    recall:", "    queue:"))
    ]
    (folder / "plain.yaml").write_text("\n".join(plain))
    return folder


@pytest.mark.parametrize("words", CALLS, ids=lambda words: " ".join(words[:1] + words[3:4]))
def test_workers_answer_as_one_does(run: Run, folder: Path, words: list[str]) -> None:
    def called(*more: str) -> tuple[int, str, str]:
        found = run(*words, *more)
        return found.code, found.out, found.err

    if words[1] == "day.log":
        (folder / "day.log").write_text(run("preview", "week.jsonl", "--template", TEXT, "--raw").out + "  at the end\n")
    both = words[0] in {"whatif", "rehearse"} or words[-1] == "--each"
    for plan in (
        ("plain.yaml", "plan.yaml") if both else ("plain.yaml",)
    ):  # with what decides in the order of the stream as well
        words[1] = plan if words[1].endswith(".yaml") else words[1]
        alone, several = called("--workers", "1"), called("--workers", "3")
        notes = [
            line for line in several[2].splitlines(keepends=True) if line.startswith("note: limits, recalls and queues decide")
        ]
        assert alone[0] in {0, 1}
        assert len(notes) == (words[1] == "plan.yaml" and words[0] != "expect"), "an option that makes no difference is told"
        assert (*several[:2], several[2].replace("".join(notes), "")) == called() == alone


@pytest.fixture
def long(folder: Path) -> Path:
    """Return events that take some seconds."""
    path = folder / "long.jsonl"
    lines = (folder / "week.jsonl").read_bytes().replace(b"junk\n", b"").removesuffix(b"{}")
    with path.open("wb") as file:
        for _ in range(160):
            file.write(lines)
    return path


def workers_of(process: subprocess.Popen[bytes]) -> list[int]:
    """Return the processes that a call has started, when they are at work."""
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until:
        found = [int(one) for one in Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()]
        if len(found) == 2 and all(Path(f"/proc/{one}/fd/3").exists() for one in found):
            return found
        time.sleep(0.02)
    raise AssertionError


def running(pid: int) -> bool:
    with suppress(OSError):
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    return False


@pytest.mark.parametrize(
    "end, code, words",
    [
        ("worker", 2, "a worker process was killed by SIGKILL before it was through"),
        (signal.SIGINT, 130, "stopped"),
        (signal.SIGTERM, 143, ""),
        (signal.SIGKILL, -9, ""),
    ],
)
def test_an_end_in_the_middle(folder: Path, long: Path, end: object, code: int, words: str) -> None:
    process = subprocess.Popen(
        [PROGRAM, "routes", "plain.yaml", long.name, "--workers", "2", "--json"],
        cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True,
    )  # fmt: skip
    children = workers_of(process)
    if end == "worker":
        os.kill(children[0], signal.SIGKILL)
    elif end == signal.SIGINT:
        os.killpg(process.pid, signal.SIGINT)  # as a terminal does: the workers hear it too
    else:
        process.send_signal(int(str(end)))
    out, err = process.communicate(timeout=PATIENCE)
    assert (process.returncode, out, words in err.decode()) == (code, b"", True)
    until = time.monotonic() + PATIENCE
    while any(map(running, children)) and time.monotonic() < until:
        time.sleep(0.05)
    assert not any(map(running, children))


def test_a_reader_who_goes_ends_all(folder: Path, long: Path) -> None:
    process = subprocess.Popen(
        [PROGRAM, "routes", "plain.yaml", long.name, "--workers", "2", "--each"],
        cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    children = workers_of(process)
    assert process.stdout is not None
    process.stdout.read(1000)
    process.stdout.close()
    assert process.stderr is not None
    with process.stderr as said:
        assert (said.read(), process.wait(PATIENCE)) == (b"", 0)
    assert not any(map(running, children))


def test_a_rehearsal_whose_worker_dies_leaves_whole_lines(folder: Path, long: Path) -> None:
    process = subprocess.Popen(
        [PROGRAM, "rehearse", "plain.yaml", long.name, "--into", "box", "--workers", "2"],
        cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    os.kill(workers_of(process)[1], signal.SIGKILL)
    out, err = process.communicate(timeout=PATIENCE)
    assert (process.returncode, out, err.count(b"fault")) == (2, b"", 1)
    assert all(path.read_bytes()[-1:] in {b"\n", b""} for path in (folder / "box/files").rglob("*.log"))


@pytest.mark.parametrize(
    "change",
    [
        lambda path: os.truncate(path, 1000),
        lambda path: path.rename(path.with_name("old")) and path.write_bytes(b""),
        lambda path: path.unlink(),
    ],
    ids=["shorter", "replaced", "gone"],
)
def test_a_file_that_changes_while_it_is_read(folder: Path, long: Path, change: Callable[[Path], object]) -> None:
    process = subprocess.Popen(
        [PROGRAM, "routes", "plain.yaml", long.name, "--workers", "2", "--json"],
        cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    workers_of(process)
    change(long)
    out, err = process.communicate(timeout=PATIENCE)
    assert (process.returncode, out, err.count(b"fault")) == (2, b"", 1)
    assert b"the file changed while it was read" in err or b"there is no such file" in err


def test_a_file_that_grows_is_told(folder: Path, long: Path) -> None:
    process = subprocess.Popen(
        [PROGRAM, "routes", "plain.yaml", long.name, "--workers", "2", "--json"],
        cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    workers_of(process)
    with long.open("ab") as file:
        file.write(b"{}\n")
    _, err = process.communicate(timeout=PATIENCE)
    assert (process.returncode, "note: long.jsonl grew while it was read" in err.decode()) == (0, True)


class Raising:
    """A job that ends as badly as it is told."""

    def __init__(self, error: type[Exception]) -> None:
        self.error = error

    def opened(self) -> Callable[[object], object]:
        return self.work

    def work(self, _piece: object) -> object:
        raise self.error


@pytest.mark.parametrize(
    "error, raised, said",
    [
        (MemoryError, Refused, "a worker process ran out of memory"),
        (ZeroDivisionError, RuntimeError, "ZeroDivisionError"),
        (SystemExit, Refused, "a worker process ended with 0 before it was through"),
    ],
)
def test_what_a_worker_raises_is_told(
    monkeypatch: pytest.MonkeyPatch, error: type[Exception], raised: type[Exception], said: str
) -> None:
    monkeypatch.setenv(
        "PYTHONPATH", os.pathsep.join([str(Path(__file__).parent), str(Path(__file__).parent.parent), *sys.path])
    )
    children = Path(f"/proc/{os.getpid()}/task/{os.getpid()}/children")
    before = children.read_text()
    with pytest.raises(raised, match=said):
        list(Workers(2).run(Raising(error), [Piece(()), Piece(())]))
    assert children.read_text() == before


@pytest.mark.parametrize(
    "words, said",
    [
        (["routes", "plan.yaml", "week.jsonl", "--workers", "0"], '"0" is no number of workers'),
        (["routes", "plan.yaml", "week.jsonl", "--workers", "many"], '"many" is no number of workers'),
        (["routes", "plan.yaml", "week.jsonl", "--also", "nix.jsonl", "--workers", "2"], "nix.jsonl: fault: there is no such file"),
        (["routes", "plan.yaml", "emptied/", "--workers", "2"], "there are no files of events in this folder"),
        (["routes", "plan.yaml", "nix*.jsonl", "--workers", "2"], "no file's name is like this pattern"),
        (["preview", "plan.yaml", "week.jsonl", "--workers", "2"], "--workers has no effect with a preview for people"),
        (["preview", "plan.yaml", "week.jsonl", "--json", "--first", "3", "--workers", "2"], "--workers has no effect with --first"),
        (["rolling", "plan.yaml", "week.jsonl", "--scale", "2", "--workers", "2"], "--workers has no effect with --scale"),
        (["rehearse", "plan.yaml", "week.jsonl", "--into", "box", "--pace", "9e8", "--workers", "2"], "--workers has no effect with --pace"),
        (["read", "week.jsonl", "--template", "{time|%H:%M} {message}", "--date", "2026-11-01", "--workers", "2"], "these logs are read by one process"),
        (["routes", "plan.yaml", "-", "--workers", "2"], "standard input or a pipe is read by one process"),
        (["check", "plan.yaml", "--workers", "2"], "--workers has no effect without --events"),
        (["expect", "plan.yaml", "cases.yaml", "--workers", "2"], "--workers has no effect with a file of cases"),
        (["routes", "plan.yaml", "week.jsonl", "--cluster", "local:2", "--workers", "2"], "--workers has no effect with --cluster"),
    ],
    ids=lambda one: " ".join(one) if isinstance(one, list) else "",
)  # fmt: skip
def test_calls_that_cannot_be(run: Run, folder: Path, words: list[str], said: str) -> None:
    (folder / "emptied").mkdir()
    found = run(*words)
    assert (found.code, found.out, said in found.err) == (2, "", True), found.err
