"""`find`: each condition, order and view; sources of every kind; what is followed; what cannot be searched."""

from __future__ import annotations

import bz2
import json
import lzma
import os
import signal
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Any

import pytest

from in_process import answer
from support import PATIENCE, PROGRAM, Run, event, give_up_override
from vetrina.formats import turns
from vetrina.work import finding, spans


def said(at: int, message: str, level: str = "info", logger: str = "a.b", **more: Any) -> dict[str, Any]:
    return event(logger, level, message, time=f"2026-11-13T10:{at // 60:02}:{at % 60:02}.000Z", **more)


DESK = [
    said(0, "start INC-7", logger="a"),
    said(2, "badge {badge} read", "debug", fields={"badge": 7}),
    said(4, "door Open", "warn", thread="t1"),
    said(6, "stop INC-7", "error", error="Boom: x\n  at 1\n  at 2\n  at 3"),
    said(8, "late", logger="ab"),
    said(8, "badge {badge} read", fields={"badge": "7"}),
]
GATE = [
    said(1, "begin open ride 7", logger="g"),
    said(4, "end open ride 7", logger="g"),
    said(3, "door open", "warn", logger="a.b.c", count=5),
    said(9, "begin close ride 8", logger="g"),
]
LOG = "2026-11-13 10:00:05 WARN  a.b said so\nBoom: below\n  at door\n2026-11-13 10:00:07 INFO  d next\n"
PLAN = """vetrina: 1
loggers: {root: {to: [text, old]}}
appenders:
  text: {sink: file, path: "logs/text.log", template: short, roll: {at-size: 1 KiB, rename-to: "logs/text.{n}.log.xz", keep: {files: 3}}}
  old: {sink: console, template: '{time} {message}'}
templates: {short: '{time|%Y-%m-%d %H:%M:%S} {level|upper|pad 5} {logger} {message}{error|before "\\n"}'}
"""
SHORT = '{time|%Y-%m-%d %H:%M:%S} {level|upper|pad 5} {logger} {message}{error|before "\\n"}'


@pytest.fixture
def there(folder: Path) -> Path:
    (folder / "desk.jsonl").write_text("".join(json.dumps(one) + "\n" for one in DESK))
    (folder / "gate.jsonl").write_text("".join(json.dumps(one) + "\n" for one in GATE))
    (folder / "plan.yaml").write_text(PLAN)
    (folder / "logs").mkdir()
    (folder / "logs/text.log").write_text(LOG)
    (folder / "logs/text.1.log.xz").write_bytes(lzma.compress(LOG.replace("10:00", "09:00").encode()))
    return folder


def found(folder: Path, *words: str) -> list[str]:
    """Return the hits as `d2` (desk, line 2); what only stands near one in brackets."""
    code, out, err = answer(folder, ["find", *words, "--json"])
    assert code == 0, err
    return [
        f"({one['from'][0]}{one['line']})" if "hit" in one else f"{one['from'][0]}{one['line']}"
        for one in map(json.loads, out.splitlines())
    ]


