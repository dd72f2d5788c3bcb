"""`check`, `why --to` and the parts of `routes`, through the program."""

from __future__ import annotations

import json
import socket
import subprocess
import xml.etree.ElementTree as ET
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from support import DEMO, PATIENCE, PROGRAM, Run, event, give_up_override
from vetrina.core.checks import load

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers:
  root: {level: warn, to: book}
  lib: {climb: false}
  ropeway: {level: info, to: book}
appenders:
  book: {sink: file, path: /var/log/sereno/book.log, roll: {at-size: 1 MiB, rename-to: "/var/log/sereno/book.{n}.log", keep: {files: 9}}}
stages:
  calm: {loggers: {lib: {climb: true, level: error}}}
"""


def codes(document: Any) -> list[tuple[str, int]]:
    return [(one["code"], one["line"]) for one in document["findings"]]


def test_findings_have_code_place_reason_and_remedy(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("check", "plan.yaml", "--json")

    jsonschema.validate(found.json, run("schema", "output", "check").json)
    assert (found.code, codes(found.json)) == (1, [("dead-end", 4), ("twice", 5), ("forgeable-line", 7)])
    assert found.json["findings"][0]["subject"] == "logger lib"
    text = run("check", "plan.yaml").out
    assert "plan.yaml:4:16: warning dead-end: lib does not climb and delivers to nobody" in text
    assert "3 findings: 2 warnings, 1 hint" in text


@pytest.mark.parametrize(
    "options, code",
    [(["--fail-on", "error"], 0), (["--fail-on", "warning"], 1), (["--fail-on", "hint"], 1), (["--only", "unused-value"], 0)],
)
def test_the_exit_code_goes_by_severity(run: Run, write: Write, options: list[str], code: int) -> None:
    write("plan.yaml", PLAN)

    assert run("check", "plan.yaml", *options).code == code


def test_stages_are_checked_too_and_findings_told_once(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("check", "plan.yaml", "--all-stages", "--json").json["findings"]

    assert [(one["code"], one["stages"]) for one in found if one["severity"] == "warning"] == [
        ("dead-end", ["no stage"]),
        ("twice", []),
    ]
    assert run("check", "plan.yaml", "--stage", "calm", "--json").json["findings"][0]["code"] == "twice"


def test_faults_of_meaning_are_findings_and_no_document_is_an_error(run: Run, write: Write) -> None:
    write("plan.yaml", "vetrina: 1\nloggers: {root: {level: wran, to: nobody}}\nlogers: {}\n")
    write("torn.yaml", "vetrina: [1\n")
    found = run("check", "plan.yaml", "--json")

    assert (found.code, codes(found.json)) == (1, [("unknown-level", 2), ("undefined-appender", 2), ("unknown-key", 3)])
    assert run("check", "torn.yaml").code == 2
    assert run("check", "missing.yaml").code == 2


def test_sarif_has_what_the_standard_requires(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", "vetrina: 1\nloggers: {root: {level: wran, to: [a]}}\nappenders: {a: {sink: none}}\n")
    run("check", "plan.yaml", "--sarif", "out.sarif", "--junit", "out.xml")
    log = json.loads((folder / "out.sarif").read_text())
    (one,) = log["runs"]
    (result,) = one["results"]
    suite = ET.parse(folder / "out.xml").getroot()

    assert log["version"] == "2.1.0"
    assert one["tool"]["driver"]["name"] == "vetrina"
    assert one["tool"]["driver"]["rules"][result["ruleIndex"]]["id"] == result["ruleId"] == "unknown-level"
    assert result["message"]["text"].startswith('level "wran" is not known')
    region = {"startLine": 2, "startColumn": 25, "endLine": 2, "endColumn": 29}
    assert result["locations"][0]["physicalLocation"] == {"artifactLocation": {"uri": "plan.yaml"}, "region": region}
    (change,) = result["fixes"][0]["artifactChanges"]
    assert change["replacements"] == [{"deletedRegion": region, "insertedContent": {"text": "warn"}}]
    assert (suite.tag, suite.get("failures")) == ("testsuites", "1")
    assert sum(1 for case in suite.iter("testcase") if case.find("failure") is not None) == 1


def test_events_show_what_a_plan_alone_does_not(run: Run, write: Write) -> None:
    write(
        "plan.yaml",
        PLAN.replace("lib: {climb: false}", "ropeway.gaet: debug").replace("{lib: {climb: true, level: error}}", "{}"),
    )
    write("week.jsonl", [event("ropeway.gate", "error"), event("ropeway.gate", "info", error="Jam"), event("lib", "warn")])
    few = run("check", "plan.yaml", "--events", "week.jsonl", "--json").json["findings"]
    assert "loud-logger" not in {one["code"] for one in few}, "no advice from a tiny sample"
    write("week.jsonl", [event("ropeway.gate", "error"), event("ropeway.gate", "info", error="Jam"), event("lib", "warn")] * 40)
    found = run("check", "plan.yaml", "--events", "week.jsonl", "--json").json["findings"]

    assert {"unseen-logger", "loud-logger", "mild-error", "bare-error"} <= {one["code"] for one in found}
    assert next(one for one in found if one["code"] == "unseen-logger")["remedy"] == "did you mean ropeway.gate?"
    quieter = run("check", "plan.yaml", "--events", "week.jsonl", "--limit", "loud-logger=95", "--json").json["findings"]
    assert "loud-logger" not in {one["code"] for one in quieter}


def test_probing_looks_at_this_machine(write: Write, folder: Path) -> None:
    subprocess.run(["git", "init", "-q", folder], check=True)
    (folder / ".gitignore").write_text("kept/\n")
    for name in ("open", "kept", "shut"):
        (folder / name).mkdir()
    (folder / "shut").chmod(0o555)
    write("blocked", "a file where a folder should be")
    files = {
        "missing": "gone/a.log",
        "blocked": "blocked/a.log",
        "shut": "shut/a.log",
        "open": "open/a.log",
        "kept": "kept/a.log",
    }
    appenders = {name: {"sink": "file", "path": path} for name, path in files.items()}
    write("plan.json", json.dumps({"vetrina": 1, "loggers": {"root": {"to": list(files)}}, "appenders": appenders}))
    options = [
        word for code, one in load().items() if one.needs == "probe" and code != "nearly-full" for word in ("--only", code)
    ]
    done = subprocess.run(
        [PROGRAM, "check", "plan.json", "--probe", *options, "--json"],
        cwd=folder,
        preexec_fn=give_up_override,
        capture_output=True,
        text=True,
        timeout=PATIENCE,
        check=False,
    )
    found = {(one["code"], one["subject"].split()[1]) for one in json.loads(done.stdout)["findings"]}

    assert found == {
        ("missing-folder", "missing"),
        ("not-a-folder", "blocked"),
        ("unwritable", "shut"),
        *(("unignored-logs", name) for name in ("missing", "blocked", "shut", "open")),
    }


def test_probing_the_network_asks_hosts_and_ports(run: Run, write: Write) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server, socket.create_server(("127.0.0.1", 0)) as gone:
        port, closed = server.getsockname()[1], gone.getsockname()[1]
        gone.close()
        appenders = {
            "a": {"sink": "http", "url": f"http://127.0.0.1:{port}/"},
            "b": {"sink": "syslog", "host": "127.0.0.1", "port": closed, "transport": "tcp"},
            "c": {"sink": "http", "url": "http://sereno.invalid/"},
            "d": {"sink": "syslog", "host": "127.0.0.1", "port": closed},
        }
        write("plan.json", json.dumps({"vetrina": 1, "loggers": {"root": {"to": list(appenders)}}, "appenders": appenders}))
        found = run("check", "plan.json", "--probe-network", "--only", "closed-port", "--only", "unknown-host", "--json").json[
            "findings"
        ]

    assert {(one["code"], one["subject"]) for one in found} == {("closed-port", "appender b"), ("unknown-host", "appender c")}


def test_the_tangled_plans_hold_each_mistake(run: Run) -> None:
    tangled = {one["code"] for one in run("check", "tangled.yaml", "--json", cwd=DEMO).json["findings"]}
    faults = {one["code"] for one in run("check", "tangled-faults.yaml", "--json", cwd=DEMO).json["findings"]}

    assert {
        "wide-debug",
        "twice",
        "idle-entry",
        "dead-end",
        "silenced-errors",
        "left-off",
        "attached-to-off",
        "lost-stack",
        "crash-loss",
        "shared-place",
        "empty-window",
        "shadowed-rule",
        "public-path",
        "idle-floor",
        "no-time",
        "plain-credential",
        "late-mail",
        "mail-flood",
        "unattached",
        "fragile-json",
        "unused-template",
        "stray-entry",
        "unused-value",
        "void-attachment",
        "unreachable",
        "window-gap",
        "pointless-rule",
        "nothing-kept",
        "no-line-end",
        "costly-source",
        "endless-file",
        "slow-sink",
    } <= tangled
    assert {
        "unknown-level",
        "undefined-appender",
        "undefined-template",
        "unknown-key",
        "duplicate-key",
        "bad-template",
        "bad-policy",
        "bad-expression",
        "missing-key",
        "placeholder",
    } <= faults


def test_a_place_that_two_plans_write_to_is_found_and_checks_are_counted_once(run: Run, write: Write) -> None:
    plan = "vetrina: 1\nloggers: {root: {to: NAME}}\nappenders: {NAME: {sink: file, path: PATH, roll: {every: day, rename-to: '{period|%Y-%m-%d}.{n}', keep: {files: 3}}}}\n"
    write("a.yaml", plan.replace("NAME", "hall").replace("PATH", "x/../log.txt"))
    write("b.yaml", plan.replace("NAME", "desk").replace("PATH", "log.txt"))
    write("c.yaml", plan.replace("NAME", "gate").replace("PATH", "other.txt"))
    found = run("check", "a.yaml", "b.yaml", "c.yaml", "--only", "shared-place")

    assert "b.yaml:3:13: warning shared-place: desk and hall of a.yaml write to one place: file log.txt" in found.out
    assert "1 finding: 1 warning (1 check looked over 3 plans)" in found.out
    assert "Nothing found" in run("check", "a.yaml", "a.yaml", "c.yaml", "--only", "shared-place").out


def test_pages_and_list(run: Run) -> None:
    assert "one message arrives twice in one sink" in run("check", "--explain", "twice").out
    assert "--limit wide-debug.loggers=VALUE (now 5)" in run("check", "--explain", "wide-debug").out
    listed = run("check", "--list").out
    assert all(code in listed for code in load())


@pytest.mark.parametrize(
    "words, message",
    [
        (["check"], "which plan?"),
        (["check", "plan.yaml", "--fail-on", "eror"], 'did you mean "error"'),
        (["check", "--explain", "twcie"], 'did you mean "twice"'),
        (["check", "plan.yaml", "--only", "qqqqqq"], "--list names them"),
        (["check", "plan.yaml", "--limit", "twice=3"], "has no thresholds"),
        (["check", "plan.yaml", "--limit", "wide-debug=many"], "is not a number"),
        (["check", "plan.yaml", "--sarif", "no/such/folder/x"], "cannot be written"),
        (["why", "plan.yaml", "--logger", "a", "--level", "info", "--to", "bok"], 'did you mean "book"'),
        (["routes", "plan.yaml", "week.jsonl", "--level", "warn..info"], "upside down"),
        (["routes", "plan.yaml", "week.jsonl", "--appender", "bok"], 'did you mean "book"'),
        (["routes", "plan.yaml", "week.jsonl", "--plot", "x.pdf"], "is no kind of picture"),
        (["routes", "plan.yaml", "week.jsonl", "--group-by", "logger", "x"], "--group-by field NAME"),
    ],
)
def test_bad_calls(run: Run, write: Write, words: list[str], message: str) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", [event()])
    found = run(*words)

    assert (found.code, found.out) == (2, "")
    assert message in found.err


def test_why_finds_ways_to_and_ranks_them_by_given_events(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", [event("lib.http", "warn")] * 3 + [event("ropeway.gate", "debug", fields={"badge": 4711})])
    found = run(
        "why", "plan.yaml", "--logger", "lib.http", "--level", "warn", "--to", "book", "--events", "week.jsonl", "--json"
    )
    jsonschema.validate(found.json, run("schema", "output", "why").json)
    ways = {" ".join(one["edits"]): one["sinks"] for one in found.json["ways"]}

    assert found.code == 1
    assert ways["--set 'loggers[lib].climb=true'"]["book"]["events"] == 3
    applied = run("why", "plan.yaml", "--logger", "lib.http", "--level", "warn", "--set", "loggers[lib].climb=true")
    assert applied.code == 0
    twice = run("why", "plan.yaml", "--logger", "ropeway", "--level", "warn", "--twice")
    assert "--set 'loggers[ropeway].to={remove: [book]}'" in twice.out
    assert "arrives nowhere more than once" in run("why", "plan.yaml", "--logger", "x", "--level", "warn", "--twice").out


def test_routes_shows_a_part(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    rows = [
        event("ropeway.gate", level, fields={"gate": gate})
        for level in ("info", "warn", "error")
        for gate in ("valley", "summit")
    ]
    write("week.jsonl", [*rows, event("ropeway.gates", "error")])

    def routed(*options: str) -> Any:
        return run("routes", "plan.yaml", "week.jsonl", *options, "--json").json

    assert routed("--logger", "ropeway.gate")["events"] == 6
    assert routed("--level", "warn..")["events"] == 5
    assert routed("--field", "gate=valley", "--level", "error")["events"] == 1
    assert [one["appender"] for one in routed("--appender", "book")["appenders"]] == ["book"]
    groups = routed("--group-by", "field", "gate")
    jsonschema.validate(groups, run("schema", "output", "routes-grouped").json)
    assert [(one["value"], one["events"], one["reached"]) for one in groups["groups"]] == [
        ("summit", 3, {"book": 6}),
        ("valley", 3, {"book": 6}),
        ("(absent)", 1, {"book": 2}),
    ]


def test_pictures_repeat_byte_for_byte(run: Run, write: Write, folder: Path) -> None:
    write("plan.yaml", PLAN)
    write("week.jsonl", [event("ropeway.$x^{", "warn"), event("lib", "warn"), event("a", "info")])
    for kind in ("svg", "png"):
        assert run("routes", "plan.yaml", "week.jsonl", "--plot", f"one.{kind}").code == 0
        run("routes", "plan.yaml", "week.jsonl", "--plot", f"two.{kind}")

        assert (folder / f"one.{kind}").read_bytes() == (folder / f"two.{kind}").read_bytes()
        assert len((folder / f"one.{kind}").read_bytes()) > 5000
