"""`vetrina survey` and `check --source` through the program, on real files."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from support import PROGRAM, Run, event, give_up_override

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers: {root: {level: info, to: a}, gate.scan: {level: error, to: b, climb: false}, gaet: debug, lib: off}
appenders: {a: {sink: none}, b: {sink: none, rules: [{drop: {field: {ride: 4}}}]}}
stages: {loud: {loggers: {root: {level: debug}}}}
"""
SOURCE = """LOG = get_logger("gate")
SCAN = get_logger("gate.scan")
LOG.info("gate {gate} open")
LOG.debug("latch")
SCAN.warning("unknown badge")
SCAN.error("stuck", exc_info=True)
log.log(level, "who knows")
"""


@pytest.fixture
def tree(write: Write) -> None:
    write("plan.yaml", PLAN)
    write("src/gate.py", SOURCE)
    write("src/Lib.java", 'class Lib { void f() { Logs.logger("lib").error("down {}", 1); } }')
    write("src/.hidden/x.py", "log.info('hidden')")
    write(
        "events.jsonl",
        [
            event("gate", "info", "gate 4 open"),
            event("gate", "info", "gate {gate} open"),
            event("gate.scan", "error", "stuck"),
            event("elsewhere", "info", "new", count=3),
        ],
    )


pytestmark = pytest.mark.usefixtures("tree")


def test_each_statement_is_a_line(run: Run) -> None:
    found = run("survey", "src", "--json")
    rows = {(row["file"], row["line"]): row for row in found.lines}

    assert found.code == 0
    assert rows["src/gate.py", 3] == {
        "file": "src/gate.py",
        "line": 3,
        "logger": "gate",
        "level": "info",
        "message": "gate {gate} open",
        "fields": ["gate"],
        "error": False,
        "sure": True,
    }
    assert rows["src/gate.py", 7]["level"] is None
    assert not rows["src/gate.py", 7]["sure"]
    assert rows["src/Lib.java", 1]["message"] == "down {1}"
    assert len(rows) == 6


def test_with_a_plan_it_says_where_each_would_go_and_who_is_never_used(run: Run) -> None:
    call = ("survey", "src", "--plan", "plan.yaml")
    rows = {
        row["line"]: (row["arrives"], row["stopped_at"]) for row in run(*call, "--json").lines if row["file"] == "src/gate.py"
    }
    told = " ".join(run(*call).out.split())

    assert rows == {3: (["a"], None), 4: ([], "level"), 5: ([], "level"), 6: (["b"], None), 7: ([], None)}
    assert run(*call, "--stage", "loud", "--json").lines[-4]["arrives"] == ["a"]
    assert run(*call, "--unspoken", "--json").lines == [{"logger": "gaet", "nearest": "gate"}]
    assert "Never arrives anywhere: 3 of 6 statements" in told
    assert "gaet; the nearest that one does: gate" in told
    assert "src/gate.py:5 gate.scan warn level unknown badge" in told


def test_with_events_it_says_what_was_never_seen_and_what_none_explains(run: Run) -> None:
    call = ("survey", "src", "--events", "events.jsonl")
    seen = [row["seen"] for row in run(*call, "--json").lines if row["file"] == "src/gate.py"]

    assert seen == [2, 0, 0, 1, 0]
    assert run(*call, "--unexplained", "--json").lines == [
        {"logger": "elsewhere", "level": "info", "message": "new", "events": 3}
    ]
    assert "Never seen in these events: 4 of 6 statements" in run(*call).out


def test_statements_become_events_that_the_other_commands_take(run: Run) -> None:
    told = run("survey", "src", "--as-events", "all.jsonl")
    routed = run("routes", "plan.yaml", "all.jsonl", "--json").json

    assert "written: all.jsonl, 5 events; 1 without one, since only the run shows their level" in told.err
    assert routed["events"] == 5
    assert routed["unreadable"] == 0
    assert {(cell["logger"], cell["level"]) for cell in routed["cells"]} == {
        ("gate", "info"),
        ("gate", "debug"),
        ("gate.scan", "warn"),
        ("gate.scan", "error"),
        ("lib", "error"),
    }


