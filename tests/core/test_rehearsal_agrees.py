"""Rehearsal and simulation agree byte for byte: on random policies, buffers, templates and streams. And a buffer's table."""

from __future__ import annotations

import io
import json
import tempfile
from datetime import UTC, datetime, timedelta, timezone
from pathlib import Path
from typing import Any
from unittest import mock

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import in_force
from vetrina.core.base.events import Event
from vetrina.core.base.origins import DEFAULT
from vetrina.core.plan.model import Buffer
from vetrina.core.routing.router import Router
from vetrina.core.rush.buffers import Waiting
from vetrina.formats.events import EventStream
from vetrina.rehearsal.outlets import kinds
from vetrina.rehearsal.outlets.outlet import RehearsalSite
from vetrina.rehearsal.packing import pack, unpacked
from vetrina.rehearsal.rehearsal import Rehearsal
from vetrina.rehearsal.sandbox import LONGEST_PART, Sandbox, rerooted
from vetrina.rehearsal.verifying import differences

START = datetime(2026, 10, 24, 21, 30, tzinfo=UTC)  # the clock goes back that night in Rome


@st.composite
def rolls(draw: st.DrawFn, name: str) -> dict[str, Any]:
    """Return a file's path and policy: every way to roll, to name and to remove."""
    every = draw(st.sampled_from([None, "minute", "2 hours", "day"]))
    size = draw(st.sampled_from([None, "40 B", "200 B"]))
    start = draw(st.booleans())
    ending = draw(st.sampled_from(["", ".gz", ".zst", ".xz", ".bz2"]))
    period = "-{period|%Y%m%d%H%M}" if every and draw(st.booleans()) else ""
    roll: dict[str, Any] = {}
    if every:
        roll["every"] = every
    if size:
        roll |= {"at-size": size, "size-check": draw(st.sampled_from(["before", "after"]))}
    if start:
        roll["each-start"] = True
    if not roll:
        return {"path": f"/x/{name}.log", "append": draw(st.booleans())}
    keep = draw(
        st.fixed_dictionaries(
            {},
            optional={
                "files": st.integers(1, 3),
                "age": st.sampled_from(["1 minutes", "3 hours"]),
                "disk": st.sampled_from(["60 B", "300 B"]),
            },
        )
    )
    if keep:
        roll["keep"] = keep
    if draw(st.booleans()):
        return {"path": f"/x/{name}{period}.{{n}}.log", "roll": roll}
    number = ".{n}" if draw(st.booleans()) else ""
    return {
        "path": f"/x/{name}.log",
        "roll": {
            **roll,
            "rename-to": f"/x/old/{name}{period}{number}.log{ending}",
            "newest": draw(st.sampled_from(["highest", "first"])),
        },
    }


LATE = st.sampled_from(
    [
        {},
        {},
        {"limit": {"events": 2, "per": "1 minute", "same": ["text"]}},
        {"recall": {"events": 2, "below": "error", "at": "error", "same": ["thread"]}},
        {"recall": {"events": 3, "below": "warn", "at": "error"}, "queue": {"events": 2, "drains": "1/minute", "full": "drop"}},
        {"queue": {"events": 1, "drains": "1/hour", "full": "drop-below error"}},
    ]
)


@st.composite
def documents(draw: st.DrawFn) -> str:
    names = ["one", "two", "three"]
    appenders = {}
    for name in names:
        more = draw(
            st.fixed_dictionaries(
                {},
                optional={
                    "buffer": st.sampled_from([{"events": 3}, {"age": "1 minutes"}, {"events": 4, "at-once": "error"}]),
                    "floor": st.sampled_from(["info", "error"]),
                },
            )
        )
        template = draw(st.sampled_from(["{message}", "rows", "{time} {message|cut 3}"]))
        encoding = draw(st.sampled_from(["utf-8", "utf-8", "utf-8", "utf-16-le", "latin-1"]))
        appenders[name] = {
            "sink": "file",
            "template": template,
            "encoding": encoding,
            **draw(rolls(name)),
            **more,
            **draw(LATE),
        }
    if draw(st.booleans()):  # two appenders at one file, however they write it
        own = {key: appenders["two"].get(key) for key in ("sink", "template", "encoding", "buffer", "floor")}
        first = {key: value for key, value in appenders["one"].items() if key in {"path", "roll", "append"}}
        appenders["two"] = {key: value for key, value in {**own, **first}.items() if value is not None}
        appenders["two"]["path"] = first["path"].replace("/x/", "/x/./y/../")
    appenders["wire"] = {"sink": "console", "buffer": {"events": draw(st.integers(1, 3))}, **draw(LATE)}
    appenders["wire2"] = {"sink": "console", "template": "2 {message}"}
    to = draw(st.lists(st.sampled_from([*names, "wire", "wire2"]), min_size=1, max_size=6))
    rows = {"as": "csv", "columns": {"say": "{message}", "level": "{level}"}, "header": True}
    return json.dumps(
        {
            "vetrina": 1,
            "zone": "Europe/Rome",
            "loggers": {"root": {"level": "all", "to": to}, "a": {"to": ["one"]}},
            "appenders": appenders,
            "channels": {"in": {"logger": "b", "level": "error"}, "off": {"enabled": False}},
            "templates": {"rows": rows},
        }
    )