BOTH = "d1 g1 d2 d3 g2 g3 d4 d5 d6 g4"
ROWS = [
    ([], BOTH),
    (["--as-is"], "d1 d2 d3 d4 d5 d6 g1 g2 g3 g4"),
    (["--logger", "a.b"], "d2 d3 g3 d4 d6"),
    (["--logger", "a.b.c", "--logger", "ab"], "g3 d5"),
    (["--not-logger", "a", "--not-logger", "ab"], "g1 g2 g4"),
    (["--level", "warn.."], "d3 g3 d4"),
    (["--level", "debug"], "d2"),
    (["--message", "^badge 7"], "d2 d6"),
    (["--message", "door", "--message", "open$"], "g3"),
    (["--text", "open"], "g1 g2 g3"),
    (["--text", "OPEN", "--ignore-case"], "g1 d3 g2 g3"),
    (["--text", "at 2"], "d4"),
    (["--text", "badge 7 read"], "d2 d6"),
    (["--thread", "t1"], "d3"),
    (["--field", "badge=7"], "d2"),
    (["--field", 'badge="7"'], "d6"),
    (["--error"], "d4"),
    (["--no-error", "--level", "warn.."], "d3 g3"),
    (["--since", "2026-11-13T10:00:08Z"], "d5 d6 g4"),
    (["--until", "2026-11-13 10:00:02"], "d1 g1"),
    (["--since", "1 second"], "d5 d6 g4"),
    (["--since", "5 seconds", "--until", "2 seconds"], "d3 g2 d4"),
    (["--keep", "{field: {badge: {present: true}}}"], "d2 d6"),
    (["--drop", "{level: ..info}", "--drop", "{logger: a.b.c}"], "d3 d4"),
    (["--between", "start", "stop"], "d1 g1 d2 d3 g2 g3 d4"),
    (["--between", "start", "stop", "--level", "warn.."], "d3 g3 d4"),
    (["--between", "begin", "end", "--as-is"], "g1 g2 g4"),
    (["--first", "2"], "d1 g1"),
    (["--last", "2"], "d6 g4"),
    (["--text", "late", "--around", "1"], "(d4) d5 (d6)"),
    (["--logger", "g", "--around", "1", "--first", "1"], "g1 (g2)"),
    (["--text", "badge", "--last", "1", "--around", "1"], "(d5) d6"),
    (["--shift", "gate.jsonl=-3s"], "g1 d1 g2 g3 d2 d3 d4 g4 d5 d6"),
    (["--journey", "badge=7"], "d2 d6"),
    (["--journey", "ride=7", "--journey-in", r"ride (?P<it>\d+)"], "g1 g2"),
    (["--text", "nowhere"], ""),
]


@pytest.mark.parametrize(("words", "hits"), ROWS, ids=lambda one: " ".join(one) if isinstance(one, list) else "")
def test_conditions_and_orders(there: Path, words: list[str], hits: str) -> None:
    assert found(there, "desk.jsonl", "gate.jsonl", *words) == hits.split()


def test_what_is_added_up(there: Path) -> None:
    def told(*words: str) -> Any:
        code, out, _ = answer(there, ["find", "desk.jsonl", "gate.jsonl", *words, "--json"])
        return code, json.loads(out)

    code, counts = told("--count-by", "level")
    assert (code, counts["total"]) == (0, 14)
    assert {one["value"]: (one["events"], one["errors"]) for one in counts["groups"]} == {
        "info": (6, 0),
        "warn": (6, 0),
        "debug": (1, 0),
        "error": (1, 1),
    }
    _, matrix = told("--count-by", "field badge", "--count-by", "from")
    assert [(*one["value"], one["events"]) for one in matrix["groups"]][:3] == [
        (None, "gate.jsonl", 8),
        (None, "desk.jsonl", 4),
        (7, "desk.jsonl", 1),
    ]
    _, minutes = told("--count-by", "minute", "--zone", "Asia/Tokyo")
    assert minutes["groups"] == [{"value": "2026-11-13T19:00:00+09:00", "events": 14, "errors": 1}]
    _, journeys = told("--journey", "badge", "--journey-in", r"ride (?P<it>\d+)")
    assert [(one["value"], one["events"], one["from"], one["seconds"], one["worst"]) for one in journeys["journeys"]] == [
        ("7", 4, ["gate.jsonl", "desk.jsonl"], 7.0, "info"),
        ("8", 1, ["gate.jsonl"], 0.0, "info"),
    ]
    assert journeys["journeys"][0]["gap"] == {"seconds": 4.0, "after": "end open ride 7", "before": "badge 7 read"}
    code, blocks = told("--blocks", r"begin (?P<name>\w+)", r"end (?P<name>\w+)")
    assert (code, blocks["blocks"]) == (
        1,
        [{"name": "open", "count": 1, "seconds": 3.0, "own_seconds": 3.0, "median": 3.0, "p95": 3.0, "longest": 3.0}],
    )
    assert blocks["broken"] == [{"kind": "no-end", "from": "gate.jsonl", "line": 4}]
    _, folded = told("--fold", "--logger", "a.b")
    assert [(one["message"], one["events"]) for one in folded["folded"]][:1] == [("badge {badge} read", 1)]


