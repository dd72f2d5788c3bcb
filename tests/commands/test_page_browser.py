"""The page in a real browser: what it counts is what `whatif` says, nothing leaves it, and everybody can use it."""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from counted import EVENTS, FORMS, TEMPLATES
from plans import APPENDERS, LEVELS, NAMES, in_force, loggers
from routed import rules
from support import DEMO, PROGRAM
from vetrina.core.changes.outcome import Outcome
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.foresight.unheard import UnrecordedLevels
from vetrina.views.page import parts
from vetrina.views.page.change import address_of
from vetrina.views.screen import number
from vetrina.views.whatif import _files_of, _history, _peak_of, day_size
from vetrina.work.handing import window
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording

sync_api = pytest.importorskip("playwright.sync_api", reason="the browser's tests need Playwright: pip install 'vetrina[test]'")
CHROMIUM = next(filter(None, map(shutil.which, ("chromium", "chromium-browser", "google-chrome"))), None)
pytestmark = [
    pytest.mark.skipif(CHROMIUM is None, reason="there is no Chromium on this machine (Debian: apt-get install chromium)"),
    pytest.mark.xdist_group("browser"),
]
NOW = datetime(2026, 11, 20, 12, tzinfo=UTC)
QUIET = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip


class Browser:
    """One browser for all; every request that a page makes beyond its own file is noted."""

    def __init__(self, browser: Any, folder: Path) -> None:
        self.browser, self.folder = browser, folder
        self.asked: list[str] = []
        self.said: list[str] = []

    def open(self, path: Path, address: str = "", **how: Any) -> Any:
        """Return a page of its own, that is ready."""
        context = self.browser.new_context(**{"viewport": {"width": 1280, "height": 800}, **how})
        page = context.new_page()
        page.on("request", lambda request: self.asked.append(request.url))
        page.on("console", lambda message: self.said.append(message.text))
        page.on("pageerror", lambda error: self.said.append(str(error)))
        self.go(page, path, address)
        return page

    def go(self, page: Any, path: Path, address: str = "") -> None:
        page.goto(f"{path.as_uri()}{'#' if address else ''}{address}")
        page.wait_for_selector("html[data-ready]", state="attached", timeout=20_000)


@pytest.fixture(scope="module")
def browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Browser]:
    with sync_api.sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        yield Browser(started, tmp_path_factory.mktemp("pages"))
        started.close()


def rows_of(page: Any, where: str) -> list[list[str]]:
    """Return the cells of a table."""
    found: list[list[str]] = page.eval_on_selector_all(
        f"{where} tbody tr", "rows => rows.map(row => [...row.cells].map(cell => cell.textContent))"
    )
    return found


KEEPS = st.fixed_dictionaries(
    {"files": st.integers(0, 4)}, optional={"age": st.sampled_from(["2 hours", "1 day"]), "disk": st.sampled_from(["60 B", "300 B"])}
)
ROLLS = st.fixed_dictionaries(
    {"keep": KEEPS, "at-size": st.sampled_from(["30 B", "60 B", "200 B", "1 MiB"])},
    optional={
        "every": st.sampled_from(["hour", "day", "7 hours", "week"]),
        "size-check": st.sampled_from(["before", "after"]),
        "each-start": st.booleans(),
        "newest": st.sampled_from(["highest", "first"]),
    },
)  # fmt: skip
NAMED = st.sampled_from(["{period|%d-%H}.{n}", "{n}", "old", "{n|zeros 3}.gz"])


@st.composite
def documents(draw: st.DrawFn) -> dict[str, Any]:
    """Return a random plan with files that roll, in which much arrives."""
    appenders = {}
    entries = draw(loggers())
    root = {"level": draw(LEVELS), "to": draw(st.lists(st.sampled_from(APPENDERS), min_size=2, max_size=4))}
    entries["root"] = {**root, **{name: value for name, value in entries.get("root", {}).items() if name == "climb"}}
    for at, name in enumerate(APPENDERS):
        one: dict[str, Any] = {"sink": "file", "path": f"{at}.log", "template": draw(st.sampled_from(TEMPLATES)).replace('\\"', '"')}
        one |= draw(st.fixed_dictionaries({}, optional={"floor": LEVELS, "ceiling": LEVELS, "rules": rules("drop", "keep"), "enabled": st.booleans(), "append": st.booleans()}))  # fmt: skip
        roll, to = draw(ROLLS), draw(NAMED)
        if roll:
            one["roll"] = {**roll, "rename-to": f"{at}-{to if 'every' in roll else to.removeprefix('{period|%d-%H}.')}"}
        appenders[name] = one
    return {
        "vetrina": 1, "zone": "Europe/Rome", "deliver": draw(st.sampled_from(["each", "once"])), "rules": draw(rules("drop", "keep", "lift"))[:1],
        "loggers": entries, "appenders": appenders, "templates": FORMS,
    }  # fmt: skip


