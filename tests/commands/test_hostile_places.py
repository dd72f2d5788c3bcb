"""Pipes without a writer, links planted while it runs, packed files that break off, texts that would be live elsewhere."""

from __future__ import annotations

import gzip
import json
import os
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pytest
import zstandard

from support import PATIENCE, PROGRAM, Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers: {root: {to: [f, m, c]}}
appenders:
  f: {sink: file, path: "logs/{period|%d}/a.log", roll: {every: day, keep: {files: 1}}}
  m: {sink: mail, host: h, from: a@b.example, recipients: a@b.example}
  c: {sink: file, path: "/l/a:b"}
"""
EVENTS = [event(), event(time="2026-11-17T05:12:00Z"), event(time="2026-11-18T05:12:00Z")]


WAITING = [
    "levels pipe",
    "routes plan.yaml pipe",
    "levels plan.yaml --env-file pipe",
    "expect plan.yaml pipe",
    "read pipe --plan plan.yaml --appender c",
    "levels plan.yaml --with pipe",
    "apply pipe --tune a=debug --yes",
    "check plan.yaml --events pipe",
    "whatif plan.yaml pipe --tune a=off",
    "find pipe",
]


def test_a_pipe_that_nobody_writes_into_is_not_waited_for_for_ever(write: Write, folder: Path) -> None:
    """All at once, for each waits for 5 seconds."""
    write("plan.yaml", PLAN)
    os.mkfifo(folder / "pipe")
    calls = [
        subprocess.Popen(
            [str(PROGRAM), *words.split()], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        for words in WAITING
    ]
    for words, one in zip(WAITING, calls, strict=True):
        err = one.communicate(timeout=PATIENCE)[1]
        assert one.returncode == 2, words
        assert "nobody wrote into this pipe for 5 seconds" in err or "only files are changed" in err, words


@pytest.mark.parametrize("words", ["routes plan.yaml {}", "whatif plan.yaml {} --tune a=off", "check plan.yaml --events {}", "read {} --template '{{message}}' --date 2026-11-16"])  # fmt: skip
def test_a_pipe_says_what_the_file_says(run: Run, write: Write, folder: Path, words: str) -> None:
    write("plan.yaml", PLAN)
    write("events.jsonl", EVENTS)
    line = f"{PROGRAM} {words.format('<(sleep 0.2; cat events.jsonl)')} --json"
    piped = subprocess.run(["bash", "-c", line], cwd=folder, capture_output=True, text=True, timeout=PATIENCE, check=False)
    plain = run(*(word.strip("'") for word in words.format("events.jsonl").split()), "--json")

    assert (piped.returncode, piped.stdout) == (plain.code, plain.out)


def test_links_that_are_planted_while_it_reads_lead_nowhere(write: Write, folder: Path) -> None:
    """The folders are made before the first event is there: then links take their places."""
    write("plan.yaml", PLAN)
    outside = folder / "outside"
    outside.mkdir()
    with subprocess.Popen(
        [PROGRAM, "rehearse", "plan.yaml", "-", "--into", "out"], cwd=folder, stdin=subprocess.PIPE, stderr=subprocess.PIPE
    ) as rehearsal:
        until = time.monotonic() + PATIENCE
        while not (folder / "out" / ".vetrina-rehearsal").exists() and time.monotonic() < until:
            time.sleep(0.02)
        for name in ("mail", "files", "removed"):
            (folder / "out" / name).symlink_to(outside)
        _, said = rehearsal.communicate("".join(json.dumps(one) + "\n" for one in EVENTS).encode(), timeout=PATIENCE)

    assert (rehearsal.returncode, b"a link stands where a folder is needed" in said) == (2, True), said
    assert list(outside.iterdir()) == []


def test_the_end_by_signal_leaves_nothing_behind(write: Write, folder: Path, tmp_path_factory: pytest.TempPathFactory) -> None:
    write("plan.yaml", PLAN)
    spool = tmp_path_factory.mktemp("spool")
    with subprocess.Popen(
        [PROGRAM, "whatif", "plan.yaml", "-", "--tune", "a=off"], cwd=folder, stdin=subprocess.PIPE, env={**os.environ, "TMPDIR": str(spool)}
    ) as program:  # fmt: skip
        until = time.monotonic() + PATIENCE
        while not list(spool.glob("vetrina-*")) and time.monotonic() < until:  # Python tries the folder with a file of its own
            time.sleep(0.02)
        assert list(spool.glob("vetrina-*"))
        while program.poll() is None and time.monotonic() < until + 20:
            program.send_signal(signal.SIGTERM)  # one that comes just before a read begins is heard when that ends
            time.sleep(0.5)

        assert program.wait(PATIENCE) == 128 + signal.SIGTERM
    assert list(spool.iterdir()) == []


@pytest.mark.parametrize("ending", [".gz", ".zst"])
def test_events_before_a_wrong_checksum_count(run: Run, write: Write, ending: str) -> None:
    data = "".join(json.dumps(event(message=f"m{number}")) + "\n" for number in range(40)).encode()
    packed = bytearray(gzip.compress(data) if ending == ".gz" else zstandard.ZstdCompressor(write_checksum=True).compress(data))
    packed[-5 if ending == ".gz" else -1] ^= 0xFF
    write("plan.yaml", PLAN)
    write(f"e.jsonl{ending}", bytes(packed))
    found = run("routes", "plan.yaml", f"e.jsonl{ending}", "--json")

    assert (found.code, found.json["events"], found.json["unreadable"]) == (1, 40, 1)
    assert f"e.jsonl{ending}:41:1: not an event: the file breaks off here" in found.err


@pytest.mark.parametrize(
    "content, words, said",
    [
        ("vetrina: 1\ntitle: a\x0cb\n", ["levels"], "plan.yaml:2:9: fault: character U+000C is not allowed in YAML"),
        ('vetrina: 1\nvalues: {a: "${a}"}\ntitle: ${a}\n', ["levels"], "${a} stands in the value of its own name"),
        ("vetrina: 1\nrules:\n- drop: {logger: a}\nassume: info\n", ["apply", "--set", "rules=null", "--dry-run"], "+rules: null\n assume: info"),
        ("vetrina: 1\nrules: # why\r\n- drop: {logger: a}\r\n- drop: {logger: b} # b\r\nassume: info\r\n", ["apply", "--set", "rules=null", "--dry-run"], "+rules: null # why # b"),
        ("vetrina: 1\nloggers: {root: {to: [" + ",".join(f"o{at}" for at in range(15)) + "]}}\nappenders:\n"
         + "".join(f"  o{at}: {{sink: none, rules: [{{drop: {{message: x{at}}}}}]}}\n" for at in range(15)), ["compare", "plan.yaml"], "none differs"),
    ],
)  # fmt: skip
def test_words_that_do_not_mislead(run: Run, write: Write, content: str, words: list[str], said: str) -> None:
    write("plan.yaml", content)
    found = run(words[0], "plan.yaml", *words[1:])

    assert said in found.out.replace("\r", "") + found.err


def test_two_paths_never_become_one_file(run: Run, write: Write, folder: Path) -> None:
    write("e.jsonl", EVENTS)
    write("plan.yaml", PLAN)
    first = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--verify", "--json")
    made = next(name.name for name in (folder / "out" / "files" / "l").iterdir())
    write("plan.yaml", PLAN + f'  d: {{sink: file, path: "/l/{made}"}}\n'.replace("[f, m, c]", ""))
    write("plan.yaml", (folder / "plan.yaml").read_text().replace("[f, m, c]", "[f, m, c, d]"))
    second = run("rehearse", "plan.yaml", "e.jsonl", "--into", "out", "--clean", "--verify", "--json")

    assert (first.code, second.code) == (0, 0)
    assert len(list((folder / "out" / "files" / "l").iterdir())) == 2


def test_what_is_handed_over_is_inert(run: Run, write: Write, folder: Path) -> None:
    """A note's fences hold, its words are no HTML, and recorded cases show what turns the reading order."""
    fence, bidi = "x\n````\n<script>alert(1)</script>", "abc\u202edef"
    write(
        "plan.yaml",
        'vetrina: 1\nloggers: {root: {to: "<b>a</b>"}, a: off}\nappenders: {"<b>a</b>": {sink: console, template: "{message}"}}\n',
    )
    write("e.jsonl", [event("a", message=fence), event("b\u202ec", message=bidi)])
    assert run("whatif", "plan.yaml", "e.jsonl", "--tune", "a=info", "--note", "note.md").code == 0
    note = (folder / "note.md").read_text()
    cases = run("expect", "plan.yaml", "e.jsonl", "--record")

    assert "\n`````\nx\n````\n<script>alert(1)</script>\n`````\n" in note
    assert "<b>" not in note.replace(note[note.index("\n`````\n") : note.rindex("\n`````\n")], "").split("```diff")[0]
    assert "\u202e" not in cases.out
    write("cases.yaml", cases.out)
    assert run("expect", "plan.yaml", "cases.yaml").code == 0


