"""How quick the page is that is handed over: `python benchmarks/page.py` prints a table (it needs Chromium and Playwright).

A blank page is opened first: what a browser needs for that is no cost of ours. Each answer is timed in the page itself, from the
change of its address to the end of the next frame.
"""

from __future__ import annotations

import json
import random
import shutil
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from playwright.sync_api import sync_playwright

import vetrina
from vetrina.core.base.events import Event

DEMO = Path(vetrina.__file__).parent / "demo"
BEGUN = datetime(2026, 11, 9, tzinfo=UTC)
LEVELS = ["debug", "debug", "info", "info", "warn", "error"]
ANSWER = """async (address) => { const begun = performance.now(); location.hash = address;
    await new Promise((done) => requestAnimationFrame(() => setTimeout(done))); return performance.now() - begun; }"""
WATCH = """new MutationObserver((_, one) => { if (document.documentElement?.dataset.ready) { window.readyAt = performance.now(); one.disconnect(); } })
    .observe(document, { attributes: true, childList: true, subtree: true });"""


def many(folder: Path, loggers: int, events: int) -> Path:
    """Write the page of a plan of so many loggers and a recording of so many events."""
    chance = random.Random(1)
    names = [f"ropeway.{part}.line{at // 10}.part{at}" for at in range(loggers // 3) for part in ("gate", "drive", "wind")]
    plan: dict[str, Any] = {
        "vetrina": 1,
        "zone": "Europe/Rome",
        "loggers": {"root": {"level": "info", "to": ["a0", "a1"]}},
        "appenders": {},
    }
    for name in names:
        level, to = chance.choice(["debug", "info", "warn"]), f"a{chance.randrange(2, 12)}"
        plan["loggers"][name] = {"level": level} if chance.random() < 0.5 else {"to": [to]}
    for at in range(12):
        roll = {"every": "hour", "at-size": "64 KiB", "rename-to": f"a{at}-{{period|%d-%H}}.{{n}}", "keep": {"files": 20}}
        plan["appenders"][f"a{at}"] = {"sink": "file", "path": f"a{at}.log", "roll": roll}
    (folder / "plan.yaml").write_text(json.dumps(plan), encoding="utf-8")
    some = [
        Event(
            BEGUN + timedelta(seconds=14 * at),
            chance.choice(LEVELS),
            chance.choice(names),
            "step {n}",
            {"n": chance.randrange(10**6)},
        )
        for at in range(events)
    ]
    page = folder / f"{loggers}-{events}.html"
    page.write_text(vetrina.page(vetrina.resolve(folder / "plan.yaml"), some), encoding="utf-8")
    return page


def measured(page: Any, path: Path, addresses: list[str]) -> tuple[float, float, list[float]]:
    """Return first paint, ready, and each answer, in milliseconds: the middle of five openings."""
    found = []
    for _ in range(5):
        page.goto("about:blank")
        page.goto(path.as_uri())
        page.wait_for_selector("html[data-ready]", state="attached")
        page.wait_for_timeout(300)
        paint = page.evaluate("performance.getEntriesByType('paint')[0].startTime")
        found.append((paint, page.evaluate("window.readyAt ?? 0"), [page.evaluate(ANSWER, address) for address in addresses]))
    paints, readies, answers = zip(*found, strict=True)
    return sorted(paints)[2], sorted(readies)[2], [sorted(some)[2] for some in zip(*answers, strict=True)]


def main() -> None:
    with tempfile.TemporaryDirectory() as name, sync_playwright() as playwright:
        folder = Path(name)
        (folder / "blank.html").write_text(
            "<!doctype html><html data-ready='1'><title>blank</title><p>blank</p></html>", encoding="utf-8"
        )
        demo = folder / "demo.html"
        demo.write_text(vetrina.page(vetrina.resolve(DEMO / "plan.yaml"), DEMO / "week.jsonl"), encoding="utf-8")
        pages = [
            (folder / "blank.html", []),
            (demo, ["level=9+ropeway.drive", "level=1+root&ask=5+ropeway.gate.scanner", "on=0+desk"]),
            *((many(folder, *size), ["level=1+ropeway.drive", "level=17+root&ask=5+ropeway.gate", "on=0+a0"]) for size in ((300, 35_000), (300, 120_000), (9999, 35_000))),
        ]  # fmt: skip
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page()
        page.add_init_script(WATCH)
        print("| page | MiB | first paint, ms | ready, ms | answers, ms |\n|---|---|---|---|---|")
        for path, addresses in pages:
            paint, ready, answers = measured(page, path, addresses)
            size = path.stat().st_size / (1 << 20)
            print(
                f"| {path.stem} | {size:.1f} | {paint:.0f} | {ready:.0f} | {', '.join(f'{one:.0f}' for one in answers) or '·'} |"
            )
        browser.close()


if __name__ == "__main__":
    main()