@st.composite
def streams(draw: st.DrawFn) -> list[Event]:
    time = START
    events = []
    for _ in range(draw(st.integers(0, 40))):
        time += timedelta(seconds=draw(st.sampled_from([0, 0, 1, 40, 3600, -5, 90_000])))
        events.append(
            Event(
                time.astimezone(draw(st.sampled_from([UTC, UTC, timezone(timedelta(hours=5, minutes=30))]))),
                draw(st.sampled_from(["info", "error"])),
                draw(st.sampled_from(["", "a", "b"])),
                draw(st.sampled_from(["x", "message", "é" * 9, "a,b\nc", "long " * 12])),
                count=draw(st.sampled_from([*[None] * 5, 3])),
                thread=draw(st.sampled_from([None, "t", 1])),
                mark=draw(st.sampled_from([*[None] * 8, "start", "stop"])),
                channel=draw(st.sampled_from([*[None] * 8, "in", "off", "unknown", ""])),
            )
        )
    return events


def play(rehearsal: Rehearsal, events: list[Event], block: int = 4000) -> None:
    """Send events through as lines of a file that is read in blocks of so many bytes."""
    data = b"\n".join(msgspec.json.encode(event) for event in events)
    with mock.patch("vetrina.formats.lines._BLOCK", block):
        EventStream("events.jsonl", scale=rehearsal.router.plan.scale).send(io.BytesIO(data), rehearsal)
    assert rehearsal.events == len(events)


@given(documents(), streams(), st.integers(60, 4000))
def test_the_folder_agrees_with_the_simulation(text: str, events: list[Event], block: int) -> None:
    plan = in_force(text).plan
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rehearsal = Rehearsal(Router(plan), RehearsalSite(plan, "/", Sandbox(folder, most_bytes=1 << 30, most_files=10_000)))

        play(rehearsal, events, block)
        rehearsal.finish()

        assert list(differences(rehearsal, [events], folder)) == []


AT = datetime(2026, 11, 16, tzinfo=UTC)


@pytest.mark.parametrize(
    "limits, arrivals, groups",
    [
        pytest.param(None, "i0 i1", ["0", "1"], id="nothing waits"),
        pytest.param((3, None, None), "i0 i1 i2 i3", ["0 1 2"], id="so many"),
        pytest.param((None, 10, None), "i0 i5 i10 i11 i12", ["0 5 10"], id="older than the age, strictly"),
        pytest.param((None, None, 17), "i0 e1 i2", ["0 1"], id="a grave one goes along"),
        pytest.param((2, 10, 17), "e0 i1 i30 e31", ["0", "1", "30 31"], id="all of them"),
    ],
)
def test_when_a_buffer_delivers(
    limits: tuple[int | None, int | None, int | None] | None, arrivals: str, groups: list[str]
) -> None:
    buffer = (
        None
        if limits is None
        else Buffer(limits[0], None if limits[1] is None else timedelta(seconds=limits[1]), limits[2], DEFAULT)
    )
    waiting: Waiting[str] = Waiting(buffer)

    arrived = [(AT + timedelta(seconds=int(word[1:])), 17 if word[0] == "e" else 9, word[1:]) for word in arrivals.split()]
    found = [" ".join(group) for time, severity, name in arrived for group in waiting.take(time, severity, name)]

    assert found == groups


@pytest.mark.parametrize(
    "path, expected",
    [
        ("/srv/a.log", "srv/a.log"),
        ("../../a.log", "a.log"),
        ("/a/../../b", "b"),
        ("//x//y/./z", "x/y/z"),
        ("/", "_"),
        ("/ü/运.log", "ü/运.log"),
    ],
)
def test_a_path_is_put_below_the_folder(path: str, expected: str) -> None:
    assert rerooted(path) == expected


