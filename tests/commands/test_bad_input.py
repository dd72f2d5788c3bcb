"""Whatever is given: one clear message each, with its place, exit code 2, no traceback, no hang."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from support import PATIENCE, PROGRAM, Run, give_up_override

HEAD = "vetrina: 1\n"
OK = HEAD + "loggers: {root: {to: a}}\nappenders: {a: {sink: none}}\n"
BOMB = HEAD + "values: &v0 {x: y}\n" + "".join(f"a{n}: &v{n} [{', '.join([f'*v{n - 1}'] * 10)}]\n" for n in range(1, 10))


@pytest.mark.parametrize(
    "content, words",
    [
        pytest.param(b"", "plan.yaml: fault: the file is empty", id="empty"),
        pytest.param(b"# only a remark\n", "the file is empty", id="remarks only"),
        pytest.param(b"- a\n", "plan.yaml:1:1: fault: a plan is a mapping, and this is a list", id="a list"),
        pytest.param(b"\xff\xfe", "plan.yaml:1:1: fault: byte 0xff is not UTF-8", id="not UTF-8"),
        pytest.param(b"vetrina: 1\ntitle: a\0b\n", "plan.yaml:2:1: fault: the text holds a NUL", id="NUL"),
        pytest.param(b"vetrina: 1\n---\nvetrina: 1\n", "a second document begins here", id="two documents"),
        pytest.param(("a: " + "[" * 150 + "]" * 150).encode(), "nested more than 100 deep", id="deep"),
        pytest.param(BOMB.encode(), "grows past", id="an alias bomb"),
        pytest.param(b"vetrina: 1\na: &x [*x]\n", "stands inside what it names", id="an alias in itself"),
        pytest.param(b"vetrina: 1\na: *nowhere\n", "names no anchor", id="an alias of nothing"),
        pytest.param(b"vetrina: 1\n\tx: 1\n", "indent with spaces", id="a tab"),
        pytest.param(b"vetrina: 1\ntitle: a: b\n", "fix: write title: 'a: b'", id="a colon in a text"),
        pytest.param(
            b"vetrina: 1\ntemplate: {time} {message}\nx: 1\n",
            "plan.yaml:2:18: fault: a text that begins with { must be quoted",
            id="a template without quotes",
        ),
        pytest.param(b"vetrina: 1\ntitle: {time|%H}\n", "fix: quote a text that begins with {", id="a time without quotes"),
        pytest.param(b"vetrina: 1\ntitle: *.log\n", "begins with * must be quoted", id="a star"),
        pytest.param(b"vetrina: 1\ntitle: 'a\n", "plan.yaml:2:8: fault: a quote is opened here", id="an open quote"),
        pytest.param(b"vetrina: 1\ntitle: [a\n", "plan.yaml:3:1: fault: this is not YAML", id="an open bracket"),
        pytest.param(
            b"vetrina: 1\nappenders: {a: {sink: file, path: ${logs}/x}}\n",
            "a placeholder inside { } or [ ] must be quoted",
            id="placeholder in flow",
        ),
        pytest.param(b"title: x\n", '"vetrina" is missing', id="no version"),
        pytest.param(b"vetrina: 2\n", 'format version "2" is not known', id="version 2"),
        pytest.param(b'{"vetrina": 1, "title": "a", "title": "b"}', '"title" is given twice', id="JSON with a duplicate"),
        pytest.param(b"vetrina: 1\nlogers: {}\n", 'did you mean "loggers"?', id="unknown key"),
        pytest.param(b"vetrina: 1\nlogers:\n", "plan.yaml:2:1: fault", id="unknown key with null"),
        pytest.param(b"vetrina: 1\n<<: {title: a}\n", 'the merge key "<<"', id="merge key"),
        pytest.param(b"vetrina: 1\n? [a]\n: b\n", "a key must be a single text", id="a list as key"),
        pytest.param(b"vetrina: 1\ntitle: !!python/object x\n", "has no meaning in a plan", id="a tag"),
        pytest.param(b"vetrina: 1\nloggers: {a: debgu}\n", "the nearest: debug", id="unknown level"),
        pytest.param(b"vetrina: 1\nloggers: {a: 30}\n", "not a whole number from 1 to 24", id="level 30"),
        pytest.param(b"vetrina: 1\nloggers: {a: {to: nobody}}\n", 'no appender is called "nobody"', id="undefined appender"),
        pytest.param(b"vetrina: 1\nloggers: [a]\n", "a mapping is wanted here, and this is a list", id="wrong shape"),
        pytest.param(b"vetrina: 1\nloggers: {a: {climb: no}}\n", "write false", id="no is no boolean"),
        pytest.param(
            b"vetrina: 1\nloggers: {'': {}, root: {}}\n", '"root" means "root", which is there already', id="root twice"
        ),
        pytest.param(b"vetrina: 1\nseparator: ''\n", "must not be empty", id="empty separator"),
        pytest.param(b"vetrina: 1\nlevels: {debug: 3}\n", "built-in level", id="redefined level"),
        pytest.param(b"vetrina: 1\nzone: Europe/Roma\n", "did you mean Europe/Rome", id="zone"),
        pytest.param(b"vetrina: 1\nappenders: {a: {sink: fiel}}\n", 'did you mean "file"?', id="unknown sink"),
        pytest.param(b"vetrina: 1\nappenders: {a: {sink: file}}\n", 'sink file needs "path"', id="a file without path"),
        pytest.param(
            b"vetrina: 1\nappenders: {a: {sink: console, path: x}}\n",
            "not a known key in an appender with sink: console",
            id="another sink's key",
        ),
        pytest.param(
            b"vetrina: 1\nappenders: {a: {sink: none, template: shrt}}\ntemplates: {short: '{time}'}\n",
            'did you mean "short"?',
            id="undefined template",
        ),
        pytest.param(b"vetrina: 1\nrules: [{drop: {message: '('}}]\n", "is not an RE2 expression", id="bad expression"),
        pytest.param(b"vetrina: 1\nrules: [{drop: {}, keep: {}}]\n", "drop and keep", id="two verdicts"),
        pytest.param(
            b"vetrina: 1\nloggers: {a: {to: [{appender: x, rules: [{lift: {}}]}]}}\nappenders: {x: {sink: none}}\n",
            '"lift" is not a verdict here',
            id="lift off the door",
        ),
        pytest.param(b"vetrina: 1\nrules: [{drop: {field: {a: {b: 1}}}}]\n", "another mapping", id="a mapping as field"),
        pytest.param(b"vetrina: 1\ntitle: " + b"1" * 5000 + b"\n", "wants a text", id="a number of 5000 digits"),
        pytest.param(
            b"vetrina: 1\nappenders: {a: {sink: file, path: x.log, roll: {every: fortnight, rename-to: 'x-{n}'}}}\n",
            "is not a period",
            id="a period",
        ),
    ],
)
def test_bad_plans(run: Run, write: Callable[..., Path], content: bytes, words: str) -> None:
    write("plan.yaml", content)
    found = run("levels", "plan.yaml")

    assert (found.code, found.out) == (2, "")
    assert words in found.err


def test_all_faults_of_a_plan_come_in_one_run_in_the_order_of_their_places(run: Run, write: Callable[..., Path]) -> None:
    write(
        "plan.yaml",
        HEAD
        + "loggers:\n  a: debgu\n  b: {to: [nobody], climb: maybe}\n  b: info\nappenders:\n  x: {sink: none, flor: info}\n",
    )
    found = run("levels", "plan.yaml")
    heads = [line for line in found.err.splitlines() if ": fault: " in line]

    assert [head.split(": fault")[0] for head in heads] == [
        "plan.yaml:3:6",
        "plan.yaml:4:12",
        "plan.yaml:4:28",
        "plan.yaml:5:3",
        "plan.yaml:7:19",
    ]


@pytest.mark.parametrize(
    "words, message",
    [
        pytest.param(["levels", "missing.yaml"], "there is no such file", id="missing"),
        pytest.param(["levels", "."], "this is a directory", id="a directory"),
        pytest.param(["levels"], "Missing argument", id="no plan"),
        pytest.param(["routes", "plan.yaml", "missing.jsonl"], "there is no such file", id="missing events"),
        pytest.param(["routes", "plan.yaml", "."], "there are no files of events in this folder", id="a folder without events"),
        pytest.param(["why", "plan.yaml"], "--logger and --level is missing", id="which message"),
        pytest.param(
            ["why", "plan.yaml", "--logger", "a", "--level", "inof"], "the nearest: info", id="why with an unknown level"
        ),
        pytest.param(
            ["why", "plan.yaml", "--logger", "a", "--level", "info", "--field", "x"], "not K=V", id="a field without ="
        ),
        pytest.param(["why", "plan.yaml", "--from", "x"], "not EVENTS:LINE", id="from without a line"),
        pytest.param(["schema", "output", "rotues"], 'did you mean "routes"', id="schema of nothing"),
        pytest.param(["levels", "plan.yaml", "--tune", "a"], "not LOGGER=LEVEL", id="tune without ="),
        pytest.param(
            ["levels", "plan.yaml", "--set", "loggers[a].lvel=info"], 'did you mean "level"', id="set of an unknown key"
        ),
        pytest.param(["levels", "plan.yaml", "--stage", "live"], "the plan has no stages", id="no stages"),
    ],
)
def test_bad_calls(run: Run, write: Callable[..., Path], words: list[str], message: str) -> None:
    write("plan.yaml", OK)
    found = run(*words)

    assert (found.code, found.out) == (2, "")
    assert message in found.err


def test_a_file_that_may_not_be_read_is_told(write: Callable[..., Path]) -> None:
    plan = write("plan.yaml", OK)
    plan.chmod(0)
    done = subprocess.run(
        [PROGRAM, "levels", plan], preexec_fn=give_up_override, capture_output=True, text=True, timeout=PATIENCE, check=False
    )

    assert done.returncode == 2
    assert "may not be read" in done.stderr


ROLLED = (
    HEAD + "loggers: {root: {to: a}}\nappenders: {a: {sink: file, path: a.log, roll: {at-size: 1 MB, rename-to: 'a-{n}'}}}\n"
)


@pytest.mark.parametrize(
    "old, new, words, unwanted",
    [
        ("rename-to", "renam-to", 'did you mean "rename-to"?', "no name to go to"),
        ("sink:", "snik:", 'did you mean "sink"?', "needs"),
        ("path:", "pahts:", 'did you mean "path"?', "needs"),
        ("1 MB", "-3", '"-3" is not a size', "-3 B"),
        ("1 MB", "true", '"true" is not a size', "True B"),
        ("1 MB", ".inf", "is not a size", "inf B"),
        ("1 MB", "20", 'write "20 B", "20 MiB" or "20 GB"', "not a size"),
    ],
)
def test_one_slip_is_told_once_and_no_nonsense_is_offered(
    run: Run, folder: Path, old: str, new: str, words: str, unwanted: str
) -> None:
    (folder / "plan.yaml").write_text(ROLLED.replace(old, new))
    found = run("levels", "plan.yaml")

    assert (found.code, found.err.count("fault:")) == (2, 1)
    assert words in found.err
    assert unwanted not in found.err


@pytest.mark.parametrize(
    "path, words",
    [
        ("loggers.vendor.store.level=debug", "--set 'loggers[vendor.store].level=…'"),
        ("loggers.vendor.stroe.level=debug", "--set 'loggers[vendor.store].level=…'"),
        ("loggers.vendor.new=debug", "--set 'loggers[vendor.new]=…'"),
        ("appenders.mian.floor=warn", 'fix: did you mean "main"?'),
        ("rules[1].note=x", "item [1] does not exist"),
    ],
)
def test_a_path_that_leads_nowhere_offers_where_it_may_have_been_meant_to_go(
    run: Run, folder: Path, path: str, words: str
) -> None:
    (folder / "plan.yaml").write_text(
        HEAD + "loggers: {root: {to: main}, vendor.store: info}\nappenders: {main: {sink: none}}\n"
    )
    found = run("levels", "plan.yaml", "--set", path)

    assert (found.code, found.out, found.err.count("fault:")) == (2, "", 1)
    assert words in found.err
