"""`apply` and `undo` through the program: where it writes, what it refuses, and that a kill leaves old or new."""

from __future__ import annotations

import json
import os
import random
import stat
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import jsonschema
import pytest

from support import Run, give_up_override

Write = Callable[..., Path]
PLAN = """vetrina: 1
# kept
loggers:
  root: {level: warn, to: desk}   # kept too
  ropeway: info
appenders: {desk: {sink: console, template: "${SHORT:-{message}}"}}
stages:
  live: {loggers: {ropeway: error}}
"""
TUNED = PLAN.replace("ropeway: info", "ropeway: debug")
TUNE = ["--tune", "ropeway=debug"]
DOCUMENT = "<?xml version='1.0' encoding='iso-8859-1'?>\n<k><!-- é --><ear for='ropeway' from='INFO'/></k>\n"
MAPPING = "vetrina-mapping: 1\nreads: xml\ninclude: {each: //more, path: '@f'}\nloggers: [{each: //ear, name: '@for', level: '@from'}]\n"
WRITTEN = {
    "a plan": ("plan.yaml", "plan.yaml", PLAN.encode(), TUNED.encode()),
    "an included one": (
        "outer.xml",
        "in/doc.xml",
        DOCUMENT.encode("latin-1"),
        DOCUMENT.replace("INFO", "DEBUG").encode("latin-1"),
    ),
}
"""What is called, which file is written, and its bytes before and after."""


@pytest.fixture(params=WRITTEN)
def target(request: pytest.FixtureRequest, write: Write) -> tuple[str, Path, bytes, bytes]:
    called, name, old, new = WRITTEN[request.param]
    write("outer.xml", "<k><more f='in/doc.xml'/></k>")
    for mapping in ("outer.mapping.yaml", "doc.mapping.yaml"):
        write(mapping, MAPPING)
    return called, write(name, old), old, new


def test_a_change_is_written_listed_and_taken_back(run: Run, write: Write, folder: Path) -> None:
    plan = write("plan.yaml", PLAN)
    plan.chmod(0o640)

    applied = run("apply", "plan.yaml", *TUNE, "--yes", "--json")
    written = plan.read_text()
    listed = run("undo", "plan.yaml", "--list", "--json")
    undone = run("undo", "plan.yaml", "--json")

    assert (applied.code, listed.code, undone.code) == (0, 0, 0)
    assert written == TUNED
    assert stat.S_IMODE(plan.stat().st_mode) == 0o640
    assert plan.read_text() == PLAN
    assert [one.name for one in folder.iterdir()] == ["plan.yaml"]
    assert applied.json["made_in"] == ["plan.yaml"]
    for name, document in (("apply", applied), ("undo-list", listed), ("undo", undone)):
        jsonschema.validate(document.json, run("schema", "output", name).json)


@pytest.mark.parametrize(
    "words, file, expected",
    [
        pytest.param(["--stage", "live", *TUNE], "plan.yaml", PLAN.replace("ropeway: error", "ropeway: debug"), id="the stage that wins"),
        pytest.param(["--with", "local.yaml", *TUNE], "local.yaml", "loggers: {ropeway: debug}\n", id="the layer that wins"),
        pytest.param(["--into", "new.yaml", *TUNE], "new.yaml", "vetrina: 1\nloggers:\n  ropeway: {level: debug}\n", id="a new layer"),
        pytest.param(["--in-stage", "live", *TUNE], "plan.yaml", PLAN.replace("ropeway: error", "ropeway: debug"), id="a stage by name"),
    ],
)  # fmt: skip
def test_it_is_written_where_it_is_decided(
    run: Run, write: Write, folder: Path, words: list[str], file: str, expected: str
) -> None:
    write("plan.yaml", PLAN)
    write("local.yaml", "loggers: {ropeway: warn}\n")
    words = [*words, *(["--stage", "live"] if "--in-stage" in words else [])]

    found = run("apply", "plan.yaml", *words, "--yes")
    text = (folder / file).read_text() if (folder / file).exists() else ""
    undone = run("undo", "plan.yaml")

    assert (found.code, undone.code) == (0, 0), found.err
    assert text.replace("    ", "  ") == expected or text == expected
    assert (folder / "plan.yaml").read_text() == PLAN
    assert not (folder / "new.yaml").exists()


@pytest.mark.parametrize(
    "words, expected",
    [
        ([], "what is the change?"),
        (["--tune", "ropeway=debug"], "nobody can be asked here"),
        (["--tune", "ropeway=lowd", "--yes"], 'level "lowd" is not known'),
        (["--set", "loggers.ropeway.levle=debug", "--yes"], 'did you mean "level"?'),
        (["--set", "appenders.desk.template=x{message}", "--yes"], "a placeholder decides this value"),
        (["--tune", "ropeway=debug", "--stage", "live", "--into", "l.yaml", "--in-stage", "live"], "exclude each other"),
        (["--tune", "ropeway=debug", "--in-stage", "bench", "--yes"], "the change would not take effect"),
    ],
)
def test_what_cannot_be_written_is_refused(run: Run, write: Write, words: list[str], expected: str) -> None:
    plan = write("plan.yaml", PLAN)

    found = run("apply", "plan.yaml", *words)

    assert found.code == 2
    assert expected in found.err
    assert plan.read_text() == PLAN


