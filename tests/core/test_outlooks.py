"""Looking ahead: what a change means in words, limits that meet a wish, traffic drawn again, and names to come."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import in_force
from vetrina.core.base.events import Event
from vetrina.core.base.quantities import show_span
from vetrina.core.changes.outcome import listed, verdict
from vetrina.core.config.edits import with_edits
from vetrina.core.rolling.outlook import coming_names, kept_history, shortest_history
from vetrina.core.rolling.playing import Rolling
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.core.rolling.streams import redrawn
from vetrina.core.routing.router import Router
from vetrina.work.files_over_time import Playing
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording

START = datetime(2026, 11, 2, tzinfo=UTC)
PLAN = """vetrina: 1
deliver: {deliver}
loggers:
  root: {{level: {root}, to: [desk, log]}}
  a: {{to: [{extra}]}}
appenders:
  desk: {{sink: console, floor: {desk}, template: "{template}"}}
  log: {{sink: file, path: a.log, roll: {{every: day, rename-to: "a-{{period|%Y-%m-%d}}.log", keep: {{{keep}}}}}}}
"""
DEFAULTS: dict[str, Any] = {
    "deliver": "each",
    "root": "info",
    "extra": "",
    "desk": "warn",
    "template": "{message}",
    "keep": "files: 2",
}


def events(days: int = 6, a_day: int = 24) -> list[Event]:
    levels = ["debug", "info", "info", "warn"]
    return [
        Event(START + timedelta(days=day, minutes=at * 1440 // a_day), levels[at % 4], "a" if at % 2 else "b", "hello")
        for day in range(days)
        for at in range(a_day)
    ]


def said(recorded: list[Event], before: dict[str, Any], after: dict[str, Any], **how: Any) -> tuple[str, str, str]:
    old, new = (in_force(PLAN.format(**{**DEFAULTS, **one})) for one in (before, after))
    return verdict(Trial(Recording(recorded), **how).outcome(old, new))


@pytest.mark.parametrize(
    "before, after, shows, costs, risks",
    [
        ({}, {}, "Nothing changes for these events", "no byte a day more", "Nothing arrives twice"),
        ({}, {"root": "debug"}, "More goes to log (+36).", "more, on average over the recording's 5 whole days", "Of what the change lets through"),
        ({"root": "debug"}, {}, "Less to log (-36).", "less, on average over the recording's 5 whole days", "36 events that arrived arrive nowhere now"),
        ({}, {"desk": "info"}, "More goes to desk (+72).", "At sinks of kind console that is ", "Nothing arrives twice"),
        ({}, {"desk": "off"}, "Less to desk (-36).", "a day less", "Check finds 2 more: empty-window and unreachable."),
        ({}, {"root": "debug", "desk": "off"}, "More goes to log (+36) and less to desk (-36).", "more", "check finds 3 more"),
        ({}, {"extra": "log"}, "More goes to log (+", "more", "events arrive twice that did not"),
        ({}, {"template": "{message} {level}"}, "No event goes elsewhere, but the lines of desk change.", "", "Nothing arrives twice"),
        ({}, {"root": "trace"}, "More goes to log (+36).", "", "Of what the change lets through the recording holds a part not at all"),
    ],
)  # fmt: skip
def test_what_a_change_means_in_words(
    before: dict[str, Any], after: dict[str, Any], shows: str, costs: str, risks: str
) -> None:
    told = said(events(), before, after)

    assert shows in told[0]
    assert costs in told[1]
    assert risks in told[2]


@pytest.mark.parametrize(
    "before, after, words",
    [
        ({"keep": "files: 2"}, {"keep": "files: 4"}, "the history of log grows from"),
        ({"keep": "files: 4"}, {"keep": "files: 2"}, "the history of log shrinks from"),
        ({"keep": "files: 50"}, {"keep": "files: 2"}, "the history of log goes from"),
        ({"keep": "files: 50"}, {"keep": "files: 60"}, "within the recording no limit acts on log"),
        ({"keep": ""}, {"keep": "", "root": "debug"}, "no history is lost"),
        ({}, {"desk": "info"}, "no file rolls differently"),
    ],
)
def test_what_becomes_of_the_history(before: dict[str, Any], after: dict[str, Any], words: str) -> None:
    assert words in said(events(), before, after)[1]


def test_a_recording_without_length_tells_no_day() -> None:
    assert "What that is in a day cannot be told" in said(events(1, 1), {}, {"root": "debug"})[1]


@given(st.lists(st.sampled_from(["a", "b c", "d"]), min_size=1, max_size=9))
def test_a_list_in_a_sentence_counts_what_it_leaves_out(words: list[str]) -> None:
    text = listed(words)
    shown = min(len(words), 3) if len(words) > 4 else len(words)

    assert text.startswith(words[0])
    assert text.count(",") + text.count(" and ") == (shown if len(words) > 4 else len(words) - 1)
    assert text.endswith(f" and {len(words) - 3} more") == (len(words) > 4)


def rolled(keep: str, recorded: list[Event]) -> FileSimulation:
    rolling = Rolling(Router(in_force(PLAN.format(**{**DEFAULTS, "keep": keep})).plan), wanted=("log",))
    rolling.feed(recorded)
    rolling.finish()
    return rolling.lanes["log"].simulation


@pytest.mark.parametrize(
    "keep, shortest, days",
    [("files: 2", True, 2), ("files: 4", True, 4), ("files: 50", False, 5), ("age: 36 hours", True, 2), ("", False, 5)],
)
def test_how_far_back_files_reach(keep: str, shortest: bool, days: int) -> None:
    found = rolled(keep, events())

    assert (shortest_history(found) is not None) == shortest
    assert timedelta(days=days) <= kept_history(found) + timedelta(hours=1) < timedelta(days=days + 1), show_span(
        kept_history(found)
    )


@pytest.mark.parametrize("disk", [None, 150, 400, 5000])
@pytest.mark.parametrize("history", [None, timedelta(hours=30), timedelta(days=3)])
def test_advice_is_met_when_it_says_so(disk: int | None, history: timedelta | None) -> None:
    found = in_force(PLAN.format(**{**DEFAULTS, "root": "debug", "keep": ""}))
    playing = Playing(Recording(events()), ratio=1.0, wanted=("log",))
    advice = playing.advise(found, "log", disk, history)
    if disk is None and history is None:
        return
    if not advice.edits:
        assert not advice.met
        return
    after = with_edits(found, advice.edits)
    assert after is not None
    again = playing.files(after.plan)[0].lanes["log"].simulation

    assert (again.peak, kept_history(again)) == (advice.peak, advice.history)
    fits, reaches = disk is None or again.peak <= disk, history is None or kept_history(again) >= history
    assert advice.met == (fits and reaches)
    assert advice.untold == (fits and not reaches and all(one.removed is None for one in again.files))


@pytest.mark.parametrize(
    "disk, history, met, edits",
    [
        (3 << 30, timedelta(days=45), False, ["at-size=768 MiB", "keep.disk=2304 MiB", "keep.age=46 days"]),
        (2 * 10**9, timedelta(hours=36), True, ["at-size=500 MB", "keep.disk=1500 MB", "keep.age=60 hours"]),
        (None, timedelta(days=48), False, ["keep.age=49 days"]),
    ],
)
def test_what_no_recording_tells_is_not_met_and_advice_speaks_in_the_units_of_the_wish(
    disk: int | None, history: timedelta, met: bool, edits: list[str]
) -> None:
    found = in_force(PLAN.format(**{**DEFAULTS, "root": "debug", "keep": ""}))
    advice = Playing(Recording(events()), ratio=1.0, wanted=("log",)).advise(found, "log", disk, history)

    assert (advice.met, advice.untold) == (met, not met)
    shown = " ".join(map(str, advice.edits)).replace('"', "").replace("'", "")
    assert [one for one in edits if one.partition("=")[2] not in shown] == [], shown


def test_traffic_drawn_again_is_about_as_much_and_the_same_for_one_seed() -> None:
    rolling = Rolling(Router(in_force(PLAN.format(**{**DEFAULTS, "root": "debug"})).plan), wanted=("log",))
    rolling.feed(events(6, 480))
    rolling.finish()
    lane = rolling.lanes["log"]
    first, again, other = (redrawn(lane, lambda: lane.make(None), 40, seed, kept_history) for seed in (1, 1, 2))
    whole = sum(one.bytes for one in lane.simulation.files)

    assert first == again != other
    assert first.bytes.low <= first.bytes.middle <= first.bytes.high
    assert abs(first.bytes.middle - whole) < 0.05 * whole
    assert first.files.middle == len(lane.simulation.files)


@pytest.mark.parametrize("zone, changes", [("Europe/Rome", 2), ("UTC", 0), ("Asia/Kolkata", 0)])
def test_names_to_come_go_over_the_clocks_changes(zone: str, changes: int) -> None:
    text = PLAN.format(**DEFAULTS).replace("vetrina: 1", f"vetrina: 1\nzone: {zone}").replace("a-{period|%Y-%m-%d}.log", "a-{period|%Y-%m-%d %H}.{n}.log").replace("every: day", "every: hour")  # fmt: skip
    roll = in_force(text).plan.appenders["log"].roll
    rows = list(coming_names(roll, datetime(2026, 11, 25, 12, 30, tzinfo=UTC), ZoneInfo(zone)))
    words = [word for word, _ in rows]

    assert len(rows) == 2 * (4 + 2 * changes)
    assert sum("before the clock changes" in word for word in words) == 2 * changes
    assert all(second == first.replace(".1.", ".2.") for (_, first), (_, second) in zip(rows[::2], rows[1::2], strict=True))
    local = datetime(2026, 11, 25, 12, tzinfo=UTC).astimezone(ZoneInfo(zone))
    assert rows[0][1].startswith(f"a-{local:%Y-%m-%d}")