def test_cells_of_csv_are_inert_where_the_plan_says_so(run: Run, write: Write, folder: Path) -> None:
    rows = 'vetrina: 1\nloggers: {{root: {{to: r}}}}\nappenders: {{r: {{sink: file, path: /r.csv, template: rows}}}}\ntemplates: {{rows: {{as: csv, columns: {{at: "{{time}}", level: "{{level}}", say: "{{message{}}}"}}}}}}\n'
    messages = ["=1+1", "+x", "-x", "@x", "\tx", "'=quoted", "plain", ""]
    write("e.jsonl", [event(message=message) for message in messages])
    write("live.yaml", rows.format(""))
    write("inert.yaml", rows.format("|inert"))
    live = run("rehearse", "live.yaml", "e.jsonl", "--into", "live")
    tame = run("rehearse", "inert.yaml", "e.jsonl", "--into", "tame", "--verify")
    back = run("read", "tame/files/r.csv", "--plan", "inert.yaml", "--appender", "r")

    assert "cells of r (say) may begin like formulas" in live.err
    assert (tame.code, "formulas" in tame.err) == (0, False)
    assert [line.rsplit(",", 1)[1] for line in (folder / "tame" / "files" / "r.csv").read_text().splitlines()] == [
        "'" + message if message[:1] in set("=+-@\t'") and message else message for message in messages
    ]
    assert [one["message"] for one in back.lines] == messages
    assert ["live-cell" in run("check", name).out for name in ("live.yaml", "inert.yaml")] == [True, False]


