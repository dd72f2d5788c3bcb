"""Whatever names, texts and fields hold, a terminal of any width shows lines of its width, and nothing that moves it."""

from __future__ import annotations

import json
import unicodedata
from collections.abc import Callable
from pathlib import Path

import pytest

from support import Run, event

Write = Callable[..., Path]
HOSTILE = "r\u00e9v\u202eb\x1b[31m\u200b\u4f60\u597d\U0001f6a1e\u0301[red]{x}%s\t\x07"
LOGGER = f"ropeway.{HOSTILE}.station"
PLAN = {
    "vetrina": 1,
    "title": f"a title {HOSTILE}",
    "loggers": {
        "root": {"level": "info", "to": ["desk", HOSTILE], "note": HOSTILE},
        LOGGER: {"level": "debug", "to": [{"appender": "desk", "floor": "warn"}], "note": HOSTILE},
    },
    "appenders": {
        "desk": {"sink": "console", "template": "{time|%H:%M:%S} {level|upper|pad 5} {logger|pad 20} {message} {fields}"},
        HOSTILE: {
            "sink": "file",
            "path": f"logs/{HOSTILE}.log".replace("\x1b", "").replace("{x}", ""),
            "rules": [{"drop": {"message": "never"}, "note": HOSTILE}],
            "roll": {"every": "hour", "rename-to": "old/a-{period|%H}.{n}.log", "keep": {"files": 2}},
        },
        "idle": {"sink": "none", "note": HOSTILE},
    },
    "templates": {HOSTILE: "{message}"},
    "stages": {"live": {"loggers": {LOGGER: {"level": "warn"}}}},
}
CASES = {
    "vetrina-expect": 1,
    "cases": [{"say": HOSTILE, "event": {"logger": LOGGER, "level": "debug"}, "reaches": [HOSTILE, "idle"]}],
}
CALLS = [
    ["levels", "plan.yaml", LOGGER],
    ["levels", "plan.yaml", "--stage", "live", "--differs"],
    ["resolve", "plan.yaml", "--defaults"],
    ["origin", "plan.yaml", "title"],
    ["origin", "plan.yaml", "--unused", "--stage", "live"],
    ["routes", "plan.yaml", "week.jsonl"],
    ["routes", "plan.yaml", "week.jsonl", "--each"],
    ["routes", "plan.yaml", "week.jsonl", "--group-by", "field", "x"],
    ["why", "plan.yaml", "--from", "week.jsonl:1"],
    ["why", "plan.yaml", "--logger", LOGGER, "--level", "trace", "--to", "idle"],
    ["preview", "plan.yaml", "week.jsonl", "--remarks"],
    ["preview", "plan.yaml", "week.jsonl", "--appender", "desk", "--explain"],
    ["preview", "plan.yaml", "week.jsonl", "--side-by-side", "desk", HOSTILE],
    ["rolling", "plan.yaml", "week.jsonl", "--ratio", "1"],
    ["rolling", "plan.yaml", "--names"],
    ["whatif", "plan.yaml", "week.jsonl", "--tune", "root=error", "--ratio", "1"],
    ["compare", "plan.yaml", "plan.yaml", "--other-stage", "live"],
    ["apply", "plan.yaml", "--tune", "ropeway=debug", "--dry-run"],
    ["expect", "plan.yaml", "cases.yaml"],
    ["check", "plan.yaml"],
    ["rehearse", "plan.yaml", "week.jsonl", "--into", "out"],
]
UNBROKEN = {"resolve", "apply", "check"}
"""Commands whose lines are to be taken as they are: YAML, a diff, findings with their place."""


def columns(line: str) -> int:
    return sum(0 if unicodedata.combining(char) else 2 if unicodedata.east_asian_width(char) in "WF" else 1 for char in line)


@pytest.fixture(autouse=True)
def hostile(write: Write) -> None:
    write("plan.yaml", json.dumps(PLAN))
    write("cases.yaml", json.dumps(CASES))
    events = [event(LOGGER, level, f"{HOSTILE} {at}", fields={"x": HOSTILE}, time=f"2026-11-02T{at:02}:00:00Z") for at, level in enumerate(("debug", "info", "error", "warn"))]  # fmt: skip
    write("week.jsonl", events)


@pytest.mark.parametrize("width", [60, 80, 140])
@pytest.mark.parametrize("words", CALLS, ids=lambda words: " ".join(words[:1] + words[3:4]).encode("ascii", "replace").decode())
def test_a_screen_holds_its_width_and_nothing_that_moves_it(run_on_terminal: Run, words: list[str], width: int) -> None:
    found = run_on_terminal(*words, columns=width)

    assert found.code in {0, 1}, found.err
    assert found.out
    text = found.out + found.err
    odd = {char for char in text if unicodedata.category(char) in {"Cc", "Cf", "Cs", "Co", "Cn"}} - {"\n"}
    assert odd == set(), [hex(ord(char)) for char in odd]
    if words[0] not in UNBROKEN and "--each" not in words:
        wide = [line for line in found.out.splitlines() if columns(line) > width]
        assert wide == []