MARKED = st.builds(lambda event, mark: replaced(event, mark), EVENTS, st.sampled_from([None, None, None, "start"]))


def replaced(event: Any, mark: str | None) -> Any:
    event.mark = mark
    return event


CHANGES = st.tuples(
    st.dictionaries(
        NAMES | st.just("root"), st.sampled_from(["all", "trace", "debug", "info", "warn", "error", "off"]), min_size=1, max_size=2
    ),
    st.dictionaries(
        st.sampled_from(APPENDERS),
        st.sampled_from(["enabled=false", "enabled=true", "floor=warn", "floor=trace", "ceiling=info", "ceiling=fatal"]),
        max_size=2,
    ),
)


def appender_rows(outcome: Outcome) -> list[list[str]]:
    """Return what `whatif` says of each appender."""
    effects = outcome.effects
    rows = []
    for name, shift in effects.appenders.items():
        before, after = effects.a_day(name)
        gained, lost = shift.gained.events, shift.lost.events
        rows.append([
            name, number(shift.before.events), number(shift.after.events), f"+{number(gained)}" if gained else "·",
            f"-{number(lost)}" if lost else "·", day_size(before, effects, shift.before), day_size(after, effects, shift.after),
        ])  # fmt: skip
    return rows


def file_rows(outcome: Outcome, found: ResolvedPlan) -> list[list[str]]:
    """Return what `whatif` says of the files that may change, as far as a page tells it."""
    rows = []
    for one in outcome.rolled:
        assert one.before is not None
        assert one.after is not None
        roll = found.plan.appenders[one.appender].roll
        disk = "not known here" if roll.names.codec else f"{_peak_of(one.before)} > {_peak_of(one.after)}"
        rows.append([one.appender, f"{_files_of(one.before)} > {_files_of(one.after)}", disk, _history(one.before, one.after)])
    return rows


def seen(o):
    import time
    with open("/tmp/w/stat","a") as f: f.write(f"{len(o.lines)} {len(o.rolled)} {sum(one.after.removed>0 for one in o.rolled)} {len(o.unheard)} {sum(s.changes for s in o.effects.appenders.values())} {time.time()}\n")


def told_of(one: UnrecordedLevels, found: ResolvedPlan) -> tuple[str, str, bool]:
    name = found.plan.scale.name
    return one.logger, name(one.low) if one.low == one.high else f"{name(one.low)} to {name(one.high)}", one.below


@pytest.mark.whole
@settings(max_examples=200, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(documents(), st.lists(MARKED, min_size=15, max_size=60), CHANGES)
def test_what_is_tried_is_what_whatif_says(
    browser: Browser, document: dict[str, Any], events: list[Any], change: tuple[dict[str, str], dict[str, str]]
) -> None:
    import vetrina

    path = browser.folder / "plan.yaml"
    path.write_text(json.dumps(document), encoding="utf-8")
    tunes = [f"{name}={level}" for name, level in change[0].items()]
    sets = [f"appenders[{name}].{what}" for name, what in change[1].items()]
    found, after = vetrina.resolve(path), vetrina.resolve(path, tunes=tunes, sets=sets)
    outcome = Trial(Recording(events)).outcome(found, after)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(parts._Gallery, "_draws", lambda _: False)
        text = parts.made_page(window(found, "", Recording(events)), [], parts.Making(NOW, "0", 0)).text
    made = browser.folder / "page.html"
    made.write_text(text, encoding="utf-8")
    address = address_of(found, after)
    page = opened(browser, made, address or "")

    assert (address is None) is not bool(outcome.lines)
    if address is None:
        return
    assert rows_of(page, "#try-sinks") == appender_rows(outcome)
    seen(outcome)
    shown = {row[0]: row for row in rows_of(page, "#try-files")}
    packed = {name for name, one in found.plan.appenders.items() if one.roll.rolls and one.roll.names.codec and one.roll.keep.disk}
    for row in file_rows(outcome, found):
        assert row[0] in packed or shown[row[0]] == row
    gaps = [told_of(one, found) for one in outcome.unheard]
    told = page.inner_text("#try-said")
    assert ("holds a part not at all" in told) is bool(gaps)
    for logger, levels, below in gaps:
        assert f"at {levels} from {logger} and below it" in told if below else logger in told
    assert browser.said == []


def opened(browser: Browser, path: Path, address: str) -> Any:
    """Return the one page in which all plans are opened in turn."""
    page = getattr(browser, "page", None)
    if page is None:
        page = browser.page = browser.open(path, address)  # type: ignore[attr-defined]
    else:
        page.goto("about:blank")
        browser.go(page, path, address)
    return page