@pytest.mark.parametrize(
    "words",
    [
        "find e.jsonl --plan plan.yaml --copy plan.yaml",
        "find e.jsonl --plan plan.yaml --with layer.yaml --copy layer.yaml",
        "find e.jsonl --plan plan.yaml --copy hard.yaml",
        "find e.jsonl --copy e.jsonl",
        "mimic plan.yaml e.jsonl --into room --service plan.yaml",
        "mimic plan.yaml e.jsonl --into room --service e.jsonl",
        "whatif plan.yaml e.jsonl --tune a=off --note plan.yaml",
        "page plan.yaml e.jsonl --out e.jsonl",
    ],
)
def test_an_output_never_takes_the_place_of_an_input(write: Write, run: Run, folder: Path, words: str) -> None:
    write("plan.yaml", PLAN)
    write("layer.yaml", "loggers: {}\n")
    write("e.jsonl", EVENTS)
    os.link(folder / "plan.yaml", folder / "hard.yaml")
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    found = run(*words.split())

    assert (found.code, {name: (folder / name).read_bytes() for name in before}) == (2, before), found.err


def test_a_pipe_or_a_device_is_written_to_and_stays_what_it_is(write: Write, run: Run, folder: Path) -> None:
    write("e.jsonl", EVENTS)
    os.mkfifo(folder / "pipe")
    (folder / "full").symlink_to("/dev/full")
    with subprocess.Popen(["cat", "pipe"], cwd=folder, stdout=subprocess.PIPE) as reader:
        assert run("find", "e.jsonl", "--copy", "pipe").code == 0
        assert reader.communicate(timeout=PATIENCE)[0] == (folder / "e.jsonl").read_bytes()
    assert (folder / "pipe").is_fifo()
    alone = run("find", "e.jsonl", "--copy", "pipe")
    full = run("find", "e.jsonl", "--copy", "full")

    assert (alone.code, full.code, "No space left" in full.err, Path("/dev/full").is_char_device()) == (2, 2, True, True)
