"""`capture`: whatever happens, levels are put back or on record, and sections hold just the bytes that came; over real processes."""

from __future__ import annotations

import json
import os
import random
import re
import resource
import signal
import subprocess
import sys
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from standins import LEVELS, SECRET, STEPS, Standin, begin, call, guardians, record_of, service_file, standing_in, wait_for
from support import DEMO, PATIENCE, PROGRAM
from vetrina.formats.schemas import record_schema
from vetrina.views.outputs import OUTPUTS

LOGS = """logs: [{path: app.log, template: '{time} {level} {logger}: {message}{error|before "\\n"}'}, {path: raw*.txt}]\n"""
TUNES = ("--tune", "ropeway.gate=debug", "--tune", "lib=off")
QUICK = ("--settle", "200 ms")


@pytest.fixture
def room(folder: Path) -> Iterator[Standin]:
    with standing_in() as standin:
        standin.log = folder / "raw.txt"
        yield standin


def line(text: str, level: str = "info") -> str:
    return f"2026-11-13T10:41:00+01:00 {level} ropeway.gate: {text}\n"


def capture(folder: Path, room: Standin, *words: object, more: str = LOGS, **how: Any) -> Any:
    return call(folder, "capture", service_file(folder, room.port, more), "--into", "C", *QUICK, "--json", *words, **how)


def document(folder: Path) -> Any:
    found = json.loads((folder / "C" / "capture.json").read_text())
    Draft202012Validator(record_schema(OUTPUTS["capture"], "capture")).validate(found)
    return found


def untouched(folder: Path, room: Standin) -> bool:
    return room.levels == LEVELS and not record_of(folder).exists()


def test_a_capture_from_levels_before_to_levels_after(folder: Path, room: Standin) -> None:
    (folder / "app.log").write_text(line("before"))
    (folder / "raw.txt").write_text("before\n")
    script = (
        f"printf '{line('door {it} stuck', 'error').strip()}\\n  Broken: hinge\\n' >> app.log; "
        "printf 'badge password=hunter2 \\377\\n' >> raw.txt; echo new > raw2.txt; exit 7"
    )
    found = capture(folder, room, *TUNES, "--note", "gate 2 sticks", "--zip", "--mask", "--", "sh", "-c", script)

    assert (found.code, found.json["exit"], found.json["command_exit"], found.json["problems"]) == (0, 0, 7, []), found.err
    assert untouched(folder, room)
    assert room.sent() == [
        ("PUT", "/levels/ropeway.gate"), ("PUT", "/levels/lib"), ("POST", "/marks"), ("POST", "/marks"),
        ("PUT", "/levels/lib"), ("DELETE", "/levels/ropeway.gate"),
    ]  # fmt: skip
    box = folder / "C"
    assert (box / "sections" / "app.log").read_text() == line("door {it} stuck", "error") + "  Broken: hinge\n"
    raw = (box / "sections" / "raw.log").read_bytes()
    assert raw == b"vetrina capture C begins: gate 2 sticks\nbadge password=*** \xff\nvetrina capture C ends\n"
    assert (box / "sections" / "raw2.log").read_text() == "new\n", "a file that a pattern newly matches counts whole"
    (event,) = [json.loads(one) for one in (box / "events.jsonl").read_text().splitlines()]
    assert (event["from"], event["line"], event["level"], event["message"]) == ("app", 1, "error", "door {it} stuck")
    shown = document(folder)
    assert shown == found.json | {"zip": shown["zip"]}
    assert (shown["masked"], shown["first_error"]["error"], shown["asked"]["note"]) == (1, "  Broken: hinge", "gate 2 sticks")
    assert [(one["logger"], one["before"], one["during"], one["after"]) for one in shown["levels"]] == [
        ("ropeway.gate", "info", "debug", "info"), ("lib", "warn", "off", "warn"),
    ]  # fmt: skip
    levels = json.loads((box / "levels.json").read_text())
    assert [{one["logger"]: one["effective"] for one in levels[when]}["lib"] for when in ("before", "during", "after")] == [
        "warn",
        "off",
        "warn",
    ]
    assert "gate 2 sticks" in (box / "capture.md").read_text()
    assert not (box / ".capture").exists()
    with zipfile.ZipFile(folder / "C.zip") as archive:
        assert {"C/capture.md", "C/events.jsonl", "C/sections/app.log"} <= set(archive.namelist())
    written = "".join(path.read_text(errors="replace") for path in box.rglob("*") if path.is_file())
    assert SECRET not in written
    assert "hunter2" not in written


