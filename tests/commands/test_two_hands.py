"""Two hands at once lose nothing; a record touches only what is its own; a repository's own configuration runs nothing."""

from __future__ import annotations

import json
import os
import pty
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from support import PATIENCE, PROGRAM, Run

Write = Callable[..., Path]
PLAN = "vetrina: 1\nloggers: {root: {level: warn, to: a}, x: info, y: info}\nappenders: {a: {sink: console}}\n"
DOCUMENT = "<k>\n <ear for='x' from='info'/>\n\n\n\n <ear for='y' from='info'/>\n</k>\n"
MAPPING = "vetrina-mapping: 1\nreads: xml\ninclude: {each: //more, path: '@f'}\nloggers: [{each: //ear, name: '@for', level: '@from'}]\n"
LAYER = "vetrina: 1\nloggers: {x: info, y: info}\n"


@pytest.fixture
def plans(write: Write, folder: Path) -> Path:
    for name in ("one/plan.yaml", "two/plan.yaml"):
        write(name, PLAN)
    write("layer.yaml", LAYER)
    write("one/doc.xml", DOCUMENT)
    write("one/outer.xml", "<k><more f='doc.xml'/></k>")
    write("m.yaml", MAPPING)
    (folder / "two" / "link.yaml").symlink_to(folder / "one" / "plan.yaml")
    return folder


@pytest.mark.parametrize(
    "calls, written",
    [
        ([["one/plan.yaml", "--into", "layer.yaml"], ["two/plan.yaml", "--into", "layer.yaml"]], "layer.yaml"),
        ([["one/plan.yaml"], ["two/link.yaml"]], "one/plan.yaml"),
        ([["one/plan.yaml"], ["one/plan.yaml"]], "one/plan.yaml"),
        ([["one/doc.xml", "--by", "m.yaml"], ["one/doc.xml", "--by", "m.yaml"]], "one/doc.xml"),
        ([["one/outer.xml", "--by", "m.yaml"], ["one/doc.xml", "--by", "m.yaml"]], "one/doc.xml"),
    ],
)
def test_two_changes_at_once_are_both_there(plans: Path, calls: list[list[str]], written: str) -> None:
    for _ in range(4):
        (plans / written).write_text(DOCUMENT if "doc" in written else LAYER if "layer" in written else PLAN)
        both = [
            subprocess.Popen([str(PROGRAM), "apply", *words, "--tune", f"{logger}=debug", "--yes"], cwd=plans, stdout=subprocess.DEVNULL)
            for words, logger in zip(calls, "xy", strict=True)
        ]  # fmt: skip

        assert [one.wait(PATIENCE) for one in both] == [0, 0]
        assert (plans / written).read_text().count("debug") == 2
        for one in plans.rglob(".*.vetrina-undo.json"):
            one.unlink()


