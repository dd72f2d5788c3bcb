"""`rehearse` and `receive` through the program: what stands in the folder, what is sent, troubles, and that nothing escapes."""

from __future__ import annotations

import email
import email.policy
import gzip
import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from support import DEMO, PATIENCE, PROGRAM, Run, event, give_up_override

Write = Callable[..., Path]
PLAN = """vetrina: 1
workdir: /srv/sereno
loggers: {root: {level: all, to: [book, mails, notes, far, web, rows]}}
appenders:
  book: {sink: file, path: logs/book.log, template: "{message}", roll: {at-size: 30 B, rename-to: "logs/book.{n}.log.gz", keep: {files: 2}}}
  mails: {sink: mail, host: mail.sereno.example, from: a@sereno.example, recipients: [b@sereno.example], subject: "{level}: {message}", template: "{message}", buffer: {events: 3, age: 1 hours, at-once: critical}}
  notes: {sink: syslog, host: log.sereno.example, template: wire}
  far: {sink: syslog, host: log.sereno.example, transport: tls, template: wire}
  web: {sink: http, url: "https://in.sereno.example/in?x=1", headers: {X-Key: k}, template: "{message}"}
  rows: {sink: table, database: rows.db, table: log, columns: {at: "{time|epoch}", say: "{message}"}}
templates: {wire: {as: syslog, app: sereno}}
"""


def traffic(count: int = 7, **more: Any) -> list[dict[str, Any]]:
    return [event(time=f"2026-11-16T05:12:{at:02}Z", message=f"message {at:02}", **more) for at in range(count)]


def listing(folder: Path) -> dict[str, bytes]:
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


