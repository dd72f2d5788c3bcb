"""Many inputs are one stream: a folder, a pattern, files in order; places name the file."""

from __future__ import annotations

import gzip
import io
import json
import sys
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import pytest
import zstandard
from docs import prepare

from support import Run
from vetrina.commands import progress
from vetrina.formats.events import EventStream
from vetrina.formats.inputs import inputs_of, open_input

Write = Callable[..., Path]
CALLS = [
    ["routes", "plan.yaml", "EVENTS", "--json"],
    ["routes", "plan.yaml", "EVENTS", "--each"],
    ["routes", "plan.yaml", "EVENTS", "--group-by", "field", "gate", "--json"],
    ["preview", "plan.yaml", "EVENTS", "--json"],
    ["rolling", "plan.yaml", "EVENTS", "--ratio", "0.2", "--json"],
    ["whatif", "plan.yaml", "EVENTS", "--tune", "root=info", "--ratio", "0.2", "--json"],
    ["check", "plan.yaml", "--events", "EVENTS", "--json"],
    ["why", "plan.yaml", "--logger", "ropeway.gate", "--level", "debug", "--to", "desk", "--events", "EVENTS", "--json"],
    ["expect", "plan.yaml", "EVENTS", "--record"],
    ["rehearse", "plan.yaml", "EVENTS", "--into", "box", "--clean", "--verify", "--json"],
]


@pytest.fixture(autouse=True)
def parts(folder: Path) -> list[str]:
    """Cut the demo's week into files: plain, packed, one without a line end, one empty; return their names."""
    prepare(folder)
    lines = (folder / "week.jsonl").read_bytes().splitlines(keepends=True)
    (folder / "archive").mkdir()
    cuts = [0, 1, 700, 700, 1500, len(lines)]
    for at, (begun, ended) in enumerate(pairwise(cuts)):
        data, name = b"".join(lines[begun:ended]), f"archive/part-{at}.jsonl"
        if at == 2:
            (folder / name).write_bytes(b"")
        elif at == 3:
            (folder / f"{name}.gz").write_bytes(gzip.compress(data.rstrip(b"\n")))
        elif at == 4:
            (folder / f"{name}.zst").write_bytes(zstandard.ZstdCompressor().compress(b"\xef\xbb\xbf" + data))
        else:
            (folder / name).write_bytes(data.rstrip(b"\n"))
    (folder / "archive/readme.txt").write_text("no events")
    return sorted(f"archive/{one.name}" for one in (folder / "archive").glob("part*"))


@pytest.mark.parametrize("words", CALLS, ids=lambda words: " ".join(words[:1] + words[3:4]))
def test_a_cut_up_week_is_the_week(run: Run, parts: list[str], words: list[str]) -> None:
    def called(first: str, *also: str) -> tuple[int, str, str]:
        more = [word for name in also for word in ("--also", name)]
        found = run(*(first if word == "EVENTS" else word for word in words), *more)
        return found.code, found.out, found.err

    whole = called("week.jsonl")
    assert whole[0] in {0, 1}
    assert called("archive") == called("archive/part*") == called(parts[0], *parts[1:]) == whole


def test_places_name_the_file_and_numbers_go_on(run: Run, folder: Path) -> None:
    with (folder / "archive/part-1.jsonl").open("ab") as file:
        file.write(b"\njunk\n")
    found = run("routes", "plan.yaml", "archive")
    assert (found.code, "archive/part-1.jsonl:700:1: not an event" in found.err) == (1, True)
    strict = run("routes", "plan.yaml", "archive", "--strict")
    assert (strict.code, "archive/part-1.jsonl:700:1: fault" in strict.err) == (2, True)
    numbers = [one["line"] for one in run("preview", "plan.yaml", "archive", "--appender", "daybook", "--json").lines]
    assert numbers == sorted(numbers)
    assert numbers[-1] > 1500
    packed = folder / "archive/part-3.jsonl.gz"
    packed.write_bytes(packed.read_bytes()[:-30])
    broken = run("routes", "plan.yaml", "archive", "--json")
    assert "archive/part-3.jsonl.gz:" in broken.err
    assert "breaks off" in broken.err
    assert broken.json["events"] > 1500, "the files after it are read"


@pytest.mark.parametrize(
    "words, said",
    [
        (["routes", "plan.yaml", "nothing/*"], "no file's name is like this pattern"),
        (["routes", "plan.yaml", "empty"], "there are no files of events in this folder"),
        (["routes", "plan.yaml", "week.jsonl", "--also", "weak.jsonl", "--also", "gone.jsonl"], 'did you mean "week.jsonl"?'),
        (["routes", "plan.yaml", "-", "--also", "-"], "standard input can be read only once"),
        (["routes", "plan.yaml", "week.jsonl", "--also", "archive/readme.txt/x"], "there is no such file"),
        (["check", "plan.yaml", "--also", "week.jsonl"], "--also has no effect without --events"),
        (
            ["why", "plan.yaml", "--logger", "x", "--level", "info", "--also", "week.jsonl"],
            "--also has no effect without --events",
        ),
        (["expect", "plan.yaml", "cases.yaml", "--also", "week.jsonl"], "--also has no effect"),
        (["preview", "plan.yaml", "--also", "week.jsonl"], "--also has no effect"),
    ],
)
def test_what_is_no_input(run: Run, folder: Path, words: list[str], said: str) -> None:
    (folder / "empty").mkdir()
    found = run(*words)

    assert (found.code, found.out) == (2, "")
    assert said in found.err
    assert found.err.count("fault:") == (2 if "gone.jsonl" in words else 1)


def test_standard_input_among_files_and_a_name_with_stars(run: Run, folder: Path) -> None:
    whole = (folder / "week.jsonl").read_bytes()
    lines = whole.splitlines(keepends=True)
    (folder / "a[1]*.jsonl").write_bytes(b"".join(lines[:1000]))
    found = run("whatif", "plan.yaml", "a[1]*.jsonl", "--also", "-", "--tune", "root=info", "--ratio", "1", "--json", stdin=b"".join(lines[1000:]))  # fmt: skip

    assert found.json == json.loads(
        run("whatif", "plan.yaml", "week.jsonl", "--tune", "root=info", "--ratio", "1", "--json").out
    )


def test_a_bar_is_drawn_for_long_work_on_a_terminal_only(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    class Terminal(io.StringIO):
        def isatty(self) -> bool:
            return True

    def said(stderr: io.StringIO, *, prints: bool = False) -> str:
        monkeypatch.setattr(sys, "stderr", stderr)
        inputs = inputs_of(str(folder / "archive"))
        with progress.watched(inputs, prints=prints), open_input(inputs) as file:
            events = list(EventStream(inputs.label).read(file))
        assert len(events) > 1500
        return stderr.getvalue()

    monkeypatch.setenv("COLUMNS", "120")
    assert said(Terminal()) == "", "what is done in two seconds shows none"
    monkeypatch.setattr(progress, "SILENT", -1.0)
    monkeypatch.setattr(progress, "_PAUSE", 0.0)
    shown = said(Terminal())
    assert "reading 5 files" in shown
    assert "events a second" in shown
    assert said(io.StringIO()) == ""
    monkeypatch.setattr(sys, "stdout", Terminal())
    assert said(Terminal(), prints=True) == ""