@pytest.mark.usefixtures("there")
def test_views_for_people(run: Run) -> None:
    plain = run("find", "desk.jsonl", "--level", "error")
    assert plain.out.splitlines() == [
        "     4  2026-11-13 10:00:06.000  error     a.b  stop INC-7",
        "    Boom: x",
        "    … 2 lines (--stacks shows them)",
        "      at 3",
    ]
    assert "  at 2" in run("find", "desk.jsonl", "--level", "error", "--stacks").out
    assert (
        run("find", "desk.jsonl", "--first", "2", "--columns", "level,message,field badge").out
        == "info\tstart INC-7\t\ndebug\tbadge 7 read\t7\n"
    )
    assert run("find", "desk.jsonl", "--first", "2", "--as", "{level|upper}:{sequence}").out == "INFO:1\nDEBUG:2\n"
    assert run("find", "gate.jsonl", "--count-by", "level", "--count-by", "logger").out.splitlines()[0].split() == [
        "level",
        "a.b.c",
        "g",
        "all",
    ]
    one = run("find", "desk.jsonl", "gate.jsonl", "--journey", "ride=7", "--journey-in", r"ride (?P<it>\d+)")
    assert "2 events in 3.000 s" in one.out
    assert "+3.000 s" in one.out
    assert "2 hits (gate.jsonl 2)" in one.err
    nothing = run("find", "desk.jsonl", "--level", "error", "--until", "2026-11-13 10:00:01")
    assert "nothing found; there would be 1 event in the hour from --until on" in nothing.err
    assert (
        nothing.code,
        run("find", "desk.jsonl", "--text", "zz", "--fail-on", "none").code,
        run("find", "desk.jsonl", "--fail-on", "some").code,
    ) == (0, 1, 1)


@pytest.mark.parametrize("kind", ["png", "svg"])
def test_pictures_repeat_byte_for_byte(there: Path, kind: str) -> None:
    words = [
        ["--plot", f"1.{kind}", "--count-by", "level"],
        ["--plot", f"2.{kind}", "--blocks", r"begin (?P<name>\w+)", r"end (?P<name>\w+)"],
    ]
    made = [
        [answer(there, ["find", "desk.jsonl", "gate.jsonl", *some]) and (there / some[1]).read_bytes() for some in words]
        for _ in range(2)
    ]
    assert made[0] == made[1]
    assert all(len(one) > 5000 for one in made[0])


def test_sources_of_every_kind(there: Path, run: Run) -> None:
    (there / "desk.jsonl.bz2").write_bytes(bz2.compress((there / "desk.jsonl").read_bytes()))
    (there / "many").mkdir()
    for name in ("b.jsonl", "a.jsonl", ".hidden.jsonl"):
        (there / "many" / name).write_text(json.dumps(said(1, name)) + "\n")
    (there / "many/empty.jsonl").write_text("")
    (there / "many/inner").mkdir()

    assert [one["text"] for one in run("find", "many", "many/a.jsonl", "--json").lines] == ["a.jsonl", "b.jsonl"]
    assert [one["from"] for one in run("find", "many/[ab]*", "--json").lines] == ["many/a.jsonl", "many/b.jsonl"]
    assert len(run("find", "desk.jsonl.bz2", "--json").lines) == 6
    assert [
        one["line"]
        for one in run(
            "find", "-", "--since", "2026-11-13T10:00:08Z", "--json", stdin=(there / "desk.jsonl").read_bytes()
        ).lines
    ] == [5, 6]
    where = run("find", "--plan", "plan.yaml", "--where", "--json").json
    assert [(one["path"], one["from"]) for one in where["files"]] == [
        ("logs/text.1.log.xz", "2026-11-13T09:00:05Z"),
        ("logs/text.log", "2026-11-13T10:00:05Z"),
    ]
    kept = run("find", "--plan", "plan.yaml", "--level", "warn", "--copy", "hits.log", "--json")
    assert [(one["line"], one["error"]) for one in kept.lines] == [(1, "Boom: below\n  at door")] * 2
    assert (there / "hits.log").read_text() == LOG.replace("10:00", "09:00").split("2026-11-13 09:00:07")[0] + LOG.split(
        "2026-11-13 10:00:07", maxsplit=1
    )[0]
    merged = run("find", "desk.jsonl", "logs/text.log", "--plan", "plan.yaml", "--json", "--since", "2026-11-13 10:00:05")
    assert [one["from"][0] + str(one["line"]) for one in merged.lines] == ["l1", "d4", "l4", "d5", "d6"]


