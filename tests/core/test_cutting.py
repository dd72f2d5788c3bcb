"""Inputs cut into pieces: nothing is lost, nothing comes twice, and every piece begins and ends at a line."""

from __future__ import annotations

import gzip
import os
import time
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vetrina.core.base.faults import Refused
from vetrina.core.base.levels import Scale
from vetrina.formats.inputs import files_named
from vetrina.formats.pieces import Piece, open_range, pieces_of
from vetrina.formats.steady import Standing
from vetrina.work import engines
from vetrina.work.engines import workers_of
from vetrina.work.jobs import CountingJob, numbered


class Here:
    """Does a job in this process."""

    hands = 2

    def run(self, job: CountingJob, pieces: list[Piece]) -> list[object]:
        return [job.opened()(piece) for piece in pieces]


LINES = st.lists(st.sampled_from([b"", b"x", b"a longer line", b"\xff", b"{}"]), max_size=12)


@settings(max_examples=150)
@given(st.lists(st.tuples(LINES, st.booleans(), st.booleans()), min_size=1, max_size=4), st.integers(1, 60))
def test_pieces_are_the_whole(
    tmp_path_factory: pytest.TempPathFactory, contents: list[tuple[list[bytes], bool, bool]], size: int
) -> None:
    folder = tmp_path_factory.mktemp("cut")
    names, whole, lines = list[str](), b"", 0
    for at, (some, ends, packed) in enumerate(contents):
        data = b"\n".join(some) + (b"\n" if ends and some else b"")
        names.append(str(folder / f"{at}.jsonl{'.gz' if packed else ''}"))
        Path(names[-1]).write_bytes(gzip.compress(data) if packed else data)
        whole += data
        lines += data.count(b"\n") + (not data.endswith(b"\n") and bool(data))
    pieces = numbered(Here(), CountingJob(), list(pieces_of(files_named(names), size)))  # type: ignore[arg-type]

    found = b""
    for piece in pieces:
        for one in piece.ranges:
            with open_range(one) as file:
                data = b"".join(iter(lambda file=file: file.read(7), b""))  # type: ignore[misc]
            assert one.begins or found.endswith(b"\n")
            assert one.end in {None, one.whole} or data.endswith(b"\n")
            found += data
    assert found == whole
    if len(pieces) > 1:
        (last,) = Here().run(CountingJob(), pieces[-1:])
        assert pieces[-1].lines + last.lines == lines  # type: ignore[attr-defined]


@pytest.mark.parametrize("size", [1, 73, 150, 1000])
def test_what_stands_before_a_piece(tmp_path: Path, size: int) -> None:
    event = b'{"time":"2026-11-16T05:12:00Z","level":"info","logger":"a","message":"m"}\n'
    contents = {str(tmp_path / "a.jsonl"): event * 3 + b"junk\n\n" + event, str(tmp_path / "b.jsonl"): b"junk\n" + event * 2}
    for name, data in contents.items():
        Path(name).write_bytes(data)
    names = list(contents)
    pieces = numbered(Here(), CountingJob(Scale()), list(pieces_of(files_named(names), size)))  # type: ignore[arg-type]

    assert (len(pieces) > 1) == (size < 1000)
    for piece in pieces:
        first = piece.ranges[0]
        files = b"".join(contents[name] for name in names[: names.index(first.file.path)])
        head = contents[first.file.path][: first.start]
        assert (piece.lines, piece.in_file) == ((files + head).count(b"\n"), head.count(b"\n"))
        assert piece.events == (files + head).count(b"level")


def written_later(path: Path) -> None:
    """Write as many bytes, when the clock of the file system has gone on."""
    time.sleep(0.02)
    path.write_bytes(b"0123456780")


@pytest.mark.parametrize(
    "change, apart, said",
    [
        (lambda path: os.truncate(path, 3), False, "it became shorter"),
        (lambda path: (path.unlink(), path.write_bytes(b"other bytes")), True, "another one took its place"),
        (lambda path: (path.unlink(), path.write_bytes(b"other bytes")), False, ""),
        (lambda path: path.unlink(), True, "it is gone"),
        (lambda path: path.unlink(), False, ""),
        (written_later, False, "it was written anew"),
        (lambda path: path.write_bytes(b"0123456789 and more"), False, "10 to 19"),
        (lambda _path: None, True, ""),
    ],
)
def test_whether_a_file_stays_as_it_is(tmp_path: Path, change: object, apart: bool, said: str) -> None:
    path = tmp_path / "e.jsonl"
    path.write_bytes(b"0123456789")
    keeps_the_inode = path.open("rb")
    standing = Standing(files_named([str(path), "-"]))
    change(path)  # type: ignore[operator]
    try:
        found = "".join(f"{before} to {now}" for _, before, now in standing.grown(apart=apart))
    except Refused as refused:
        found = refused.faults[0].what.removeprefix("the file changed while it was read: ")
    keeps_the_inode.close()
    assert found == said


@pytest.mark.parametrize(
    "text, sizes, cores, hands",
    [
        ("auto", [31 << 20], 8, None),
        ("auto", [33 << 20], 8, 2),
        ("auto", [200 << 20], 8, 8),
        ("auto", [200 << 20], 1, None),
        ("auto", [20 << 20, 20 << 20], 8, 2),
        ("1", [200 << 20], 8, None),
        ("3", [10], 8, 3),
    ],
)
def test_how_many_work(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, text: str, sizes: list[int], cores: int, hands: int | None
) -> None:
    names = [str(tmp_path / f"{at}.jsonl") for at in range(len(sizes))]
    for name, size in zip(names, sizes, strict=True):
        Path(name).touch()
        os.truncate(name, size)
    monkeypatch.setattr(engines, "cores", lambda: cores)
    found = workers_of(text, files_named(names))
    assert (found.hands if found is not None else None) == hands
    assert engines.weight(files_named(names)) == sum(sizes)