def test_every_kind_of_sink_stands_in_the_folder(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--keep-removed", "--verify", "--json")

    assert found.code == 0, found.err
    jsonschema.validate(found.json, run("schema", "output", "rehearse").json)
    assert found.json["verified"] == {"agrees": True, "differences": []}
    files = listing(folder / "out")
    assert gzip.decompress(files["files/srv/sereno/logs/book.2.log.gz"]) == b"message 02\nmessage 03\n"
    assert gzip.decompress(files["removed/srv/sereno/logs/book.1.log.gz"]) == b"message 00\nmessage 01\n"
    assert files["files/srv/sereno/logs/book.log"] == b"message 06\n"
    mail = email.message_from_bytes(files["mail/mails/0001.eml"], policy=email.policy.default)
    assert (mail["subject"], mail["to"], mail.get_content().splitlines()) == (
        "info: message 00",
        "b@sereno.example",
        ["message 00", "message 01", "message 02"],
    )
    assert len([name for name in files if name.startswith("mail/")]) == 3
    assert files["syslog/notes.udp"].startswith(b"56 <14>1 2026-11-16T05:12:00.000Z - sereno - - - message 00")
    assert files["http/web/0001.request"] == (
        b"POST /in?x=1 HTTP/1.1\r\nHost: in.sereno.example\r\nContent-Type: text/plain; charset=utf-8\r\nX-Key: k\r\nContent-Length: 11\r\n\r\nmessage 00\n"
    )
    base = sqlite3.connect(folder / "out" / "tables/srv/sereno/rows.db")
    assert base.execute("SELECT say FROM log").fetchall() == [(f"message {at:02}",) for at in range(7)]
    base.close()
    mails = next(one for one in found.json["appenders"] if one["appender"] == "mails")
    assert (mails["delivered"], mails["groups"], mails["waited"], mails["longest_late_seconds"]) == (7, 3, 1, 2.0)


def test_protocols_over_real_sockets(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", [*traffic(), event(time="2026-11-16T05:13:00Z", message='Grüße "€" 运行中\nsecond line')])

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--send", "--verify", "--json")

    assert found.code == 0, found.out + found.err
    assert set(found.json["dialled"]) == {
        "smtp mail.sereno.example:25",
        "syslog udp log.sereno.example:514",
        "syslog tls log.sereno.example:514",
        "http in.sereno.example",
    }
    assert all(where.startswith("127.0.0.1:") for where in found.json["dialled"].values())
    files = listing(folder / "out" / "received")
    assert len([name for name in files if name.startswith("mail/")]) == 3
    last = email.message_from_bytes(files["mail/0003.eml"], policy=email.policy.default)
    assert last.get_content().splitlines() == ["message 06", 'Grüße "€" 运行中', "second line"]
    assert files["syslog/udp.frames"].count(b"<14>1 ") == files["syslog/tls.frames"].count(b"<14>1 ") == 8
    assert 'Grüße "€" 运行中\nsecond line\n'.encode() in files["http/0008.request"]


@pytest.mark.parametrize(
    "words, appender, delivered, lost",
    [
        pytest.param(["--crash-at", "2026-11-16T05:12:05Z"], "mails", 5, {"crash": 2}, id="a crash loses what waits"),
        pytest.param(["--crash-at", "2026-11-16T05:12:05Z"], "book", 7, {}, id="what does not wait is not lost"),
        pytest.param(["--disk-full", "200 B"], "rows", 2, {"disk full": 5}, id="a full disk"),
        pytest.param(["--down", "web 2026-11-16T05:12:01Z..2026-11-16T05:12:03Z"], "web", 5, {"sink down": 2}, id="down without a buffer"),
        pytest.param(["--down", "mails 2026-11-16T05:12:00Z..2026-11-16T05:12:04Z"], "mails", 7, {}, id="down with a buffer"),
        pytest.param(["--down", "mails 2026-11-16T05:12:00Z..2026-11-17"], "mails", 0, {"never delivered": 7}, id="down to the end"),
        pytest.param(["--send", "--trouble", "smtp:every=2"], "mails", 7, {}, id="every second mail refused, sent again"),
        pytest.param(["--send", "--trouble", "smtp:close"], "mails", 0, {"never delivered": 7}, id="closed in the middle"),
        pytest.param(["--send", "--trouble", "http:refuse"], "web", 0, {"the answer is 503": 7}, id="refused requests"),
        pytest.param(["--send", "--trouble", "http:every=3"], "web", 5, {"the answer is 503": 2}, id="every third fails"),
        pytest.param(["--send", "--trouble", "smtp:slow"], "mails", 7, {}, id="slow"),
    ],
)  # fmt: skip
def test_troubles(run: Run, write: Write, words: list[str], appender: str, delivered: int, lost: dict[str, int]) -> None:
    write("plan.yaml", PLAN.replace("book, mails, notes, far, web, rows", appender))
    write("e.jsonl", traffic())

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", *words, "--json")

    assert found.code == 0, found.err
    one = next(one for one in found.json["appenders"] if one["appender"] == appender)
    if lost == {"disk full": 5}:
        assert one["delivered"] + one["lost"]["disk full"] == 7
        assert one["delivered"] > 0
        return
    assert (one["delivered"], one["lost"]) == (delivered, lost)


MARKED = [event(time=f"2026-11-16T05:12:{at:02}Z", message=f"message {at:02}", **({"mark": mark} if mark else {})) for at, mark in enumerate(["start", "", "", "crash", "start", "", "stop"])]  # fmt: skip


def test_marks_and_restarts_agree_with_the_simulation(run: Run, write: Write, folder: Path) -> None:
    write(
        "plan.yaml",
        "vetrina: 1\nloggers: {root: {to: [fresh, each]}}\nappenders:\n  fresh: {sink: file, path: /a/fresh.log, append: false, template: '{message}'}\n  each: {sink: file, path: /a/each.log, template: '{message}', roll: {each-start: true, rename-to: '/a/each.{n}.log', newest: first}}\n",
    )
    write("e.jsonl", MARKED)

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--verify")

    assert found.code == 0, found.out
    files = listing(folder / "out" / "files/a")
    assert files["fresh.log"] == b"message 04\nmessage 05\nmessage 06\n"
    assert files["each.1.log"] == b"message 00\nmessage 01\nmessage 02\nmessage 03\n"


ESCAPES = [
    "../../../../escape.log", "/etc/escape.log", "C:\\\\logs\\\\escape.log", "a/../../../b/escape.log", "./.././../escape.log", "..", "~/escape.log",
    "out/files/../../../escape.log", "\\u202egol.x", "x" * 5000, "/".join(["deep"] * 400), "con", "a\\u0000b",
]  # fmt: skip


@pytest.mark.parametrize("path", ESCAPES, ids=lambda text: text[:24])
def test_nothing_is_written_outside_the_folder(run: Run, write: Write, folder: Path, path: str) -> None:
    write(
        "plan.yaml",
        f'vetrina: 1\nloggers: {{root: {{to: [a, t]}}}}\nappenders:\n  a: {{sink: file, path: "{path}"}}\n  t: {{sink: table, database: "{path}.db", table: "x\\"; DROP TABLE y", columns: {{a: "{{message}}"}}}}\n',
    )
    write("e.jsonl", traffic(2))
    before = {one for one in folder.parent.rglob("*") if "out" not in one.parts}

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out")

    assert found.code in {0, 2}
    after = {one for one in folder.parent.rglob("*") if "out" not in one.parts}
    assert after == before
    assert not Path("/etc/escape.log").exists()
    if found.code == 0:
        assert sum(1 for one in (folder / "out").rglob("*") if one.is_file()) == 3
    else:
        assert found.err.count("fault:") >= 1


def test_a_link_planted_in_the_folder_is_not_followed(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", "vetrina: 1\nloggers: {root: {to: a}}\nappenders: {a: {sink: file, path: /x/a.log}}\n")
    write("e.jsonl", traffic(1))
    target = folder / "target"
    target.mkdir()
    assert run("rehearse", "plan.yaml", "e.jsonl", "--into", "out").code == 0
    (folder / "out/files/x/a.log").unlink()
    (folder / "out/files/x").rmdir()
    (folder / "out/files/x").symlink_to(target)

    again = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--clean")

    assert again.code == 0
    assert list(target.iterdir()) == []
    assert not (folder / "out/files/x").is_symlink()


def test_paths_inside_each_other_are_refused(run: Run, write: Write) -> None:
    write(
        "plan.yaml",
        "vetrina: 1\nloggers: {root: {to: [a, b]}}\nappenders: {a: {sink: file, path: /x/a}, b: {sink: file, path: /x/a/b.log}}\n",
    )
    write("e.jsonl", traffic(1))

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out")

    assert found.code == 2
    assert "one is inside another" in found.err


@pytest.mark.parametrize(
    "words, expected",
    [
        (["--into", "mine"], "not a rehearsal's"),
        (["--into", "file"], "the folder cannot be made"),
        (["--into", "old"], "say --clean"),
        (["--into", "out", "--limit", "20 B"], "stopped: the rehearsal would write"),
        (["--into", "out", "--most-files", "1"], "more than 1 files"),
        (["--into", "out", "--limit", "much"], "--limit much"),
        (["--into", "out", "--receiver", "127.0.0.1:1"], "go with --send"),
        (["--into", "out", "--send", "--receiver", "192.0.2.1:80"], "not a loopback address"),
        (["--into", "out", "--send", "--receiver", "127.0.0.1:1"], "no vetrina receive answers there"),
        (["--into", "out", "--send", "--trouble", "ftp:slow"], "no protocol of the stand-in"),
        (["--into", "out", "--send", "--trouble", "every"], "is no trouble"),
        (["--into", "out", "--down", "bok 2026-11-16..2026-11-17"], 'did you mean "book"?'),
        (["--into", "out", "--down", "book now"], "no stretch of time"),
        (["--into", "out", "--crash-at", "soon"], "is no time"),
        (["--into", "out", "--pace", "0"], "a pace is a number above 0"),
    ],
)
def test_a_wrong_call_is_one_clear_message(run: Run, write: Write, words: list[str], expected: str) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())
    write("mine/notes.txt", "mine")
    write("file", "")
    if "old" in words:
        run("rehearse", "plan.yaml", "e.jsonl", "--into", "old")

    found = run("rehearse", "plan.yaml", "e.jsonl", *words)

    assert (found.code, found.out) == (2, "")
    assert expected in found.err


def test_an_unwritable_folder_is_told(write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic(1))
    (folder / "shut").mkdir(mode=0o555)

    done = subprocess.run(
        [str(PROGRAM), "rehearse", "plan.yaml", "e.jsonl", "--into", "shut/out"],
        cwd=folder,
        capture_output=True,
        text=True,
        preexec_fn=give_up_override,
        check=False,
    )

    assert done.returncode == 2
    assert "the folder cannot be made" in done.stderr


@pytest.mark.parametrize("ending", [signal.SIGINT, signal.SIGKILL])
def test_a_stop_leaves_whole_lines_and_the_next_run_clears_it(run: Run, write: Write, folder: Path, ending: int) -> None:
    write(
        "plan.yaml",
        "vetrina: 1\nloggers: {root: {to: [a, s]}}\nappenders: {a: {sink: file, path: /x/a.log}, s: {sink: console}}\n",
    )
    write("e.jsonl", [event(time=f"2026-11-16T05:12:{at % 60:02}Z", message="x" * 200) for at in range(3000)])
    words = ["rehearse", "plan.yaml", "e.jsonl", "--into", "out"]
    process = subprocess.Popen(
        [str(PROGRAM), *words, "--pace", "20"], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
    )
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and not (folder / "out/console/stdout.txt").exists():
        time.sleep(0.05)
    process.send_signal(ending)
    process.wait(PATIENCE)
    assert process.stderr is not None
    assert b"Traceback" not in process.stderr.read()
    process.stderr.close()

    text = (folder / "out/console/stdout.txt").read_bytes()
    assert text.endswith(b"x\n")
    again = run(*words)
    assert again.code == 0
    assert "cut off here" in again.err


def test_receive_keeps_what_a_rehearsal_sends(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic())
    process = subprocess.Popen(
        [str(PROGRAM), "receive", "--into", "kept", "--json"],
        cwd=folder,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    assert process.stdout is not None
    said = ""
    while not said.rstrip().endswith("}\n}") and not said.rstrip().endswith('"kept"\n}'):
        said += process.stdout.readline()
    document = json.loads(said)
    jsonschema.validate(document, run("schema", "output", "receive").json)

    found = run(
        "rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--send", "--receiver", f"127.0.0.1:{document['ports']['http']}"
    )
    time.sleep(0.5)
    process.send_signal(signal.SIGINT)
    _, told = process.communicate(timeout=PATIENCE)

    assert found.code == 0, found.err
    assert "received: 3 smtp, 7 udp, 7 tls, 7 http" in told
    assert len(list((folder / "kept/received/mail").iterdir())) == 3


def test_receive_opens_loopback_only(run: Run) -> None:
    found = run("receive", "--into", "kept", "--host", "0.0.0.0")

    assert found.code == 2
    assert "not a loopback address" in found.err


def test_a_credential_is_only_in_the_rehearsed_files(run: Run, write: Write, folder: Path) -> None:
    write(
        "plan.yaml",
        "vetrina: 1\nloggers: {root: {to: a}}\nappenders: {a: {sink: http, url: 'http://x.example/', headers: {X: '${API_TOKEN}'}}}\n",
    )
    write("e.jsonl", traffic(1))

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", env={"API_TOKEN": "s3cr3t-1908"})

    assert "s3cr3t-1908" not in found.out + found.err
    assert "carries values that look like credentials" in found.err
    assert b"X: s3cr3t-1908" in (folder / "out/http/a/0001.request").read_bytes()


def test_the_demo_agrees_with_its_simulation(run: Run, folder: Path) -> None:
    found = run("rehearse", DEMO / "plan.yaml", DEMO / "week.jsonl", "--into", "out", "--verify", "--stage", "bench")

    assert found.code == 0
    assert "the folder agrees with the simulation" in found.out
    assert os.path.commonpath([folder / "out", *[p.resolve() for p in (folder / "out").rglob("*")]]) == str(folder / "out")


def test_it_runs_without_what_sending_needs(folder: Path, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("e.jsonl", traffic(1))
    code = "import sys; sys.modules['aiosmtpd'] = None; sys.modules['aiosmtpd.controller'] = None; from vetrina.commands.main import main; main()"
    call = [sys.executable, "-c", code, "rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--clean"]

    plain = subprocess.run(call, cwd=folder, capture_output=True, text=True, check=False)
    sending = subprocess.run([*call, "--send"], cwd=folder, capture_output=True, text=True, check=False)

    assert plain.returncode == 0
    assert (sending.returncode, "pip install 'vetrina[live]'" in sending.stderr) == (2, True)


HOSTILE = [
    {"time": "2026-11-16T05:12:00Z", "level": "error", "logger": "a", "message": "x\r\nBcc: evil@x.example\r\n\r\n\u001b[31m", "fields": {"a b": "\u0000", 'é"]': 'v]"'}, "host": "h\nost"},
    {"time": "0001-01-01T00:00:00Z", "level": 24, "logger": "", "message": "."},
    {"time": "9999-12-31T23:59:59Z", "level": 1, "logger": "b", "message": "\n.\n..\n"},
    {"time": "2026-11-16T05:12:00Z", "level": "error", "logger": "a", "message": "y" * 30000, "count": 3},
]  # fmt: skip
HOSTILE_PLAN = r"""vetrina: 1
loggers: {root: {level: all, to: [m, s, t, h, r, f, ../up]}}
appenders:
  m: {sink: mail, host: x.example, from: "evil\r\nBcc: a@b", recipients: ["a@b.example", "no address", "ü@ü.example"], subject: "{message}"}
  s: {sink: syslog, host: x.example, template: w}
  t: {sink: syslog, host: x.example, transport: tcp, template: w}
  h: {sink: http, url: "http://user:pw@x.example/a b?q=ü#f"}
  r: {sink: table, database: "../a.db", table: 'x"y', columns: {'c"1': "{message}", b: "{fields}"}}
  f: {sink: file, path: "a/{period|%Y}.log", roll: {every: year}}
  ../up: {sink: mail, host: x.example, from: a@b.example, recipients: a@b.example}
templates: {w: {as: syslog, app: "a p"}}
"""


@pytest.mark.parametrize("words", [[], ["--send"]])
def test_hostile_events_and_names_stay_content(run: Run, write: Write, folder: Path, words: list[str]) -> None:
    write("plan.yaml", HOSTILE_PLAN)
    write("e.jsonl", HOSTILE)

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--verify", "--json", *words)

    assert found.code == 0, found.out + found.err
    assert {one["appender"]: one["delivered"] for one in found.json["appenders"]} == dict.fromkeys(
        ["m", "s", "t", "h", "r", "f", "../up"], 6
    )
    mails = [email.message_from_bytes(one.read_bytes(), policy=email.policy.default) for one in (folder / "out").rglob("*.eml")]
    assert len(mails) == 8
    assert {mail["bcc"] for mail in mails} == {None}
    assert all("\x1b" not in mail["subject"] for mail in mails)
    assert not (folder / "up").exists()
    base = sqlite3.connect(next((folder / "out" / "tables").rglob("a.db")))
    assert base.execute('SELECT count(*) FROM "x""y" WHERE "c""1" LIKE \'yyy%\'').fetchone() == (3,)
    base.close()


PLAIN_PLAN = """vetrina: 1
workdir: /srv/sereno
zone: Europe/Rome
loggers:
  root: {level: info, to: [book, hourly]}
  ropeway.drive: {level: all, to: [drive, slow]}
appenders:
  book: {sink: file, path: book.log}
  drive: {sink: file, path: drive.log, template: "{sequence} {message} {fields}"}
  hourly: {sink: file, path: hourly.log, roll: {every: hour, rename-to: "hourly-{period|%Y%m%dT%H%M%z}.log.zst", keep: {files: 3}}}
  slow: {sink: mail, host: h.sereno.example, from: a@sereno.example, recipients: [b@sereno.example], floor: error, buffer: {age: 2 hours}}
"""


def mixed_lines(count: int) -> list[str]:
    """Return events of all shapes over half a day, in which the clock goes back."""
    found = []
    for at in range(count):
        seconds = at * 43_200 // count - (7 if at % 50 == 0 else 0)
        utc = f"{(21 + seconds // 3600) % 24:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
        day = "24" if 0 <= 21 * 3600 + seconds < 86_400 else "25"
        local = f"{(23 + seconds // 3600) % 24:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
        time = [
            f"2026-10-{day}T{utc}.{at % 1000:03}Z",
            f"2026-10-{day}T{utc}.{at:09}Z",
            f"2026-10-{'24' if local >= '23' else '25'}T{local}.25+02:00",
        ][0 if at % 7 else at // 7 % 3]
        row = event(
            ["ropeway.drive.brake", "ropeway.gate", "lib"][at % 3],
            ["debug", "info", "error"][at // 3 % 3],
            "load {kg}",
            fields={"kg": at},
        )
        row["time"] = time
        shapes: dict[int, dict[str, Any]] = {
            11: {"count": 3},
            12: {"shift": "upper"},
            13: {"error": "Jam\n" + " at x" * 300},
            14: {"mark": "start"},
        }
        row |= shapes.get(at % 60, {})
        found.append(json.dumps(row, separators=(",", ":")))
    return found


def test_all_shapes_of_lines_give_what_the_simulation_gives(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAIN_PLAN)
    write("e.jsonl", ("\n".join(mixed_lines(4000)) + "\n").encode())

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--verify", "--json")

    assert (found.code, found.json["verified"]) == (0, {"agrees": True, "differences": []}), found.err
    files = listing(folder / "out")
    for name in ("book", "drive"):
        raw = run("preview", "plan.yaml", "e.jsonl", "--raw", "--appender", name).out
        routes = {one["appender"]: one for one in run("routes", "plan.yaml", "e.jsonl", "--json").json["appenders"]}
        lines = files[f"files/srv/sereno/{name}.log"].decode()
        assert lines.count("load") == routes[name]["reached"]
        assert len(lines.encode()) == routes[name]["bytes"]
        assert sorted(set(lines.splitlines())) == sorted(set(raw.splitlines())), "but for the copies of a count"
    assert sum(name.endswith(".zst") for name in files) == 3


def test_what_comes_before_a_line_that_stops_everything_is_written(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAIN_PLAN)
    good = [line for line in mixed_lines(300) if "shift" not in line]
    write("e.jsonl", "\n".join([*good, "not an event", *good]).encode())
    write("good.jsonl", "\n".join(good).encode())

    assert run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--strict").code == 2
    assert run("rehearse", "plan.yaml", "good.jsonl", "--into", "whole").code == 0
    for name in ("book.log", "drive.log", "hourly.log"):
        assert (
            (folder / "out/files/srv/sereno" / name).read_bytes()
            == (folder / "whole/files/srv/sereno" / name).read_bytes()
            != b""
        )


def test_a_crash_loses_what_waits_though_only_what_does_not_wait_follows(run: Run, write: Write, folder: Path) -> None:
    plan = """vetrina: 1
workdir: /srv/sereno
loggers:
  ropeway.drive: {level: all, to: [waits]}
  ropeway.gate: {level: all, to: [book]}
appenders:
  waits: {sink: file, path: waits.log, template: "{message}", buffer: {events: 10}}
  book: {sink: file, path: book.log, template: "{message}"}
"""
    drive, gate = traffic(3, logger="ropeway.drive"), traffic(10, logger="ropeway.gate")
    write("plan.yaml", plan)
    write("e.jsonl", sorted([*drive, *gate], key=lambda one: str(one["time"])))

    found = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--crash-at", "2026-11-16T05:12:05Z", "--json").json
    sums = {one["appender"]: one for one in found["appenders"]}

    assert sums["waits"]["lost"] == {"crash": 3}
    assert (sums["waits"]["delivered"], sums["book"]["delivered"], sums["book"]["lost"]) == (0, 10, {})
    assert (folder / "out/files/srv/sereno/book.log").read_text().count("\n") == 10