def test_a_page_of_what_was_collected_under_the_levels_that_held(folder: Path, room: Standin) -> None:
    (folder / "plan.yaml").write_text("vetrina: 1\nloggers: {root: {level: info, to: o}}\nappenders: {o: {sink: console}}\n")
    (folder / "app.log").write_text("")
    script = f"printf '{line('door stuck', 'debug')}' >> app.log"
    none = capture(folder, room, *TUNES, "--page", "p.html", "--", "true")
    assert (none.code, room.sent()) == (2, [])
    assert "the service's file names none" in none.err

    found = capture(folder, room, *TUNES, "--page", "p.html", "--", "sh", "-c", script, more=LOGS + "plan: plan.yaml\n")

    assert (found.code, untouched(folder, room)) == (0, True), found.err
    data = json.loads(re.findall(r'id="data">(.*?)</script>', (folder / "p.html").read_text())[0])
    assert [(one["name"], one["level"]) for one in data["plan"]["loggers"]][1:] == [("ropeway.gate", 5), ("lib", 25)]
    assert [(kind["severity"], kind["days"][0][1]) for kind in data["traffic"]["kinds"]] == [(5, 1)]
    again = call(folder, "capture", "--collect", "C", "--page", "no/q.html", "--json")
    assert again.code == 2, "what was collected is collected"


STEPS_TOLD = ["levels read", "guardian started", "levels set and verified", "waiting", "mark written: ends", "levels put back"]

LATER = {"levels read", "mark written: ends"}


@pytest.mark.parametrize("told", [one if one not in LATER else pytest.param(one, marks=pytest.mark.long) for one in STEPS_TOLD])
def test_killed_at_each_step(folder: Path, room: Standin, told: str) -> None:
    (folder / "app.log").write_text("")
    service = service_file(folder, room.port, LOGS)
    process = begin(folder, "capture", service, "--into", "C", *TUNES, "--for", "300 ms", *QUICK)
    assert process.stderr is not None
    for text in process.stderr:
        if told in text:
            process.kill()
            break
    process.communicate()
    wait_for(lambda: not guardians(folder))
    assert untouched(folder, room)
    if told not in {"guardian started", "waiting"}:
        return
    (folder / "app.log").write_text(line("late"))
    again = call(folder, "capture", "--collect", "C", "--json")
    assert (again.code, "cut off" in again.json["problems"][-1]) == (1, True), again.err
    assert (folder / "C" / "sections" / "app.log").read_text() == line("late")
    assert call(folder, "capture", "--collect", "C").code == 2, "nothing is left to collect"


@pytest.mark.parametrize("seed", [0, 3, *(pytest.param(one, marks=pytest.mark.long) for one in (1, 2, 4, 5, 6, 7))])
def test_killed_at_any_moment(folder: Path, room: Standin, seed: int) -> None:
    chance = random.Random(seed)
    delay = chance.choice([0.0, 0.05])
    room.manners["PUT"] = lambda _request: time.sleep(delay)
    process = begin(folder, "capture", service_file(folder, room.port), "--into", "C", *TUNES, "--for", "600 ms", *QUICK)
    time.sleep(chance.uniform(0.3, 1.6))
    both = seed % 4 == 3
    for one in guardians(folder) if both else []:
        os.kill(one, signal.SIGKILL)
    process.kill()
    process.communicate()
    wait_for(lambda: not guardians(folder))
    time.sleep(delay)
    if not untouched(folder, room):
        names = {one["logger"] for step in json.loads(record_of(folder).read_text())["steps"] for one in step["changes"]}
        assert both
        assert {name for name, level in room.levels.items() if level != LEVELS[name]} <= names
        told = call(folder, "live", "room.service.yaml")
        assert "not put back" in told.err.splitlines()[0], "it is said first"
        assert call(folder, "live", "room.service.yaml", "--put-back", *QUICK).code == 0
    assert untouched(folder, room)


