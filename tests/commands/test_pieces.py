"""However an input is cut, and whoever works the pieces: the same answer, byte for byte."""

from __future__ import annotations

import gzip
import json
import os
import pickle
import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from in_process import answer
from plans import APPENDERS, LEVELS, NAMES, loggers
from routed import rules
from vetrina.commands import reading
from vetrina.formats import pieces
from vetrina.work import engines
from vetrina.work.worker import Opened, Order, outcome

TIMES = int(os.environ.get("FUZZ", "10")) * 3 // 2
TEXT = '{time} {level|upper|pad 5} {logger} {message}{error|before "\\n"}'
TEMPLATES = [TEXT, "{sequence} {fields}", "{time|%H:%M:%S} {message}", "rows", "j"]
FORMS = {
    "rows": {"as": "csv", "header": True, "columns": {"at": "{time}", "say": "{message}"}},
    "j": {"as": "json", "members": {"at": "{time}", "lvl": "{level}", "who": "{logger}", "say": "{text}", "data": {"raw": "fields"}}},
}  # fmt: skip
CALLS = [
    "routes plan.yaml EVENTS --json", "routes plan.yaml EVENTS", "routes plan.yaml EVENTS --counts-only --json", "routes plan.yaml EVENTS --strict",
    "routes plan.yaml EVENTS --each", "routes plan.yaml EVENTS --each --json --strict", "routes plan.yaml EVENTS --group-by field n --logger a --json --fail-on lost-errors",
    "routes plan.yaml EVENTS --each --appender one --fail-on lost-errors", "whatif plan.yaml EVENTS --tune a=debug --json", "whatif plan.yaml EVENTS --tune a=warn --or --set loggers.root.level=trace --repeat 2",
    "whatif plan.yaml EVENTS --tune a=debug --rate a.b\u00a0info\u00a07/minute --note note.md", "rolling plan.yaml EVENTS --json", "rolling plan.yaml EVENTS --ratio 0.3 --repeat 2 --strict",
    "rolling plan.yaml EVENTS --rate a.b\u00a0info\u00a07/minute --rate b\u00a0error\u00a01/hour\u00a0300 --json", "rolling plan.yaml EVENTS --rate a\u00a0info\u00a01/minute --ratio 0.3 --runs 3",
    "check plan.yaml --events EVENTS --json", "preview plan.yaml EVENTS --raw --appender two", "preview plan.yaml EVENTS --json --level info.. --strict",
    "expect plan.yaml EVENTS --record", "rehearse plan.yaml EVENTS --into box --json", "rehearse plan.yaml EVENTS --into box --keep-removed --verify --crash-at 2026-10-25T00:10",
    "rehearse plan.yaml EVENTS --into box --limit 2KiB", "rehearse plan.yaml EVENTS --into box --disk-full 1KiB --json",
    *(f"read LOGS --plan plan.yaml --appender {name}" for name in APPENDERS), "read LOGS --plan plan.yaml --appender one --level info.. --json",
]  # fmt: skip


class Inline:
    """Works pieces in this process, as they and what comes of them would travel."""

    hands = 3

    def close(self) -> None:
        pass

    def run(self, job: Any, given: Iterable[Any]) -> Iterator[Any]:
        opened = Opened(pickle.loads(pickle.dumps(Order(job, ()))))
        for piece in given:
            yield outcome(pickle.loads(pickle.dumps(opened.answer(0, pickle.loads(pickle.dumps(piece))))))


POLICIES = st.sampled_from(
    [
        None,
        {"every": "hour", "rename-to": "old/x-{period|%d-%H}.log"},
        {"every": "10 minutes", "at-size": "300 B", "rename-to": "old/x-{period|%H%M}.{n}.log.gz", "keep": {"files": 2}},
        {"at-size": "500 B", "size-check": "after", "each-start": True, "rename-to": "old/y.{n}", "newest": "first", "keep": {"disk": "2 KiB"}},
        {"append": False},
    ]
)  # fmt: skip


@st.composite
def plans(draw: st.DrawFn) -> str:
    """Return a plan with files that roll, buffers, and a console."""
    appenders: dict[str, dict[str, Any]] = {}
    for name in APPENDERS[:2]:
        one = draw(st.fixed_dictionaries({"template": st.sampled_from(TEMPLATES)}, optional={"floor": LEVELS, "rules": rules("drop", "keep"), "buffer": st.just({"events": 3, "age": "5 minutes"}), "encoding": st.sampled_from(["utf-16-le", "ascii"])}))  # fmt: skip
        roll = draw(POLICIES)
        appenders[name] = {"sink": "file", "path": f"{draw(st.sampled_from(['x', 'y']))}.log", **one}
        if roll is not None and "append" in roll:
            appenders[name] |= roll
        elif roll is not None:
            appenders[name]["roll"] = roll
    appenders["three"] = {"sink": "console", "template": draw(st.sampled_from(TEMPLATES[:3]))}
    whole: dict[str, Any] = {"vetrina": 1, "zone": "Europe/Rome", "deliver": draw(st.sampled_from(["each", "once"])), "rules": draw(rules("drop", "lift")),
             "loggers": draw(loggers()), "appenders": appenders, "templates": FORMS}  # fmt: skip
    whole["loggers"].setdefault("root", {})["to"] = APPENDERS
    return json.dumps(whole)


