"""Golden screens: what a person sees of each command on the demo, on a terminal of 80 columns. `--regold` writes them anew."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from support import DEMO, Run

BEGUN = """vetrina-mapping: 1
reads: lines
levels: {"..19": trace, "20..39": debug, "40..59": info, "60..69": warn, "70..": error}
loggers: [{each: {members: 'listen\\.(?P<name>.+)'}, name: {text: <name>}, level: $}]
appenders: [{each: {members: 'papers\\.(?P<name>.+)'}, name: {text: <name>}, sink: {text: file}}]
"""
GOLDEN = Path(__file__).parent.parent / "golden"
CALLS = {
    "levels": ["levels", "plan.yaml"],
    "levels-live": ["levels", "plan.yaml", "--stage", "live", "--differs"],
    "origin": ["origin", "plan.yaml", "appenders.desk.floor", "--stage", "live"],
    "routes": ["routes", "plan.yaml", "week.jsonl", "--logger", "ropeway.gate"],
    "why": ["why", "plan.yaml", "--from", "week.jsonl:2370"],
    "why-to": ["why", "plan.yaml", "--logger", "ropeway.gate.scanner", "--level", "debug", "--to", "desk"],
    "check": ["check", "plan.yaml"],
    "preview": ["preview", "plan.yaml", "week.jsonl", "--appender", "desk", "--logger", "ropeway.fare", "--level", "error.."],
    "rolling": ["rolling", "plan.yaml", "week.jsonl", "--appender", "daybook", "--ratio", "0.2"],
    "whatif": ["whatif", "plan.yaml", "week.jsonl", "--tune", "ropeway.gate=debug", "--set", "appenders.daybook.floor=debug", "--ratio", "0.2"],
    "whatif-candidates": ["whatif", "plan.yaml", "week.jsonl", "--stage", "live", "--to-stage", "bench", "--or", "--tune", "ropeway=debug", "--must-show", "logger=ropeway.gate,level=info"],
    "compare": ["compare", "plan.yaml", "plan.yaml", "--other-stage", "live"],
    "compare-sinks": ["compare", "plan.yaml", "plan.yaml", "--other-set", "appenders.daybook.roll.at-size=8 KiB", "--other-set", "templates.long='{message}'"],
    "apply": ["apply", "plan.yaml", "--stage", "live", "--tune", "lib.pool=warn", "--set", "appenders.desk.floor=info", "--dry-run"],
    "adopt-explain": ["adopt", "kiosk.xml", "--explain"],
    "adopt-left-over": ["adopt", "station.conf", "--by", "begun.mapping.yaml"],
    "adopt-draft": ["adopt", "kiosk.xml", "--draft"],
    "apply-document": ["apply", "kiosk.xml", "--tune", "ticket.printer=debug", "--tune", "ticket.door=info", "--dry-run"],
    "origin-document": ["origin", "kiosk.xml", "loggers[ticket].level", "--stage", "winter"],
    "fault-document": ["levels", "kiosk.xml", "--by", "wrong.mapping.yaml"],
    "expect": ["expect", "plan.yaml", "cases.yaml"],
    "rehearse": ["rehearse", "plan.yaml", "week.jsonl", "--into", "out", "--set", "workdir=/home/duty/sereno", "--crash-at", "2026-11-12T13:40:00", "--verify"],
    "fault": ["levels", "plan.yaml", "--set", "loggers.ropeway.levle=debug", "--tune", "lib=wran"],
}  # fmt: skip


@pytest.mark.parametrize("name", CALLS)
def test_screen(run_on_terminal: Run, folder: Path, name: str, request: pytest.FixtureRequest) -> None:
    for one in ("plan.yaml", "tangled.yaml", "week.jsonl", "cases.yaml", "kiosk.xml", "kiosk.mapping.yaml", "station.conf"):
        shutil.copy(DEMO / one, folder / one)
    (folder / "begun.mapping.yaml").write_text(BEGUN)
    (folder / "wrong.mapping.yaml").write_text(
        (DEMO / "kiosk.mapping.yaml").read_text().replace("loud: warn", "loud: wran").replace("to: goes/@to", "to: goes/@from")
    )

    found = run_on_terminal(*CALLS[name])

    screen = f"$ vetrina {' '.join(CALLS[name])}\n{found.out}{found.err}\n(exit code {found.code})\n"
    golden = GOLDEN / f"{name}.txt"
    if request.config.getoption("--regold"):
        golden.parent.mkdir(exist_ok=True)
        golden.write_text(screen, encoding="utf-8")
    assert screen == golden.read_text(encoding="utf-8")
    assert "\x1b" not in screen
    assert (
        name in {"check", "adopt-draft", "adopt-left-over", "fault-document"}
        or max(map(len, found.out.splitlines()), default=0) <= 90
    )  # findings stay on one line, for grep