def test_a_guardian_that_dies_alone_is_started_again_and_a_second_changer_is_refused(folder: Path, room: Standin) -> None:
    service = service_file(folder, room.port)
    process = begin(folder, "capture", service, "--into", "C", *TUNES, "--for", "1 minute", *QUICK, "--json")
    wait_for(lambda: room.levels["lib"] == "off")
    for words in (("capture", service, "--into", "D", *TUNES, "--for", "1 second"), ("live", service, "--put-back")):
        refused = call(folder, *words)
        assert (refused.code, f"process {process.pid}, vetrina capture" in refused.err) == (2, True), refused.err
    (first,) = guardians(folder)
    os.kill(first, signal.SIGKILL)
    (second,) = wait_for(lambda: [one for one in guardians(folder) if one != first])
    assert b"X-Key" not in Path(f"/proc/{second}/cmdline").read_bytes()
    assert os.getsid(second) == second, "a session of its own"
    process.kill()
    process.communicate()
    wait_for(lambda: untouched(folder, room) and not guardians(folder))
    assert "put back and verified" in (folder / "C" / "guardian.log").read_text()


def closed(request: Any) -> bool:
    request.close_connection = True
    return True


def test_a_service_that_stops_answering_in_the_middle_is_put_back_by_the_guardian_when_it_answers_again(
    folder: Path, room: Standin
) -> None:
    process = begin(
        folder, "capture", service_file(folder, room.port), "--into", "C", *TUNES, "--for", "500 ms", *QUICK, "--json"
    )
    wait_for(lambda: room.levels["lib"] == "off" and ("POST", "/marks") in room.sent())
    room.manners["*"] = closed
    out, err = process.communicate(timeout=PATIENCE)
    found = json.loads(out)
    assert (process.returncode, found["put_back"]["failed"].keys()) == (1, {"ropeway.gate", "lib"}), err
    assert "vetrina live SERVICE --put-back" in found["problems"][-2] + found["problems"][-1]
    assert record_of(folder).exists()
    room.manners.clear()
    wait_for(lambda: untouched(folder, room) and not guardians(folder), 30)


def refused_off(request: Any) -> bool | None:
    if b"off" in request.body:
        request.answer(503)
        return True
    return None


def test_a_level_that_cannot_be_set_ends_the_capture_with_everything_back(folder: Path, room: Standin) -> None:
    room.manners["PUT"] = refused_off
    found = capture(folder, room, *TUNES, "--for", "1 minute")
    assert (found.code, "it answers 503" in found.json["problems"][0]) == (1, True)
    assert untouched(folder, room)
    assert found.json["put_back"]["back"].keys() == {"ropeway.gate", "lib"}


@pytest.mark.parametrize("command", [(), ("--", "sleep", "2")], ids=["waiting", "a command"])
def test_at_most_puts_levels_back_and_a_command_goes_on(folder: Path, room: Standin, command: tuple[str, ...]) -> None:
    waits = () if command else ("--until", "never")
    found = capture(folder, room, *TUNES, "--at-most", "600 ms", *waits, *command)
    assert (found.code, found.json["command_exit"]) == (1, 0 if command else None), found.err
    assert any("--at-most was over" in one for one in found.json["problems"])
    assert (found.json["put_back"]["back"].keys(), untouched(folder, room)) == ({"ropeway.gate", "lib"}, True)


def test_a_signal_puts_back_ends_the_command_and_still_collects(folder: Path, room: Standin) -> None:
    service = service_file(folder, room.port, LOGS)
    (folder / "app.log").write_text("")
    script = "echo begun >> app.log; sleep 100 & echo $! > child; wait"
    process = begin(folder, "capture", service, "--into", "C", *TUNES, *QUICK, "--", "sh", "-c", script)
    wait_for(lambda: (folder / "app.log").read_text() and (folder / "child").exists())
    process.send_signal(signal.SIGTERM)
    out, _ = process.communicate(timeout=PATIENCE)
    assert (process.returncode, "stopped by SIGTERM" in out) == (1, True)
    assert untouched(folder, room)
    assert (folder / "C" / "sections" / "app.log").read_text() == "begun\n"
    child = int((folder / "child").read_text())
    wait_for(lambda: not Path(f"/proc/{child}").exists() or "zombie" in Path(f"/proc/{child}/status").read_text())