def test_what_could_not_be_read_is_told(there: Path, run: Run) -> None:
    (there / "bad.jsonl").write_text((there / "desk.jsonl").read_text() + "no event\n{}\n")
    told = run("find", "bad.jsonl", "--json")
    assert (told.code, len(told.lines)) == (1, 6)
    assert "bad.jsonl:7" in told.err
    assert "bad.jsonl:8" in told.err
    rare = run("find", "bad.jsonl", "--text", "nowhere at all")
    assert (rare.code, "looked through, 0 lines" in rare.err) == (0, True)


BAD = [
    (["find"], "what is searched?"),
    (["find", "none.jsonl"], "there is no such file"),
    (["find", "desk.jsonl", "--message", "("], "this is not an RE2 expression"),
    (["find", "desk.jsonl", "--message", "a\udcff", "--ignore-case"], "bytes at character 2 are no UTF-8"),
    (["find", "desk.jsonl", "--text", "a\udcff", "--ignore-case"], "no event can hold them"),
    (["find", "desk.jsonl", "--keep", "{logge: a}"], "logge"),
    (["find", "desk.jsonl", "--since", "soon"], "--since"),
    (["find", "desk.jsonl", "--since", "2026-11-14", "--until", "2026-11-13"], "nothing lies between"),
    (["find", "-", "--since", "2 hours"], "standard input is not at its end yet"),
    (["find", "desk.jsonl", "--level", "loud"], "loud"),
    (["find", "desk.jsonl", "--count-by", "colour"], "is nothing to go by"),
    (["find", "desk.jsonl", "--count-by", "level", "--as-is"], "has no effect"),
    (["find", "desk.jsonl", "--journey-in", "x"], "no group `it`"),
    (["find", "desk.jsonl", "--per", "thread"], "only with --blocks"),
    (["find", "desk.jsonl", "--columns", "tim"], "tim"),
    (["find", "desk.jsonl", "--as", "{"], "--as"),
    (["find", "desk.jsonl", "--shift", "gate=2s"], "gate"),
    (["find", "desk.jsonl", "--copy", "desk.jsonl"], "searched itself"),
    (["find", "desk.jsonl", "--plot", "x.pdf"], "no kind of picture"),
    (["find", "desk.jsonl", "--template", "{message}"], "--template"),
    (["find", "desk.jsonl", "--appender", "text"], "only with --plan"),
    (["find", "desk.jsonl", "--plan", "plan.yaml", "--appender", "nobody"], "nobody"),
    (["find", "logs/text.log", "--template", "{time|%H:%M} {message}"], "have no date"),
    (["find", "-", "--follow"], "ends by itself"),
    (["find", "desk.jsonl", "gate.jsonl", "--workers", "2"], "done by one process"),
    (["find", "empty"], "no files in this folder"),
    (["find", "plan.yaml"], "no layout is found"),
    (["find", "desk.jsonl", "--first", "1", "--last", "1"], "has no effect"),
    (["read", "desk.jsonl", "--draft"], "these are events already"),
    (["read", "logs/text.log", "--draft", "--first", "1"], "--first has no effect"),
]