def test_a_dry_run_writes_nothing(run: Run, write: Write, folder: Path) -> None:
    plan = write("plan.yaml", PLAN)

    found = run("apply", "plan.yaml", *TUNE, "--dry-run")

    assert found.code == 0
    assert "-  ropeway: info\n+  ropeway: debug\n" in found.out
    assert plan.read_text() == PLAN
    assert [one.name for one in folder.iterdir()] == ["plan.yaml"]


def test_edits_made_since_are_kept_elsewhere_and_guarded_in_the_same_place(run: Run, write: Write) -> None:
    plan = write("plan.yaml", PLAN)
    run("apply", "plan.yaml", *TUNE, "--yes")
    plan.write_text(TUNED.replace("# kept\n", "# edited\n"))

    merged = run("undo", "plan.yaml")

    assert merged.code == 0
    assert plan.read_text() == PLAN.replace("# kept\n", "# edited\n")

    plan.write_text(PLAN)
    run("apply", "plan.yaml", *TUNE, "--yes")
    plan.write_text(TUNED.replace("ropeway: debug", "ropeway: trace"))
    refused = run("undo", "plan.yaml")

    assert refused.code == 2
    assert "edited since in the same place" in refused.err
    assert "ropeway: trace" in plan.read_text()


def test_undo_all_and_nothing_to_undo(run: Run, write: Write) -> None:
    plan = write("plan.yaml", PLAN)
    for level in ("debug", "trace"):
        run("apply", "plan.yaml", "--tune", f"ropeway={level}", "--yes")

    assert run("undo", "plan.yaml", "--all").code == 0
    assert plan.read_text() == PLAN
    nothing = run("undo", "plan.yaml")
    assert (nothing.code, "nothing to take back" in nothing.err) == (2, True)


def test_a_second_writer_is_told_to_wait(run: Run, write: Write, folder: Path) -> None:
    import fcntl

    write("plan.yaml", PLAN)
    handle = os.open(folder, os.O_RDONLY)
    fcntl.flock(handle, fcntl.LOCK_EX)
    try:
        found = run("apply", "plan.yaml", *TUNE, "--yes")
    finally:
        os.close(handle)

    assert found.code == 2
    assert "another command is writing here" in found.err


def test_a_damaged_record_and_a_read_only_file(
    run: Run, write: Write, folder: Path, target: tuple[str, Path, bytes, bytes]
) -> None:
    called, path, old, _ = target
    record = write(f".{called}.vetrina-undo.json", "{]")
    damaged = run("undo", called)
    record.unlink()
    path.chmod(0o444)

    done = subprocess.run(
        [sys.executable, "-m", "vetrina", "apply", called, *TUNE, "--yes"],
        cwd=folder,
        capture_output=True,
        text=True,
        preexec_fn=give_up_override,
        check=False,
    )

    assert (damaged.code, "the undo record is damaged" in damaged.err) == (2, True)
    assert (done.returncode, "may not be written" in done.stderr) == (2, True)
    assert path.read_bytes() == old


KILLER = """
import os, sys
at, seen = int(sys.argv.pop(1)), 0
def dying(real):
    def call(*words, **more):
        global seen
        seen += 1
        if seen == at:
            os._exit(9)
        return real(*words, **more)
    return call
for name in ("fsync", "rename", "replace", "fchmod", "fchown", "write", "open", "unlink", "close"):
    setattr(os, name, dying(getattr(os, name)))
from vetrina.commands.main import main
main()
"""


def killed(folder: Path, at: int, *words: str) -> int:
    return subprocess.run(
        [sys.executable, "-c", KILLER, str(at), *words], cwd=folder, capture_output=True, check=False
    ).returncode


def test_a_kill_at_any_step_leaves_the_old_or_the_new_and_can_be_undone(
    run: Run, folder: Path, target: tuple[str, Path, bytes, bytes]
) -> None:
    called, path, old, new = target
    step, code, seen = 0, 9, set()
    while code == 9:
        step += 1
        code = killed(folder, step, "apply", called, *TUNE, "--yes")
        content = path.read_bytes()
        assert content in {old, new}
        seen.add(content)
        record = folder / f".{called}.vetrina-undo.json"
        if record.exists():
            json.loads(record.read_text())
            assert run("undo", called).code == 0
        assert path.read_bytes() == old

    assert seen == {old, new}
    assert step > 8


def test_a_kill_at_a_random_moment_leaves_the_old_or_the_new(write: Write, folder: Path) -> None:
    chance = random.Random(7)
    plan = write("plan.yaml", PLAN)
    for _ in range(25):
        plan.write_text(PLAN)
        process = subprocess.Popen(
            [sys.executable, "-m", "vetrina", "apply", "plan.yaml", *TUNE, "--yes"],
            cwd=folder,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        try:
            process.wait(chance.uniform(0.05, 0.6))
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
        assert plan.read_text() in {PLAN, TUNED}