def test_a_line_that_is_waited_for(folder: Path, room: Standin) -> None:
    (folder / "app.log").write_text(line("door 2 stuck"))
    service = service_file(folder, room.port, LOGS)
    process = begin(folder, "capture", service, "--into", "C", "--until", r"door \d stuck$", "--note", "door 3 stuck", *QUICK)
    wait_for(lambda: ("POST", "/marks") in room.sent())
    time.sleep(0.3)
    assert process.poll() is None, "neither what stood there before, nor the mark itself"
    with (folder / "app.log").open("a") as log:
        log.write(line("door 2 st")[:-1])
        log.flush()
        time.sleep(0.2)
        assert process.poll() is None
        log.write("uck\n")
    out, err = process.communicate(timeout=PATIENCE)
    assert (process.returncode, "a line for --until arrived" in err) == (0, True), err
    assert "No level was changed." in out


def limited() -> None:
    resource.setrlimit(resource.RLIMIT_FSIZE, (1 << 16, 1 << 16))


def test_a_full_disk_is_told_and_levels_are_back(folder: Path, room: Standin) -> None:
    (folder / "app.log").write_text("")
    stop = threading.Event()

    def grow() -> None:
        with (folder / "app.log").open("a") as log:
            while not stop.wait(0.01):
                log.write(line("x" * 2000))
                log.flush()

    thread = threading.Thread(target=grow)
    thread.start()
    try:
        found = capture(folder, room, *TUNES, "--for", "1 second", preexec_fn=limited)
    finally:
        stop.set()
        thread.join()
    assert (found.code, any("could not be written" in one for one in found.json["problems"])) == (1, True), found.err
    assert untouched(folder, room)


def test_what_is_emptied_in_place_is_told_as_lost(folder: Path, room: Standin) -> None:
    (folder / "app.log").write_text(line("before"))
    script = (
        f"printf '{line('one').strip()}\\n' >> app.log; sleep 0.5; : > app.log; printf '{line('two').strip()}\\n' >> app.log"
    )
    found = capture(folder, room, "--", "sh", "-c", script)
    (section, _) = found.json["sections"]
    assert (found.code, len(section["lost"])) == (1, 1)
    assert (folder / "C" / "sections" / "app.log").read_text() == line("one") + line("two")


WRONG: list[tuple[tuple[str, ...], str]] = [
    (("--into", "C"), "when does the reproduction end?"),
    (("--into", "C", "--for", "31 minutes"), "--for is not shorter than --at-most"),
    (("--for", "1 second"), "where to?"),
    (("--into", "full", "--for", "1 second"), "the folder is not empty"),
    (("--into", "file", "--for", "1 second"), "the folder cannot be made"),
    (("--into", "C", "--until", "("), "not an RE2 expression"),
    (("--into", "C", "--for", "1 second", "--events", "week.jsonl"), "no effect without a plan"),
    (("--into", "C", "--for", "1 second", "--tune", "ropeway.gat=debug"), "does not know a logger"),
]


@pytest.mark.parametrize(("words", "what"), WRONG)
def test_a_wrong_call_changes_nothing(folder: Path, room: Standin, words: tuple[str, ...], what: str) -> None:
    (folder / "full").mkdir()
    (folder / "full" / "x").touch()
    (folder / "file").touch()
    found = call(folder, "capture", service_file(folder, room.port, LOGS), *words)
    assert (found.code, what in found.err) == (2, True), found.err
    assert (room.sent(), record_of(folder).exists(), (folder / "C").exists()) == ([], False, False)