@pytest.mark.parametrize(("words", "what"), BAD, ids=lambda one: " ".join(one) if isinstance(one, list) else "")
def test_bad_calls(there: Path, words: list[str], what: str) -> None:
    (there / "empty").mkdir()
    code, out, err = answer(there, words)
    assert (code, out) == (2, b"")
    assert what in err


IDLE = [
    (
        "--count-by level",
        "--columns time",
        "--as {message}",
        "--stacks",
        "--around 1",
        "--fold",
        "--journey n",
        "--blocks a b",
        "--follow",
    ),
    (
        "--journey n",
        "--columns time",
        "--as {message}",
        "--stacks",
        "--fold",
        "--blocks a b",
        "--follow",
        "--as-is",
        "--plot x.svg",
    ),
    ("--blocks a b", "--columns time", "--as {message}", "--stacks", "--around 1", "--fold", "--follow"),
    ("--fold", "--columns time", "--as {message}", "--stacks", "--around 1", "--follow", "--plot x.svg"),
    ("--as {message}", "--columns time", "--stacks", "--json"),
    ("--columns time", "--stacks"),
    ("--follow", "--last 2", "--between a b", "--as-is", "--plot x.svg", "--copy x.log", "--fail-on none"),
    ("--plan plan.yaml", "--zone UTC", "--template {time}"),
    ("--where --plan plan.yaml", "--level info", "--first 1"),
    ("--json", "--stacks", "--wide"),
]
"""An option, and others that have no effect beside it."""


@pytest.mark.parametrize(("one", "others"), [(one, others) for one, *others in IDLE], ids=[one[0] for one in IDLE])
def test_options_without_effect_are_refused(there: Path, one: str, others: list[str]) -> None:
    for other in others:
        code, _, err = answer(there, ["find", "desk.jsonl", *one.split(), *other.split()])
        assert (code, "no effect" in err or "leave one of them out" in err) == (2, True), (one, other, err)


ALONE = ["--per thread", "--mask", "--ignore-case", "--appender text", "--where", "--separator /", "--stage live", "--set a=b"]


@pytest.mark.parametrize("option", ALONE)
def test_options_that_need_others(there: Path, option: str) -> None:
    code, _, err = answer(there, ["find", "desk.jsonl", *option.split()])
    assert (code, "has an effect only with" in err) == (2, True), err


def test_a_file_that_may_not_be_read(there: Path) -> None:
    (there / "desk.jsonl").chmod(0)
    done = subprocess.run(
        [PROGRAM, "find", "desk.jsonl"], cwd=there, capture_output=True, text=True, check=False, preexec_fn=give_up_override
    )
    assert (done.returncode, "may not be read" in done.stderr) == (2, True)


def test_drafts_are_used_and_told(there: Path, run: Run) -> None:
    (there / "odd.log").write_text(
        "".join(f"W 2026-11-13 10:00:{at:02} [t{at % 3}] a.b: door {at}\n" for at in range(50)) + "lost\n" * 9
    )
    told = run("find", "odd.log", "--level", "warn", "--last", "1", "--json")
    assert (told.lines[0]["logger"], told.lines[0]["thread"]) == ("a.b", "t1")
    assert (
        "odd.log: layout drafted from the lines: {level|upper|cut 1} {time|%Y-%m-%d %H:%M:%S} [{thread}] {logger}: {message}"
        in told.err
    )
    template = run("read", "odd.log", "--draft").out.strip()
    assert run("read", "odd.log", "--template", template).out == run("read", "odd.log").out
    (there / "short.log").write_text(
        "no record yet\n" * 5 + "".join(f"2026-11-13 10:00:{at:02} INFO a.b y\n" for at in range(20))
    )
    assert (run("find", "short.log", "--first", "1").code, run("read", "short.log", "--draft").code) == (1, 1)
    (there / "dbg.log").write_text("2026-11-13 10:00:01 DBG a.b x\n2026-11-13 10:00:02 INF a.b y\n")
    (there / "dbg.yaml").write_text(run("read", "dbg.log", "--draft").out)
    assert [one["level"] for one in run("read", "dbg.log", "--plan", "dbg.yaml", "--appender", "drafted").lines] == [
        "debug",
        "info",
    ]
    draft = run("read", "dbg.log", "--draft", "--json").json
    assert (draft["form"], draft["read"], draft["lines"], draft["whole"], draft["template"]) == ("text", 2, 2, True, None)