def test_a_writer_that_stays_is_named_and_an_edit_while_it_asks_is_kept(plans: Path, run: Run) -> None:
    ours, theirs = pty.openpty()
    words = [str(PROGRAM), "apply", "one/plan.yaml", "--tune", "x=debug"]
    asking = subprocess.Popen(words, cwd=plans, stdin=theirs, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    assert asking.stderr is not None
    os.read(asking.stderr.fileno(), 10)  # it has asked
    time.sleep(0.2)
    other = run("apply", "one/plan.yaml", "--tune", "y=debug", "--yes")
    (plans / "one" / "plan.yaml").write_text(PLAN + "title: mine\n")
    os.write(ours, b"y\n")
    _, said = asking.communicate(timeout=PATIENCE)

    assert (other.code, f"process {asking.pid} holds it" in other.err) == (2, True)
    assert (asking.returncode, b"edited meanwhile" in said) == (2, True)
    assert (plans / "one" / "plan.yaml").read_text() == PLAN + "title: mine\n"
    assert not list(plans.rglob(".*.vetrina-undo.json")), "nothing is on record that was not written"


def test_undo_finds_its_files_from_anywhere_and_touches_no_others(plans: Path, run: Run) -> None:
    (plans / "plan.yaml").write_text(PLAN.replace("x: info", "x: debug"))  # looks like the changed one
    assert run("apply", "plan.yaml", "--tune", "x=debug", "--yes", cwd=plans / "one").code == 0
    assert run("undo", "one/plan.yaml", cwd=plans).code == 0

    assert (plans / "one" / "plan.yaml").read_text() == PLAN
    assert "x: debug" in (plans / "plan.yaml").read_text()


def test_a_layer_outside_the_folder_is_asked_about(plans: Path, run: Run) -> None:
    assert run("apply", "one/plan.yaml", "--tune", "x=debug", "--into", "layer.yaml", "--yes").code == 0
    refused = run("undo", "one/plan.yaml")

    assert (refused.code, "layer.yaml lies outside the plan's folder" in refused.err) == (2, True)
    assert "debug" in (plans / "layer.yaml").read_text()
    assert run("undo", "one/plan.yaml", "--yes").code == 0
    assert (plans / "layer.yaml").read_text() == LAYER


@pytest.mark.parametrize("named", ["/etc/../TARGET", "../victim", "../../victim"])
def test_a_planted_or_copied_record_writes_nowhere_else(plans: Path, run: Run, named: str) -> None:
    victim = plans / "victim"
    victim.write_text("after")
    step: dict[str, Any] = {"time": "2026-11-02T10:00:00+00:00", "words": ["x"], "folder": [1, 2]}
    step["files"] = [{"file": named.replace("TARGET", str(victim)), "before": "owned", "after": "after"}]
    record = plans / "one" / ".plan.yaml.vetrina-undo.json"
    record.write_text(json.dumps({"version": 2, "steps": [step]}))
    found = run("undo", "one/plan.yaml", "--yes")

    assert (found.code, "a file that it may not name" in found.err, victim.read_text()) == (2, True, "after")
    record.rename(plans / "elsewhere")
    record.symlink_to(plans / "elsewhere")
    assert "the undo record is a link" in run("undo", "one/plan.yaml", "--yes").err


@pytest.mark.parametrize("link", ["notes.yaml", "below"])
def test_a_planted_record_writes_nowhere_through_a_link(plans: Path, run: Run, link: str) -> None:
    """Three known lines are enough for a planted record to fit a file: edits are merged."""
    victim = plans / "home" / "profile"
    victim.parent.mkdir()
    victim.write_text("a\nb\nc\nd\n")
    named = link if link == "notes.yaml" else "below/profile"
    (plans / "one" / link).symlink_to(victim if link == "notes.yaml" else victim.parent)
    step = {"time": "2026-11-02T10:00:00+00:00", "words": ["x"], "folder": [1, 2]}
    planted = {**step, "files": [{"file": named, "before": "a\nowned\nc\nd\n", "after": "a\nb\nc\nd\n"}]}
    (plans / "one" / ".plan.yaml.vetrina-undo.json").write_text(json.dumps({"version": 2, "steps": [planted]}))
    for words in ((), ("--yes",), ("--yes", "--json")):
        found = run("undo", "one/plan.yaml", *words)

        assert (found.code, str(victim) in found.err, victim.read_text()) == (2, True, "a\nb\nc\nd\n")


def test_a_plan_that_is_a_link_is_taken_back(plans: Path, run: Run) -> None:
    (plans / "linked.yaml").symlink_to(plans / "one" / "plan.yaml")
    assert run("apply", "linked.yaml", "--tune", "x=debug", "--yes").code == 0
    assert run("undo", "linked.yaml").code == 0
    assert (plans / "one" / "plan.yaml").read_text() == PLAN


def test_what_others_left_beside_a_plan_stays(plans: Path, run: Run) -> None:
    draft = plans / "one" / ".plan.yaml.draft.new"
    draft.write_text("mine")

    assert run("apply", "one/plan.yaml", "--tune", "x=debug", "--yes").code == 0
    assert draft.read_text() == "mine"


def test_probing_runs_nothing_and_reads_rules_from_the_tree_alone(plans: Path, run: Run) -> None:
    """A partial clone whose rules would have to be fetched, settings that run programs, settings that are a pipe: git is not even started."""
    marker, tools = plans / "ran", plans / "tools"
    tools.mkdir()
    for name in ("git", "sh", "trap"):
        (tools / name).write_text(f"#!/bin/bash\ntouch {marker}\n")
        (tools / name).chmod(0o755)
    subprocess.run(["git", "-C", str(plans), "init", "-q"], check=True, capture_output=True)
    settings = plans / ".git" / "config"
    fetched = f'[remote "origin"]\n url = ext::{tools}/trap\n promisor = true\n[protocol "ext"]\n allow = always\n'
    settings.write_text(settings.read_text() + f"[core]\n fsmonitor = {tools}/trap\n excludesFile = {tools}/trap\n{fetched}")
    (plans / "one" / "plan.yaml").write_text(PLAN.replace("sink: console", f"sink: file, path: {plans}/logs/a.log"))
    marker.unlink(missing_ok=True)
    environment = {"PATH": f"{tools}:{os.environ['PATH']}"}
    for hinder in ("settings", "no settings", ".git/config", ".gitignore"):
        if hinder == "no settings":
            settings.unlink()
        elif hinder.startswith("."):
            os.mkfifo(plans / hinder)
        assert "unignored-logs" in run("check", "one/plan.yaml", "--probe", env=environment).out
        assert not marker.exists()
    (plans / ".gitignore").unlink()
    (plans / ".gitignore").write_text("logs/\n")
    assert "unignored-logs" not in run("check", "one/plan.yaml", "--probe", env=environment).out