def test_on_the_stand_in_with_the_demo(folder: Path) -> None:
    for name in ("plan.yaml", "week.jsonl", "sereno.env"):
        (folder / name).write_bytes((DEMO / name).read_bytes())
    words = [
        "mimic",
        "plan.yaml",
        "week.jsonl",
        "--into",
        "room",
        "--pace",
        "6000",
        "--service",
        "room.service.yaml",
        "--for",
        "1 minute",
    ]
    mimic = begin(folder, *words)
    try:
        wait_for((folder / "room.service.yaml").exists)
        assert call(folder, "live", "room.service.yaml").code == 0
        found = call(
            folder, "capture", "room.service.yaml", *TUNES[:1], "ropeway.gate.scanner=debug", "--tune", "lib=off", "--into", "INC-7",
            "--note", "gate 2 sticks", "--until", "DEBUG gate.scanner", "--at-most", "40 seconds", "--events", "week.jsonl", *QUICK, "--json",
        )  # fmt: skip
        assert found.code == 0, found.err
        counts = {one["name"]: one for one in found.json["sections"]}
        assert {one["level"] for one in counts["stderr"]["counts"] if one["logger"] == "gate.scanner"} >= {"debug"}
        assert (folder / "INC-7" / "sections" / "stderr.log").read_text() in (
            folder / "room" / "console" / "stderr.txt"
        ).read_text()
        assert sum(one["events"] for one in counts.values()) == found.json["events"] > 0
        assert any("More goes to desk" in one for one in found.json["cost"])
        assert call(folder, "live", "room.service.yaml").code == 0
        events = call(folder, "find", "INC-7/events.jsonl", "--message", "gate 2 sticks", "--json").lines
        assert {one["text"] for one in events} == {"vetrina capture INC-7 begins: gate 2 sticks"}
    finally:
        mimic.send_signal(signal.SIGTERM)
        _, err = mimic.communicate(timeout=PATIENCE)
    assert (mimic.returncode, "2 marks" in err) == (0, True), err


MISBEHAVING: list[tuple[tuple[str, ...], Callable[[Any], bool]]] = [
    (("--flaky", "2"), lambda ran: "it answers 500" in ran.err),
    (("--forget",), lambda ran: "still says warn" in ran.err),
    (("--deaf", "300 ms"), lambda ran: ran.code == 0),
]


@pytest.mark.parametrize(("words", "fits"), MISBEHAVING, ids=["flaky", "forgets", "deaf"])
def test_a_stand_in_that_misbehaves(folder: Path, words: tuple[str, ...], fits: Callable[[Any], bool]) -> None:
    (folder / "plan.yaml").write_text(
        "vetrina: 1\nloggers: {root: warn}\nappenders: {book: {sink: file, path: /var/log/b.log}}\n"
    )
    (folder / "e.jsonl").write_text('{"time":"2026-11-13T10:41:00Z","level":"info","logger":"lib","message":"x"}\n')
    service = "s.yaml"
    mimic = begin(folder, "mimic", "plan.yaml", "e.jsonl", "--into", "room", "--loop", "--service", service, *words)
    try:
        wait_for((folder / service).exists)
        ran = call(folder, "live", service, "--tune", "lib=debug", "--yes", "--settle", "1 second")
        assert fits(ran), ran.err
    finally:
        mimic.kill()
        mimic.communicate()
    assert "cut off" in call(folder, "mimic", "plan.yaml", "e.jsonl", "--into", "room").err
    assert (folder / "room" / "places.yaml").read_text().count("/files/var/log/b.log") == 1