def test_workers_and_spans_give_the_same(there: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A log whose times run forward, and the same where they run back somewhere; files count as large much sooner than else."""
    for name, small in (("PAYS_FROM", 1), ("_MARGIN", 2000), ("_NEAR", 4000)):
        monkeypatch.setattr(spans, name, small)
    lines = [
        f"2026-11-13 {at // 3600:02}:{at // 60 % 60:02}:{at % 60:02} {'ERROR' if at % 700 == 0 else 'INFO '} a.b{at % 3} message {at} of the day\n"
        + ("  below\n" if at % 700 == 0 else "")
        for at in range(30_000)
    ]
    (there / "big.log").write_text("".join(lines))

    def told(*words: str) -> tuple[int, bytes, str]:
        return answer(there, ["find", "big.log", "--template", SHORT, *words])

    for more in (
        ["--text", "message 29999 of"],
        ["--level", "error", "--json"],
        ["--count-by", "logger"],
        ["--level", "error", "--since", "2026-11-13 03:00", "--until", "2026-11-13 04:30"],
    ):
        one, two = told(*more, "--workers", "1"), told(*more, "--workers", "2")
        assert one[:2] == two[:2]
        assert one[1]
    code, out, err = told("--since", "2026-11-13 03:00", "--until", "2026-11-13 03:02", "--json")
    assert (code, "so only bytes" in err) == (0, True)
    assert [(one["line"], one["time"][:19]) for one in map(json.loads, out.splitlines())] == [
        (number, line[:19].replace(" ", "T"))
        for number, line in enumerate("".join(lines).splitlines(), start=1)
        if "2026-11-13 03:00" <= line[:16] < "2026-11-13 03:02"
    ]
    (there / "big.log").write_text("".join([*lines[:20_000], *lines[:9_000], *lines[20_000:]]))
    assert "so only bytes" not in told("--since", "2026-11-13 00:10", "--until", "2026-11-13 00:11")[2]
    assert len(told("--since", "2026-11-13 00:10", "--until", "2026-11-13 00:11", "--json")[1].splitlines()) == 120


def test_very_many_files_are_open_in_turns(there: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of forty files at most three are open; the answer is that of few."""
    (there / "many").mkdir()
    for at in range(40):
        events = [said((at * 7 + step * 11) % 600, f"m{at} {step}", "warn" if step == at % 5 else "info") for step in range(8)]
        (there / f"many/{at:02}.jsonl").write_text("".join(json.dumps(one) + "\n" for one in sorted(events, key=str)))
    for words in ([], ["--level", "warn"], ["--level", "warn", "--around", "1", "--last", "9"], ["--first", "7"]):
        monkeypatch.setattr(turns, "MOST", 1000)
        monkeypatch.setattr(finding, "_MANY", 1000)
        plain = answer(there, ["find", "many", "--json", *words])[:2]
        monkeypatch.setattr(turns, "MOST", 3)
        monkeypatch.setattr(finding, "_MANY", 2)
        assert answer(there, ["find", "many", "--json", *words])[:2] == plain
        assert plain[1]
    (there / "many/39.jsonl").unlink()
    assert answer(there, ["find", "many", "--count-by", "from"])[0] == 0


class Following:
    """`find --follow` on a file, line by line."""

    def __init__(self, folder: Path, *words: str) -> None:
        self.done = subprocess.Popen(
            [PROGRAM, "find", *words, "--template", SHORT, "--follow", "--as", "{message}"],
            cwd=folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )

    def next(self, *wanted: str) -> None:
        assert self.done.stdout is not None
        assert [self.done.stdout.readline().strip() for _ in wanted] == list(wanted)


@pytest.fixture
def follow() -> Iterator[Callable[..., Following]]:
    started: list[Following] = []

    def start(folder: Path, *words: str) -> Following:
        started.append(Following(folder, *words))
        return started[-1]

    yield start
    for one in started:
        one.done.kill()
        one.done.communicate()


def put(file: IO[str], *messages: str) -> None:
    file.writelines(f"2026-11-13 10:00:00 WARN  a {one}\n" for one in messages)
    file.flush()


@pytest.mark.parametrize("what", ["."])
def test_files_are_followed(folder: Path, follow: Callable[..., Following], what: str) -> None:
    """It grows, rolls by a new name while somebody still writes into the old file, is emptied in place, vanishes and comes again."""
    with (folder / "one.log").open("w") as file:
        put(file, "first", "second")
        program = follow(folder, what, "--level", "warn..")
        program.next("first", "second")
        file.write("2026-11-13 10:00:00 WARN  a half")
        file.flush()
        time.sleep(0.5)
        put(file, "")  # ends the half line: its own time stands in it
        put(file, "third")
        program.next("half2026-11-13 10:00:00 WARN  a", "third")
        (folder / "one.log").rename(folder / "one.1.log")
        put(file, "last of the old")
        with (folder / "one.log").open("w") as new:
            put(new, "new")
            program.next("last of the old", "new")
            put(file, "late")
            program.next("late")
            new.truncate(0)
            new.seek(0)
            put(new, "emptied")
            program.next("emptied")
    (folder / "one.log").unlink()
    time.sleep(0.5)
    with (folder / "one.log").open("w") as file:
        put(file, "again")
    program.next("again")
    program.done.send_signal(signal.SIGINT)
    _, err = program.done.communicate(timeout=PATIENCE)
    assert program.done.returncode == 0, err
    assert "9 hits" in err


@pytest.mark.parametrize(
    "data",
    [
        b"\0\xff\xfe" * 50_000,
        b"x" * 40_000_000,
        os.urandom(200_000),
        b"\x1b[31m\x07\r\n" * 1000,
        b"{" * 100_000,
        b'{"time":' * 5000,
    ],
    ids=["binary", "one line", "random", "controls", "braces", "json"],
)
def test_hostile_logs(folder: Path, data: bytes) -> None:
    """Bounded and harmless: what cannot be read is told, or that no layout is found; no control character reaches the screen."""
    (folder / "odd.log").write_bytes(data)
    (folder / "odd.jsonl").write_bytes(data)
    for words in (
        ["find", "odd.log"],
        ["find", "odd.jsonl"],
        ["find", "odd.log", "--template", "{time} {message}", "--text", "needle"],
        ["find", "odd.jsonl", "--text", "needle", "--around", "1"],
    ):
        code, out, err = answer(folder, words)
        assert code in {0, 1, 2}
        assert "\x1b" not in out.decode() + err


def test_many_journeys_and_deep_blocks(folder: Path, run: Run) -> None:
    count = 10_000
    lines = [json.dumps(said(at % 3000, f"begin b{at % 5}", fields={"ride": at})) for at in range(count)]
    lines += [json.dumps(said(3000 + at % 500, f"end b{at % 5}", fields={"ride": at})) for at in reversed(range(count))]
    (folder / "deep.jsonl").write_text("\n".join(lines))
    assert len(run("find", "deep.jsonl", "--journey", "ride", "--json").json["journeys"]) == count
    blocks = run("find", "deep.jsonl", "--blocks", r"begin (?P<name>\w+)", r"end (?P<name>\w+)", "--json").json
    assert (sum(one["count"] for one in blocks["blocks"]), blocks["broken"]) == (count, [])
