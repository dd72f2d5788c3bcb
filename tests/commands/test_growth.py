"""Twice the size of an input costs twice the work, not four times: counted in calls, which a busy machine does not change."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from in_process import call
from support import event, every_other

HEAD = "vetrina: 1\nloggers: {root: {to: a}}\nappenders: {a: {sink: console}}\n"


def lines(rows: list[Any]) -> str:
    return "".join(json.dumps(row) + "\n" for row in rows)


def rolled(size: int) -> str:
    return lines([event(time=f"20{at // 372:02}-{at // 31 % 12 + 1:02}-{at % 28 + 1:02}T00:00:00Z") for at in range(size)])


FILED = "vetrina: 1\nloggers: {root: {to: a}}\nappenders: {a: {sink: file, path: /a.log, roll: {every: day, at-size: 100 B, rename-to: '/a-{n}', newest: first, keep: {files: 5}}}}\n"
XML = "vetrina-mapping: 1\nreads: xml\nplaceholder: '\\?(?P<name>x)\\?'\nloggers: [{each: //e, name: '@n', level: '@l', note: t}]\n"
CONF = "vetrina-mapping: 1\nreads: lines\nloggers: [{each: {members: 'a\\.(?P<n>.+)\\.l'}, name: {text: <n>}, level: $, note: {member: a.<n>.n}}]\n"
GROWTH: dict[str, tuple[str, dict[str, Callable[[int], str]]]] = {
    "loggers": ("levels p.yaml", {"p.yaml": lambda n: HEAD.replace("{root: {to: a}}", "{root: {to: a}, " + ", ".join(f"l{at}: info" for at in range(n)) + "}")}),
    "checked loggers": ("check p.yaml", {"p.yaml": lambda n: HEAD.replace("{root: {to: a}}", "{root: {to: a}, " + ", ".join(f"l{at % 9}.m{at}: off" for at in range(n)) + "}")}),
    "rules": ("check p.yaml", {"p.yaml": lambda n: HEAD + "rules:\n" + "".join(f"- drop: {{logger: l{at}}}\n" for at in range(n))}),
    "rules that name none": ("levels p.yaml", {"p.yaml": lambda n: HEAD + "rules:\n" + "".join(f"- drop: {{message: m{at}}}\n" for at in range(n))}),
    "unknown keys": ("levels p.yaml", {"p.yaml": lambda n: HEAD + "".join(f"x{at}: 1\n" for at in range(n))}),
    "brackets": ("levels p.yaml", {"p.yaml": lambda n: "vetrina: 1\nx: " + "[" * n}),
    "bad flow": ("levels p.yaml", {"p.yaml": lambda n: "x: {a: ]" + ", b: c" * n}),
    "placeholders": ("levels p.yaml", {"p.yaml": lambda n: HEAD + "values: {a: x}\ntitle: '" + "${a}" * n + "'\n"}),
    "parts of a template": ("preview e.jsonl --template " + "{message}x" * 30, {"e.jsonl": lambda n: lines([event()] * n)}),
    "env lines": ("levels p.yaml --env-file env", {"p.yaml": lambda _n: HEAD, "env": lambda n: "".join(f"A{at}=1\n" for at in range(n))}),
    "cases": ("expect p.yaml c.yaml", {"p.yaml": lambda _n: HEAD, "c.yaml": lambda n: "vetrina-expect: 1\ncases:\n" + "".join(f"- {{say: s{at}, event: {{logger: a, level: info, message: m}}, reaches: [a]}}\n" for at in range(n))}),
    "segments": ("routes p.yaml e.jsonl", {"p.yaml": lambda _n: HEAD, "e.jsonl": lambda n: lines([event(".".join("a" * n))])}),
    "different loggers": ("routes p.yaml e.jsonl", {"p.yaml": lambda _n: HEAD, "e.jsonl": lambda n: lines([event(f"a.b{at}") for at in range(n)])}),
    "different loggers in whatif": ("whatif p.yaml e.jsonl --tune a=off", {"p.yaml": lambda _n: HEAD, "e.jsonl": lambda n: lines([event(f"a.b{at}") for at in range(n)])}),
    "holes": ("preview p.yaml e.jsonl", {"p.yaml": lambda _n: HEAD, "e.jsonl": lambda n: lines([event(message="{a}" * n, fields={"a": 1})])}),
    "a long message": ("preview p.yaml e.jsonl", {"p.yaml": lambda _n: HEAD, "e.jsonl": lambda n: lines([event(message="word \u001b" * n)])}),
    "bad lines": ("routes p.yaml e.jsonl", {"p.yaml": lambda _n: HEAD, "e.jsonl": lambda n: "{}\nx\n" * n}),
    "further lines": ("read a.log", {"a.log": lambda n: "2026-11-16T05:12:00.000Z INFO  a hello\n" + " at x\n" * n}),
    "misfits": ("read a.log", {"a.log": lambda n: "2026-11-16T05:12:00.000Z INFO  a hello\n" + "2026-11-16T nothing\n" * n}),
    "a document": ("adopt d.xml --by m.yaml", {"m.yaml": lambda _n: XML, "d.xml": lambda n: "<k>" + "".join(f"<e n='a.b{at}' l='info'><t>?x?</t></e>" for at in range(n)) + "</k>"}),
    "what is left over": ("adopt d.xml --by m.yaml --json", {"m.yaml": lambda _n: XML, "d.xml": lambda n: "<k>" + "<odd/>" * n + "</k>"}),
    "paths of the library": ("adopt d.xml --by m.yaml", {"m.yaml": lambda _n: XML.replace("note: t", "note: string(t)"), "d.xml": lambda n: "<k>" + "".join(f"<e n='b{at}'><t>x</t></e>" for at in range(n)) + "</k>"}),
    "members": ("adopt d.conf --by m.yaml", {"m.yaml": lambda _n: CONF, "d.conf": lambda n: "".join(f"a.b{at}.l = info\na.b{at}.n = x\n" for at in range(n))}),
    "repeated keys": ("adopt d.conf --by m.yaml", {"m.yaml": lambda _n: CONF, "d.conf": lambda n: "x = 1\n" * n}),
    "references": ("adopt d.xml --by m.yaml", {"m.yaml": lambda _n: XML.replace("note: t", "note: {of: //s, where: '@n', is: '@n', at: '@v'}"),
                                                "d.xml": lambda n: "<k>" + "".join(f"<e n='b{at}'/><s n='b{at}' v='x'/>" for at in range(n)) + "</k>"}),
    "tokens": ("adopt d.xml --by m.yaml", {"m.yaml": lambda _n: XML.replace("note: t", "note: {at: t, by: w}") + "tokens: {w: [{match: a, text: b}, {match: 'c(?P<x>d)', text: <x>}]}\n",
                                            "d.xml": lambda n: "<k><e n='a'><t>" + "acdx" * n + "</t></e></k>"}),
    "a draft": ("adopt d.xml --draft", {"d.xml": lambda n: "<k>" + "".join(f"<e n='a.b{at}' l='info'><t to='x'/></e>" for at in range(n)) + "<p id='x' f='/x.log'/></k>"}),
    "rolled files": ("rolling p.yaml e.jsonl", {"p.yaml": lambda _n: FILED, "e.jsonl": rolled}),
    "rolled files for real": ("rehearse p.yaml e.jsonl --into out --clean", {"p.yaml": lambda _n: FILED, "e.jsonl": rolled}),
    "differences": ("compare p.yaml q.yaml", {"p.yaml": lambda n: HEAD.replace("{root: {to: a}}", "{root: {to: a}, " + ", ".join(f"l{at}: info" for at in range(n)) + "}"),
                                               "q.yaml": lambda n: HEAD.replace("{root: {to: a}}", "{root: {to: a}, " + ", ".join(f"l{at}: warn" for at in range(n)) + "}")}),
}  # fmt: skip


def work(folder: Path, words: str) -> int:
    """Return how many functions a call calls."""
    count = 0

    def seen(_frame: Any, kind: str, _argument: Any) -> None:
        nonlocal count
        count += kind in {"call", "c_call"}

    sys.setprofile(seen)
    try:
        assert call(folder, words) in {0, 1, 2}
    finally:
        sys.setprofile(None)
    return count


@pytest.mark.parametrize("name", every_other(list(GROWTH)))
def test_twice_the_size_is_not_four_times_the_work(tmp_path: Path, name: str) -> None:
    words, files = GROWTH[name]
    if words.startswith("read"):
        words += ' --template {time}\u00a0{level|upper|pad\u00a05}\u00a0{logger}\u00a0{message}{error|before\u00a0"\\n"}'
    counts = []
    for size in (0, 1, 800, 1600):  # the first imports what is needed
        folder = tmp_path / str(size)
        folder.mkdir()
        for file, make in files.items():
            (folder / file).write_text(make(size or 1))
        counts.append(work(folder, words))
    small, large = counts[2] - counts[1], counts[3] - counts[1]

    assert large < 3 * max(small, 1000), (name, counts)