def test_a_stand_in_over_http(folder: Path) -> None:
    (folder / "plan.yaml").write_text(
        "vetrina: 1\nloggers: {root: {level: warn, to: book}, a: {level: error}}\nappenders:\n"
        "  book: {sink: file, path: b.log, floor: error, template: '{level} {logger} {message}', roll: {at-size: 40 B, rename-to: 'b-{n}.log', newest: first}}\n"
    )
    rows = [f'{{"time":"2026-11-13T10:41:{at:02}Z","level":"info","logger":"a.b","message":"m{at}"}}\n' for at in range(60)]
    (folder / "e.jsonl").write_text("".join(rows))
    mimic = begin(
        folder, "mimic", "plan.yaml", "e.jsonl", "--into", "room", "--pace", "10", "--json", "--loop", "--for", "20 seconds"
    )
    assert mimic.stdout is not None
    base = json.loads("".join(iter(mimic.stdout.readline, "}\n")) + "}")["base"]

    def ask(method: str, path: str, body: str = "") -> tuple[int, Any]:
        words = ["curl", "-s", "-X", method, "-w", "\n%{http_code}", base + path, *(["-d", body] if body else [])]
        *rest, code = subprocess.run(words, capture_output=True, text=True, check=True).stdout.split("\n")
        return int(code), json.loads("".join(rest)) if "".join(rest) else None

    try:
        assert ask("GET", "/health") == (200, {"status": "up"})
        assert ask("GET", "/levels") == (200, {"loggers": [
            {"name": "root", "level": "warn", "effective": "warn"}, {"name": "a", "level": "error", "effective": "error"},
            {"name": "a.b", "level": None, "effective": "error"},
        ]})  # fmt: skip
        assert [ask(*words)[0] for words in (
            ("PUT", "/levels/none", '{"level":"info"}'), ("PUT", "/levels/a", '{"level":"loud"}'), ("PUT", "/levels/a", "{"),
            ("GET", "/other"), ("POST", "/marks", "{}"), ("DELETE", "/levels/none"),
        )] == [404, 400, 400, 404, 400, 404]  # fmt: skip
        assert ask("POST", "/marks", '{"text": "hello {x}"}')[0] == 204
        assert (folder / "room" / "files" / "b.log").read_text() == "info mark hello {x}\n", "a mark passes every gate"
        assert ask("PUT", "/levels/a.b", '{"level": "Info"}')[0] == 204
        assert ask("GET", "/levels/a.b")[1] == {"name": "a.b", "level": "info", "effective": "info"}
        assert ask("DELETE", "/levels/a.b")[0] == 204
        assert ask("GET", "/levels/a.b")[1]["level"] is None
    finally:
        mimic.terminate()
        mimic.communicate(timeout=PATIENCE)
    assert PROGRAM.exists()
    assert STEPS


ROLLING = """
import datetime, os, pathlib, random, sys, time
limit, kept, pause = int(sys.argv[1]), int(sys.argv[2]), float(sys.argv[3])
number, log = 0, open("app.log", "w", buffering=1)
while not pathlib.Path("enough").exists():
    number += 1
    now = datetime.datetime.now().strftime("%Y-%m-%d %H:%M:%S,%f")[:-3]
    line = f"{now} INFO ropeway.gate: line {number:06} {'x' * random.randrange(60)}\\n"
    if log.tell() + len(line) > limit:
        log.close()
        for at in range(kept - 1, 0, -1):
            if os.path.exists(f"app.log.{at}"):
                os.replace(f"app.log.{at}", f"app.log.{at + 1}")
        os.replace("app.log", "app.log.1")
        log = open("app.log", "w", buffering=1)
    log.write(line)
    time.sleep(pause)
"""


@pytest.mark.parametrize("size, kept, pause", [(3000, 1, 0.002), (2000, 2, 0.0)])
def test_a_process_that_rolls_faster_than_it_is_looked_at(folder: Path, size: int, kept: int, pause: float) -> None:
    (folder / "room.service.yaml").write_text(
        "vetrina-service: 1\nlist: {run: [echo, a info], lines: '(?P<name>\\S+) (?P<level>\\S+)'}\n"
        "logs: [{path: app.log, template: '{time|%Y-%m-%d %H:%M:%S,%3f} {level} {logger}: {message}'}]\n"
    )
    writer = subprocess.Popen([sys.executable, "-c", ROLLING, str(size), str(kept), str(pause)], cwd=folder)
    try:
        wait_for((folder / "app.log.1").exists)
        found = call(folder, "capture", "room.service.yaml", "--into", "C", "--for", "1 second", *QUICK, "--json")
    finally:
        (folder / "enough").touch()
        writer.wait(PATIENCE)
    (section,) = found.json["sections"]
    numbers = [int(one) for one in re.findall(r"line (\d+) ", (folder / "C" / "sections" / "app.log").read_text())]
    assert len(numbers) == len(set(numbers)) > 100
    assert section["lost"] or numbers == list(range(numbers[0], numbers[0] + len(numbers)))
    assert (found.code, bool(section["lost"])) in {(0, False), (1, True)}
    assert section["events"] == len(numbers) or section["lost"]
    assert not pause or not section["lost"]
