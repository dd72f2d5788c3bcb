"""Sections of logs: just the bytes that came, through rolls of every kind, whatever is looked at in between."""

from __future__ import annotations

import bz2
import gzip
import lzma
import random
import shutil
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import msgspec
import pytest
import zstandard

from vetrina.core.base.events import Event
from vetrina.core.routing.router import Router
from vetrina.formats.plans import read_plan
from vetrina.rehearsal.outlets.outlet import RehearsalSite
from vetrina.rehearsal.rehearsal import Rehearsal
from vetrina.rehearsal.sandbox import Sandbox
from vetrina.running.copies import Section
from vetrina.running.families import Family
from vetrina.running.joining import joined
from vetrina.running.sections import Follower

PACKERS: dict[str, Callable[[bytes], bytes]] = {
    ".gz": gzip.compress, ".zst": zstandard.compress, ".xz": lzma.compress, ".bz2": bz2.compress,
}  # fmt: skip
HEADING = b"at,mast,gust\n"


class Writer:
    """Writes a log and rolls it, in one of many notations; ``written`` is what came since `begin`."""

    def __init__(self, folder: Path, kind: str, chance: random.Random) -> None:
        self.folder, self.chance = folder, chance
        self.kind, _, ending = kind.partition(".")
        self.ending = f".{ending}" if ending else ""
        self.path = folder / "app.log"
        self.written = bytearray()
        self.heading = HEADING if chance.random() < 0.4 else b""
        self.count = self.number = 0

    def write(self) -> None:
        lines = b""
        for _ in range(self.chance.randrange(self.kind == "later", 12)):  # a heading alone tells a file from others too little
            self.count += 1
            lines += f"{self.count:06} {'x' * self.chance.randrange(90)}\n".encode()
        with self.path.open("ab") as file:
            data = (b"" if file.tell() else self.heading) + lines
            file.write(data)
        self.written += data

    def roll(self) -> None:
        if not self.path.exists():
            return
        first = self.folder / f"app.log.1{self.ending}"
        if self.kind == "highest":
            self.number += 1
            self._move(self.path, self.folder / f"app.log.{self.number}{self.ending}")
        elif self.kind == "first":
            self._up(self.ending)
            self._move(self.path, first)
        elif self.kind == "copied":
            self._up("")
            shutil.copyfile(self.path, first)
            self.path.write_bytes(b"")
        else:  # packed one roll later
            self._up(self.ending, since=2)
            if (self.folder / "app.log.1").exists():
                self._move(self.folder / "app.log.1", self.folder / f"app.log.2{self.ending}")
            self.path.rename(self.folder / "app.log.1")

    def _up(self, ending: str, since: int = 1) -> None:
        numbers = [int(one.name.split(".")[2]) for one in self.folder.glob(f"app.log.[0-9]*{ending}")]
        for number in sorted((one for one in numbers if one >= since), reverse=True):
            (self.folder / f"app.log.{number}{ending}").rename(self.folder / f"app.log.{number + 1}{ending}")

    def _move(self, source: Path, target: Path) -> None:
        if not target.name.endswith(tuple(PACKERS)):
            source.rename(target)
            return
        data = PACKERS[target.suffix](source.read_bytes())
        with target.open("wb") as file:
            file.write(data[: len(data) // 2])
            file.flush()
            time.sleep(0.002 * self.chance.random())
            file.write(data[len(data) // 2 :])
        source.unlink()


def looked_at(follower: Follower, chance: random.Random) -> Follower:
    """Return what follows a log on: looked at now and then, or cut off and gone on with from what it had kept."""
    if chance.random() < 0.3:
        follower.poll()
    if chance.random() > 0.2:
        return follower
    state = msgspec.json.decode(msgspec.json.encode(follower.section), type=Section)
    follower.close()
    again = Follower(follower.family, state, follower.folder)
    again.resume()
    return again


KINDS = [
    "first",
    "highest",
    "first.gz",
    "highest.gz",
    "first.zst",
    "highest.zst",
    "first.xz",
    "highest.bz2",
    "copied",
    "later.gz",
    "later.bz2",
]


@pytest.mark.parametrize("seed", [0, *(pytest.param(one, marks=pytest.mark.long) for one in range(1, 6))])
@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("live", [False, True], ids=["looked at now and then", "followed meanwhile"])
def test_sections_are_exact_through_rolls(folder: Path, kind: str, seed: int, *, live: bool) -> None:
    chance = random.Random(f"{kind} {seed} {live}")
    writer, parts = Writer(folder, kind, chance), folder / "parts"
    parts.mkdir()
    for _ in range(chance.randrange(4)):
        writer.write()
        if chance.random() < 0.6:
            writer.roll()
    writer.written.clear()
    follower = Follower(Family(str(writer.path)), Section("app", str(writer.path)), parts)
    follower.begin()
    ended = threading.Event()

    def follow() -> None:
        while not ended.wait(0.004 * chance.random()):
            follower.poll()

    thread = threading.Thread(target=follow)
    if live:
        thread.start()
    for _ in range(chance.randrange(3, 14)):
        writer.write()
        if chance.random() < 0.6:
            writer.roll()
        follower = follower if live else looked_at(follower, chance)
    ended.set()
    if live:
        thread.join()
    follower.finish()
    joined(follower.section, parts, folder / "got")

    assert (folder / "got").read_bytes() == bytes(writer.written)
    assert follower.section.lost == []


ROLLS = [
    "{at-size: 300 B, rename-to: 'logs/b.{n}.log'}",
    "{at-size: 300 B, rename-to: 'logs/b.{n}.log', newest: first}",
    "{at-size: 300 B, rename-to: 'old/b-{period|%Y-%m-%d}.{n|zeros 2}.log.gz', every: day}",
    "{at-size: 300 B, rename-to: 'old/b.{n}.zst', newest: first}",
    "{every: minute, rename-to: 'old/{period|%Y-%m-%d_%H%M}.log.xz'}",
    "{at-size: 300 B}",
]


@pytest.mark.parametrize("roll", ROLLS)
@pytest.mark.parametrize("seed", [0, *(pytest.param(one, marks=pytest.mark.long) for one in range(1, 4))])
def test_an_appenders_files_by_its_own_names(folder: Path, roll: str, seed: int) -> None:
    chance = random.Random(seed)
    path = "logs/b.log" if "rename-to" in roll else "logs/b.{n}.log"
    (folder / "plan.yaml").write_text(
        f"vetrina: 1\nloggers: {{root: {{level: all, to: b}}}}\nappenders:\n  b: {{sink: file, path: '{path}', template: '{{message}}', roll: {roll}}}\n"
    )
    plan = read_plan(folder / "plan.yaml")
    rehearsal = Rehearsal(Router(plan), RehearsalSite(plan, "/", Sandbox(folder, most_bytes=1 << 30, most_files=1000)))
    files, appender = folder / "files", plan.appenders["b"]
    now, number, written = datetime(2026, 11, 13, 23, 50, tzinfo=UTC), 0, b""

    def write() -> bytes:
        nonlocal now, number
        data = b""
        for _ in range(chance.randrange(12)):
            now, number = now + timedelta(seconds=chance.randrange(50)), number + 1
            text = f"{number:05} " + "x" * chance.randrange(60)
            rehearsal.take(Event(now, "info", "a", text))
            data += text.encode() + b"\n"
        rehearsal.write_out()
        return data

    for _ in range(chance.randrange(4)):
        write()
    parts = folder / "parts"
    parts.mkdir()
    open_path = str(files) + "/" + path
    follower = Follower(Family(open_path, appender.roll, str(files), plan.zone), Section("b", open_path), parts)
    follower.begin()
    for _ in range(12):
        written += write()
        if chance.random() < 0.5:
            follower.poll()
    rehearsal.finish()
    follower.finish()
    joined(follower.section, parts, folder / "got")

    assert (folder / "got").read_bytes() == written
    assert follower.section.lost == []


def followed(folder: Path, old: bytes) -> tuple[Path, Follower]:
    """A log that holds something already, and is followed from now on."""
    log, parts = folder / "app.log", folder / "parts"
    parts.mkdir()
    log.write_bytes(old)
    follower = Follower(Family(str(log)), Section("app", str(log)), parts)
    follower.begin()
    return log, follower


def got(follower: Follower, folder: Path) -> bytes:
    follower.finish()
    joined(follower.section, folder / "parts", folder / "got")
    return (folder / "got").read_bytes()


def test_copies_that_somebody_makes_beside_a_log_are_not_counted(folder: Path) -> None:
    log, follower = followed(folder, b"old line\n" * 100)
    with log.open("ab") as file:
        file.write(b"new line\n" * 100)
    shutil.copyfile(log, folder / "app.log.bak")
    follower.poll()
    (folder / "app.log.gz").write_bytes(gzip.compress(log.read_bytes()))
    with log.open("ab") as file:
        file.write(b"last line\n")

    assert got(follower, folder) == b"new line\n" * 100 + b"last line\n"


def test_a_rolled_file_that_is_still_written_to_and_one_that_vanishes(folder: Path) -> None:
    log, follower = followed(folder, b"old\n")
    with log.open("ab") as held:
        log.rename(folder / "app.log.1")
        log.write_bytes(b"of the new file\n")
        follower.poll()
        held.write(b"late, into the old one\n")
        held.flush()
        follower.poll()
        (folder / "app.log.1").unlink()
        held.write(b"and after its end\n")

    assert got(follower, folder) == b"late, into the old one\nand after its end\nof the new file\n"


def test_what_was_emptied_without_a_copy_is_told(folder: Path) -> None:
    log, follower = followed(folder, b"old\n")
    with log.open("ab") as file:
        file.write(b"one\n")
    follower.poll()
    log.write_bytes(b"2\n")

    assert got(follower, folder) == b"one\n2\n"
    assert len(follower.section.lost) == 1