def test_check_finds_what_the_source_shows(run: Run) -> None:
    found = run(
        "check", "plan.yaml", "--source", "src", "--only", "unspoken-logger", "--only", "unheard-statement", "--json"
    ).json

    assert {(one["code"], one["subject"]) for one in found["findings"]} == {
        ("unspoken-logger", "logger gaet"),
        ("unheard-statement", "logger gate.scan"),
        ("unheard-statement", "logger lib"),
    }


def test_what_is_skipped_is_told(run: Run, write: Write, folder: Path) -> None:
    write("src/odd.py", "log.info('x'\n")
    write("src/big.py", "log.info('x')\n" + "#" * 5_000_000)
    write("src/nul.py", b"log.info('x')\x00")
    (folder / "src" / "link.py").symlink_to(folder / "src" / "gate.py")
    found = run("survey", "src", "--json")

    assert found.code == 1
    assert len(found.lines) == 6
    assert "src/odd.py:1:9: skipped: not understood: " in found.err
    assert "src/big.py:1:1: skipped: larger than 5 MB, and not looked at" in found.err
    assert "src/nul.py:1:1: skipped: not understood" in found.err


def test_a_file_that_may_not_be_read_is_told(folder: Path) -> None:
    (folder / "src" / "gate.py").chmod(0)
    found = subprocess.run(
        [PROGRAM, "survey", "src"], cwd=folder, capture_output=True, text=True, check=False, preexec_fn=give_up_override
    )

    assert found.returncode == 1
    assert "src/gate.py:1:1: skipped: cannot be read: Permission denied" in found.stderr


@pytest.mark.parametrize(
    "words, told",
    [
        (("survey",), "Missing argument"),
        (("survey", "nowhere"), "no such file or folder"),
        (("survey", "src", "--stage", "loud"), "--stage has an effect only with --plan"),
        (("survey", "src", "--unexplained"), "--unexplained has an effect only with --events"),
        (("survey", "src", "--level-word", "severe=erro"), 'level "erro" is not known'),
        (("survey", "src", "--level-word", "severe"), "this is not K=V"),
        (
            ("survey", "src", "--plan", "plan.yaml", "--events", "events.jsonl", "--unspoken"),
            "--events has no effect with --unspoken",
        ),
        (("check", "plan.yaml", "--source", "nowhere"), "no such file or folder"),
    ],
)
def test_calls_that_cannot_be_answered_are_refused(run: Run, words: tuple[str, ...], told: str) -> None:
    found = run(*words)

    assert found.code == 2
    assert told in found.err


def test_hostile_source_is_harmless(run: Run, write: Write) -> None:
    write("src/deep.py", "log.info(" + "(" * 5000 + "1" + ")" * 5000 + ")")
    write("src/deep.java", "class A { void f() { log.info(" + "f(" * 20_000 + "1" + ")" * 20_000 + "); } }")
    write("src/long.js", "log.info('" + "{x" * 200_000 + "');" + "log.info(`" + "${a}" * 5000 + "`);")
    write("src/odd.rb", b'log.info "\xff\xfe #{x}\x1b[31m"\n' + b"log." * 20_000)
    write("src/" + "a\x1b[31m" + os.sep + "esc.py", "log.info('\\x1b[31mred')")
    found = run("survey", "src")

    assert found.code in {0, 1}
    assert "\x1b" not in found.out + found.err


def test_messages_in_any_script_are_matched_and_what_is_no_text_is_left_out(run: Run, write: Write) -> None:
    source = [
        'const log = getLogger("hall");',
        'log.info("Tür → offen {n}");',
        'log.info("door \udcff open");',
        'log.warn("half \\ud800");',
    ]
    write("hall/x.js", "".join(f"{line}\n" for line in source).encode("utf-8", "surrogateescape"))
    write("e.jsonl", [event("hall", "info", "Tür → offen 7"), event("hall", "info", "Tür → offen {n}", fields={"n": 8})])
    found = run("survey", "hall", "--events", "e.jsonl")

    assert found.code == 1, found.err
    assert ("Every event is explained" in found.out, "Never seen" in found.out) == (True, False)
    assert [
        f"hall/x.js:{line}:1: skipped: a statement whose message is no text in UTF-8 is left out" in found.err
        for line in (3, 4)
    ] == [True, True]