@given(st.text(max_size=300), st.text(max_size=300))
def test_no_path_leads_out_and_no_two_become_one(first: str, second: str) -> None:
    import posixpath

    one, other = rerooted(first), rerooted(second)

    for inside in (one, other):
        assert not inside.startswith("/")
        assert all(part not in {"", ".", ".."} and len(part.encode()) <= LONGEST_PART + 9 for part in inside.split("/"))
        assert not set("\\:\0") & set(inside)
    if one == other:
        plain = [posixpath.normpath("/" + text.lstrip("/")) for text in (first, second)]
        assert plain[0] == plain[1] or {"_"} == {one, other}


def test_every_kind_of_sink_can_be_delivered_to() -> None:
    from vetrina.core.sink_kinds import KINDS

    assert kinds() == sorted(KINDS)


@pytest.mark.parametrize("codec", [".gz", ".zst", ".xz", ".bz2"])
def test_what_is_packed_unpacks(tmp_path: Path, codec: str) -> None:
    data = b"".join(b"line %d\n" % at for at in range(100_000))
    (tmp_path / "a").write_bytes(data)

    pack(tmp_path / "a", tmp_path / f"a{codec}", codec, Sandbox(tmp_path, most_bytes=1 << 30, most_files=9))

    assert b"".join(unpacked(tmp_path / f"a{codec}")) == data
    assert (tmp_path / f"a{codec}").stat().st_size < len(data) // 4


KINDS_PLAN = """vetrina: 1
loggers: {root: {to: [f, g, m, h, s, t]}}
appenders:
  f: {sink: file, path: /x/f.log}
  g: {sink: file, path: /x/g.log, roll: {at-size: 60 B, rename-to: "/x/g.{n}.gz"}}
  m: {sink: mail, host: x, from: a@b.example, recipients: a@b.example}
  h: {sink: http, url: "http://x/"}
  s: {sink: syslog, host: x, template: w}
  t: {sink: table, database: /x/t.db, table: t, columns: {say: "{message}"}}
templates: {w: {as: syslog}}
"""


def _rows(folder: Path, statement: str) -> None:
    import sqlite3

    base = sqlite3.connect(folder / "tables/x/t.db")
    base.execute(statement)
    base.commit()
    base.close()


@pytest.mark.parametrize(
    "tamper, expected",
    [
        pytest.param(lambda _folder: None, "", id="nothing"),
        pytest.param(lambda folder: (folder / "files/x/f.log").write_text("x"), "files/x/f.log holds something else", id="another content"),
        pytest.param(lambda folder: (folder / "files/x/f.log").unlink(), "files/x/f.log is not there", id="a file less"),
        pytest.param(lambda folder: (folder / "files/x/new").write_text(""), "the simulation does not know it", id="a file more"),
        pytest.param(lambda folder: (folder / "files/x/g.1.gz").write_bytes((folder / "files/x/g.2.gz").read_bytes()), "g.1.gz holds something else", id="a packed content"),
        pytest.param(lambda folder: (folder / "mail/m/0001.eml").unlink(), "m: 2 found, 3 delivered", id="a mail less"),
        pytest.param(lambda folder: (folder / "mail/m/0002.eml").write_bytes((folder / "mail/m/0001.eml").read_bytes()), "m: what was delivered says something else", id="another mail"),
        pytest.param(lambda folder: (folder / "http/h/0002.request").write_bytes(b"POST / HTTP/1.1\r\n\r\nx"), "h: what was delivered says", id="another request"),
        pytest.param(lambda folder: (folder / "syslog/s.udp").write_bytes(b"1 x1 y1 z"), "s: what was delivered says", id="other messages"),
        pytest.param(lambda folder: _rows(folder, "UPDATE t SET say = 'x' WHERE rowid = 2"), "t: what was delivered says", id="another row"),
        pytest.param(lambda folder: _rows(folder, "DELETE FROM t WHERE rowid = 2"), "t: 2 found, 3 delivered", id="a row less"),
    ],
)  # fmt: skip
def test_a_folder_that_differs_is_told(tmp_path: Path, tamper: Any, expected: str) -> None:
    plan = in_force(KINDS_PLAN).plan
    events = [Event(START + timedelta(seconds=at), "info", "a", f"message {at} is \u00e9") for at in range(3)]
    rehearsal = Rehearsal(Router(plan), RehearsalSite(plan, "/", Sandbox(tmp_path, most_bytes=1 << 20, most_files=100)))
    play(rehearsal, events)
    rehearsal.finish()

    tamper(tmp_path)
    found = list(differences(rehearsal, [events], tmp_path))

    assert (expected in "\n".join(found)) if expected else found == []
