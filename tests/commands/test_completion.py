"""The shell completes names from the plan on the line."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from support import PROGRAM, every_other

Write = Callable[..., Path]
PLAN = """vetrina: 1
loggers: {root: {level: warn, to: desk}, ropeway: info, ropeway.gate: debug}
appenders: {desk: {sink: console}, daybook: {sink: file, path: d.log, template: short}}
templates: {short: "{time} {message}"}
stages: {live: {loggers: {lib.http: warn}}, bench: {}}
"""


MAPPING = """vetrina-mapping: 1
reads: xml
loggers: [{each: //e, name: "@n"}]
appenders: [{each: //d, name: "@n", sink: {text: none}}]
stages: [{each: //s, name: "@n"}]
"""


def completed(folder: Path, line: str) -> list[str]:
    words = line.split(" ")
    environment = {**os.environ, "_VETRINA_COMPLETE": "complete_bash", "COMP_WORDS": line, "COMP_CWORD": str(len(words) - 1)}
    done = subprocess.run([PROGRAM], cwd=folder, env=environment, capture_output=True, text=True, check=False)
    assert done.stderr == ""
    return done.stdout.split()


@pytest.mark.parametrize(
    "line, offered",
    every_other(
        [
            ("levels plan.yaml --stage ", ["live", "bench"]),
            ("levels plan.yaml --stage l", ["live"]),
            ("levels plan.yaml --wide --under ropeway.", ["ropeway.gate"]),
            ("levels plan.yaml r", ["root", "ropeway", "ropeway.gate"]),
            ("levels plan.yaml --tune lib", ["lib.http="]),
            ("levels plan.yaml --tune lib.http=er", ["lib.http=error"]),
            ("whatif plan.yaml week.jsonl --to-stage ", ["live", "bench"]),
            ("routes plan.yaml week.jsonl --appender d", ["desk", "daybook"]),
            ("why plan.yaml --logger x --to da", ["daybook"]),
            ("read x.log --plan plan.yaml --appender ", ["desk", "daybook"]),
            ("origin plan.yaml templates[", ["templates[short]"]),
            ("apply plan.yaml --set templates[short].om", ["templates[short].omit-empty"]),
            ("check --only twi", ["twice"]),
            ("check plan.yaml --fail-on w", ["warning"]),
            ("compare plan.yaml plan.yaml --other-stage b", ["bench"]),
            ("levels doc.xml --stage ", ["winter"]),
            ("levels doc.xml --by m.yaml --tune ticket.", ["ticket.door="]),
            ("routes doc.xml week.jsonl --appender ", ["day"]),
            ("levels broken.yaml --stage ", []),
            ("live s/room.service.yaml ropeway.", ["ropeway.gate"]),
            ("live s/room.service.yaml --tune lib", ["lib.http="]),
            ("capture s/room.service.yaml --tune lib.http=er", ["lib.http=error"]),
            ("live plan.yaml --tune ro", ["root="]),
            ("live nothere.yaml --tune ro", ["root="]),
            ("levels absent.yaml --stage ", []),
            ("levels faulty.yaml --stage ", ["x"]),
        ]
    ),
)
def test_names_are_offered(write: Write, folder: Path, line: str, offered: list[str]) -> None:
    write("plan.yaml", PLAN)
    write("doc.xml", "<k><e n='ticket.door'/><d n='day'/><s n='winter'/></k>")
    for name in ("doc.mapping.yaml", "m.yaml"):
        write(name, MAPPING)
    write("broken.yaml", "vetrina: [\n")
    write("s/room.service.yaml", "vetrina-service: 1\nplan: ../plan.yaml\nwith: local.yaml\n")
    write("faulty.yaml", "vetrina: 1\nlogers: {}\nstages: {x: {}}\n")

    assert completed(folder, f"vetrina {line}") == offered