LINES = st.one_of(
    *[
        st.builds(
            lambda minutes, zone, level, logger, message, more: json.dumps(
                {"time": f"2026-10-{24 + minutes // 1440:02}T{minutes // 60 % 24:02}:{minutes % 60:02}:00{zone}", "level": level, "logger": logger, "message": message, **more},
                ensure_ascii=False,
            ).encode(),
            st.integers(1200, 1600), st.sampled_from(["Z", "Z", "Z", "+05:30", ".1234567Z"]), LEVELS, NAMES, st.sampled_from(["plain", "{n} à {s}", "two\nlines", ""]),
            st.fixed_dictionaries({}, optional={"fields": st.fixed_dictionaries({}, optional={"n": st.integers(0, 3), "s": st.text(max_size=3)}), "error": st.just("Boom\n  at x"),
                                                "count": st.integers(1, 4), "mark": st.sampled_from(["start", "stop", "crash", "x"]), "extra": st.just(1)}),
        )
    ]
    * 6,
    st.sampled_from([b"", b"  ", b"junk", b"{}", b"\xff\xfe", b'{"time":"2026-10-24T21:00:00Z","level":"odd","logger":"a","message":""}', b"[" * 600]),
)  # fmt: skip
LOG_LINES = st.one_of(
    *[
        st.builds(
            lambda minute, level, name, text: f"2026-10-24T21:{minute:02}:00.000Z {level:<5} {name} {text}".encode(),
            st.integers(0, 59), st.sampled_from(["INFO", "ERROR", "ODD"]), NAMES, st.sampled_from(["x", "é", ""]),
        )
    ]
    * 4,
    st.sampled_from([b"  at x", b"", b"Caused by: y", b"\xff", b'{"at":"2026-10-24T21:00:00.000Z","lvl":"info","who":"a","say":"x","data":{}}', b"2026-10-24T21:00:00.000Z,x"]),
)  # fmt: skip


@st.composite
def files(draw: st.DrawFn, lines: st.SearchStrategy[bytes], name: str) -> dict[str, bytes]:
    """Return one to three files of such lines, some packed, some without an end or with a byte-order mark."""
    found = {}
    for at in range(draw(st.integers(1, 3))):
        data = b"\n".join(draw(st.lists(lines, max_size=12))) + draw(st.sampled_from([b"\n", b"\n", b""]))
        data = draw(st.sampled_from([b"", b"", b"\xef\xbb\xbf"])) + data
        packed = draw(st.integers(0, 4)) == 0
        found[f"{name}-{at}.jsonl" + (".gz" if packed else "")] = gzip.compress(data, mtime=0) if packed else data
    return found


def everything(folder: Path) -> dict[str, bytes]:
    """Return all that stands in a folder."""
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


@settings(max_examples=TIMES)
@given(st.data())
@pytest.mark.parametrize("kind", ["routes", "whatif", "rolling", "check", "preview", "expect", "rehearse", "read"])
def test_pieces_make_the_whole(tmp_path_factory: pytest.TempPathFactory, kind: str, data: st.DataObject) -> None:
    words = data.draw(st.sampled_from([call for call in CALLS if call.startswith(kind)])).split(" ")
    events, logs = data.draw(files(LINES, "e")), data.draw(files(LOG_LINES, "l"))
    plan, size = data.draw(plans()), data.draw(st.integers(1, 1500))
    given = {"EVENTS": [next(iter(events))], "LOGS": [*logs]}
    words = [part.replace("\u00a0", " ") for word in words for part in given.get(word, [word])]
    if "LOGS" not in " ".join(words) and kind != "read":
        words += [part for name in [*events][1:] for part in ("--also", name)]

    def told(apart: bool) -> tuple[Any, ...]:
        folder = tmp_path_factory.getbasetemp() / "pieces" / str(os.getpid())
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        for name, content in {"plan.yaml": plan.encode(), **events, **logs}.items():
            (folder / name).write_bytes(content)
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(reading, "workers_of", lambda text, _inputs: Inline() if apart and text != "1" else None)
            patch.setattr(engines, "pieces_of", lambda inputs, _size: pieces.pieces_of(inputs, size))
            code, out, err = answer(folder, words)
        if "--limit" in words:  # which lines were there when it stopped is no part of the answer
            return code, out, err
        return code, out, err, everything(folder)

    alone, together = told(apart=False), told(apart=True)
    assert together[2] == alone[2]
    assert together[1].split(b"\n") == alone[1].split(b"\n")
    assert together == alone
