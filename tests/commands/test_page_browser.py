"""The page in a real browser: what it counts is what `whatif` says, nothing leaves it, and everybody can use it."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from counted import EVENTS, FORMS, TEMPLATES
from plans import APPENDERS, LEVELS, NAMES, loggers
from routed import CHANNELS, rules
from support import DEMO, PATIENCE, PROGRAM
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
pytestmark = pytest.mark.skipif(
    CHROMIUM is None, reason="there is no Chromium on this machine (Debian: apt-get install chromium)"
)
NOW = datetime(2026, 11, 20, 12, tzinfo=UTC)
QUIET = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip


class Browser:
    """One browser for all; every request that a page makes beyond its own file is noted."""

    def __init__(self, browser: Any, folder: Path) -> None:
        self.browser, self.folder = browser, folder
        self.asked: list[str] = []
        self.said: list[str] = []
        self.page: Any = None
        self.turn = 0
        self.stopped: set[str] = set()

    def open(self, path: Path, address: str = "", **how: Any) -> Any:
        """Return a page of its own, that is ready."""
        context = self.browser.new_context(**{"viewport": {"width": 1280, "height": 800}, **how})
        page = context.new_page()
        page.on("request", lambda request: self.asked.append(request.url))
        page.on("requestfailed", lambda request: self.stopped.add(request.url) if request.failure == "csp" else None)
        page.on("console", lambda message: self.said.append(message.text))
        page.on("pageerror", lambda error: self.said.append(str(error)))
        self.go(page, path, address)
        return page

    def go(self, page: Any, path: Path, address: str = "") -> None:
        page.goto(f"{path.as_uri()}{'#' if address else ''}{address}", wait_until="commit")
        page.wait_for_selector("html[data-ready]", state="attached", timeout=1000 * PATIENCE)


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
    {"files": st.integers(0, 4)},
    optional={"age": st.sampled_from(["2 hours", "1 day"]), "disk": st.sampled_from(["60 B", "300 B"])},
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
        one: dict[str, Any] = {
            "sink": "file",
            "path": f"{at}.log",
            "template": draw(st.sampled_from(TEMPLATES)).replace('\\"', '"'),
        }
        one |= draw(st.fixed_dictionaries({}, optional={"floor": LEVELS, "ceiling": LEVELS, "rules": rules("drop", "keep"), "enabled": st.booleans(), "append": st.booleans()}))  # fmt: skip
        roll, to = draw(ROLLS), draw(NAMED)
        if roll:
            one["roll"] = {**roll, "rename-to": f"{at}-{to if 'every' in roll else to.removeprefix('{period|%d-%H}.')}"}
        appenders[name] = one
    return {
        "vetrina": 1, "zone": "Europe/Rome", "deliver": draw(st.sampled_from(["each", "once"])), "channels": draw(CHANNELS), "rules": draw(rules("drop", "keep", "lift"))[:1],
        "loggers": entries, "appenders": appenders, "templates": FORMS,
    }  # fmt: skip


def replaced(event: Any, mark: str | None, channel: str | None) -> Any:
    event.mark, event.channel = mark, channel
    return event


MARKED = st.builds(
    replaced, EVENTS, st.sampled_from([None, None, None, "start"]), st.sampled_from([*[None] * 6, "in", "out", "else"])
)
CHANGES = st.tuples(
    st.dictionaries(
        NAMES | st.just("root"),
        st.sampled_from(["all", "trace", "debug", "info", "warn", "error", "off"]),
        min_size=1,
        max_size=2,
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


ANSWERS = """() => new Promise((done) => {
    const rows = (where) => [...document.querySelectorAll(`${where} tbody tr`)].map((row) => [...row.cells].map((cell) => cell.textContent));
    const look = () => document.documentElement.dataset.ready ? done([rows("#try-sinks"), rows("#try-files"), document.getElementById("try-said").textContent]) : setTimeout(look, 2);
    look();
})"""


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
        text = parts.made_page(window(found, Recording(events)), [], parts.Making(NOW, "0", 0)).text
    address = address_of(found, after)
    assert (address is None) is not bool(outcome.lines)
    assume(address is not None)
    browser.turn += 1
    made = browser.folder / f"page{browser.turn % 2}.html"  # another address, so that it is loaded anew
    made.write_text(text, encoding="utf-8")
    sinks, files, told = opened(browser, made, address or "").evaluate(ANSWERS)
    assert sinks == appender_rows(outcome)
    shown = {row[0]: row for row in files}
    packed = {
        name for name, one in found.plan.appenders.items() if one.roll.rolls and one.roll.names.codec and one.roll.keep.disk
    }
    for row in file_rows(outcome, found):
        assert row[0] in packed or shown[row[0]] == row
    gaps = [told_of(one, found) for one in outcome.unheard]
    assert ("holds a part not at all" in told) is any(below for *_, below in gaps)
    for logger, levels, below in gaps:
        assert f"at {levels} from {logger} and below it that the change lets through" in told if below else logger in told
    assert browser.said == []


def opened(browser: Browser, path: Path, address: str) -> Any:
    """Return the one page in which all plans are opened in turn, as soon as it is there."""
    if browser.page is None:
        browser.page = browser.open(path, address)
    else:
        browser.page.goto(f"{path.as_uri()}#{address}", wait_until="commit")
    return browser.page


@pytest.fixture(scope="module")
def demo(browser: Browser) -> Path:
    """Return the page of the demo, as the program writes it."""
    path = browser.folder / "demo.html"
    words = ["page", "plan.yaml", "week.jsonl", "--out", str(path), "--tune", "ropeway.drive=info"]
    done = subprocess.run([str(PROGRAM), *words], cwd=DEMO, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    return path


def test_the_demo_answers_without_the_tool(browser: Browser, demo: Path) -> None:
    page = browser.open(demo, "level=9+ropeway.drive&ask=5+ropeway.gate.scanner")
    said = page.inner_text("#ask-answer .said >> nth=0")
    assert said.startswith(
        "Today, and with the change that is tried below: Stopped at the level gate: ropeway.gate.scanner inherits info from ropeway; debug is below it (plan.yaml:15)."
    )
    assert ["desk", "1 268", "564", "·", "-704", "11.4 KiB", "5.8 KiB"] in rows_of(page, "#try-sinks")
    assert ["daybook", "11 > 11", "not known here", "4 days > 4 days"] in rows_of(page, "#try-files")
    assert len(rows_of(page, "#files [data-at='0']")) == 11
    assert page.locator(".findings li").count() > 10
    assert "arrive twice in desk" in page.text_content(".findings")
    assert page.locator("figure img").count() == 3
    assert page.evaluate("[...document.images].every(one => one.decode() && one.alt)")


def test_nothing_leaves_the_page_and_its_policy_holds(browser: Browser, demo: Path) -> None:
    browser.asked.clear()
    page = browser.open(demo)
    page.evaluate("""() => { document.body.insertAdjacentHTML("beforeend", "<img src='http://sereno.example/x.png' onerror='window.hit = 1'><style>body{display:none}</style>");
        const one = document.createElement("script"); one.textContent = "window.hit = 1"; document.body.append(one); }""")
    page.wait_for_timeout(200)

    assert page.evaluate("window.hit") is None
    assert page.is_visible("h1")
    sent = {url.split("#")[0] for url in browser.asked if not url.startswith("data:")}
    assert sent - browser.stopped == {demo.as_uri()}
    assert browser.stopped == {"http://sereno.example/x.png"}
    assert all("Content Security Policy" in line for line in browser.said)
    browser.said.clear()


@pytest.mark.parametrize(
    "how", [{}, {"color_scheme": "dark"}, {"viewport": {"width": 390, "height": 844}}], ids=["wide", "dark", "narrow"]
)
def test_everybody_can_read_it(browser: Browser, demo: Path, how: dict[str, Any]) -> None:
    from axe_playwright_python.sync_playwright import Axe

    page = browser.open(demo, "level=9+ropeway.drive&on=0+desk&ask=5+ropeway.gate.scanner", **how)
    if not how:
        page.emulate_media(media="print")  # on paper all parts are laid out, on a screen those in sight
        assert Axe().run(page).response["violations"] == []
        page.emulate_media(media="screen")
    found = [
        (one["id"], one["impact"], [node["target"] for node in one["nodes"]]) for one in Axe().run(page).response["violations"]
    ]

    assert found == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_the_keyboard_is_enough(browser: Browser, demo: Path) -> None:
    page = browser.open(demo)
    press = page.keyboard.press
    press("Tab")
    assert page.evaluate("document.activeElement.textContent") == "To the question"
    press("Enter")
    press("Tab")
    page.keyboard.type("scan")
    assert page.get_attribute("#ask-logger", "aria-expanded") == "true"
    press("ArrowDown")
    press("Enter")
    assert page.inner_text("#ask-answer h3") == "debug of ropeway.gate.scanner"
    page.focus("#try-logger")
    page.keyboard.type("ropeway.gate")
    press("Escape")
    press("Tab")
    press("ArrowUp")
    press("Tab")
    press("Enter")
    assert "ropeway.gate at trace" in page.inner_text(".changes")
    assert page.evaluate("location.hash").startswith("#level=9+ropeway.drive&level=1+ropeway.gate")
    page.focus(".changes li:last-child button")
    press("Enter")
    assert "ropeway.gate at trace" not in page.inner_text(".changes")
    page.focus("#try-sinks th:nth-child(2) button")
    press("Enter")
    assert page.get_attribute("#try-sinks th:nth-child(2)", "aria-sort") == "descending"
    assert rows_of(page, "#try-sinks")[0][0] == "desk"


def test_ten_thousand_loggers_and_what_is_typed(browser: Browser) -> None:
    names = [f"a.b{at % 100}.c{at}" for at in range(10_000)]
    (browser.folder / "many.yaml").write_text(
        json.dumps({"vetrina": 1, "loggers": {"root": {"level": "info", "to": "o"}, **dict.fromkeys(names, "warn")}, "appenders": {"o": {"sink": "console"}}}), encoding="utf-8"
    )  # fmt: skip
    events = "".join(
        json.dumps({"time": "2026-11-16T05:12:00Z", "level": "info", "logger": one, "message": "m"}) + "\n" for one in names
    )
    (browser.folder / "many.jsonl").write_text(events, encoding="utf-8")
    done = subprocess.run([str(PROGRAM), "page", "many.yaml", "many.jsonl", "--out", "many.html"], cwd=browser.folder, capture_output=True, text=True, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr

    page = browser.open(browser.folder / "many.html", "level=5+a.b7.c7")
    assert rows_of(page, "#try-sinks") == [["o", "0", "1", "+1", "·", "not known", "not known"]]
    page.fill("#ask-logger", "b7.c")
    assert page.inner_text("#ask-logger-names li:last-child") == "and 70 more loggers: type more of the name"
    assert "50 of 10 001 rows are shown" in page.text_content("#loggers")
    page.click("#loggers [role=status] button")
    assert page.locator("#loggers tbody tr").count() == 10_001
    page.fill("#loggers input[type=search]", "c77 ")
    first = page.evaluate("""() => new Promise((done) => { location.hash = "level=5+a&ask=5+a.b9.c9"; addEventListener("hashchange", () =>
        done(["#ask-answer", "#try-said"].map((one) => document.querySelector(one).textContent)), { once: true }); })""")
    assert (first[0].startswith("debug of a.b9.c9"), first[1]) == (True, "Counting …"), (
        "the answer comes before what is counted"
    )
    page.wait_for_selector("html[data-ready]", state="attached")
    assert page.inner_text("#try-said").startswith("For these events nothing changes")
    assert browser.said == []


@pytest.mark.parametrize(
    "text",
    ["</script><script>window.hit=1</script>", '"><img src=x onerror=window.hit=1>', "' onfocus='window.hit=1' autofocus='"],
)
def test_whatever_is_in_plan_log_or_address_is_never_run(browser: Browser, text: str) -> None:
    (browser.folder / "evil.yaml").write_text(json.dumps({"vetrina": 1, "title": text, "loggers": {"root": {"to": "o"}, text: {"level": "debug", "note": text}}, "appenders": {"o": {"sink": "console"}}}), encoding="utf-8")  # fmt: skip
    (browser.folder / "evil.jsonl").write_text(json.dumps({"time": "2026-11-16T05:12:00Z", "level": "info", "logger": text, "message": text}) + "\n", encoding="utf-8")  # fmt: skip
    done = subprocess.run([str(PROGRAM), "page", "evil.yaml", "evil.jsonl", "--out", "evil.html", "--title", text], cwd=browser.folder, capture_output=True, text=True, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr

    page = browser.open(browser.folder / "evil.html", urlencode({"ask": f"9 {text}", "level": f"5 {text}", "on": f"0 {text}"}))

    assert page.evaluate("window.hit") is None
    assert page.title() == text
    assert text in page.inner_text("#ask-answer")
    assert text in page.text_content("#lines")
    assert browser.said == []
