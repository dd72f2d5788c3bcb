"""What a day is worked out from; what a change opens that nobody recorded; sums that are not mixed."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import LEVELS, NAMES, in_force
from routed import plans
from vetrina.core.base.events import Event
from vetrina.core.base.logger_names import below
from vetrina.core.base.quantities import show_span
from vetrina.core.changes.outcome import Kept, Outcome, verdict
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.config.resolution import TuneOption
from vetrina.core.foresight.unheard import unheard
from vetrina.core.rolling.pace import pace_of, seconds_by_day
from vetrina.core.rolling.streams import Stream
from vetrina.core.routing.router import Router
from vetrina.core.schema.nodes import Source

ROME = ZoneInfo("Europe/Rome")
START = datetime(2026, 3, 27, 23, tzinfo=UTC)  # midnight in Rome; the night of the 29th has an hour less


@pytest.mark.parametrize(
    "first, hours, days, words",
    [
        (0, 0, 0, "the recording has no length"),
        (0, 1 / 6, 0, "at this recording's pace, 10 minutes long"),
        (6, 30, 0, "at this recording's pace, 1 day 6 hours long"),
        (0, 24, 1, "in the recording's one whole day, Sat 2026-03-28"),
        (0, 23.9, 1, "in the recording's one whole day, Sat 2026-03-28"),
        (0, 47, 2, "on average over the recording's 2 whole days"),
        (0.3, 46.6, 1, "in the recording's one whole day, Sun 2026-03-29"),
        (12, 24 * 6, 5, "on average over the recording's 5 whole days"),
    ],
)
def test_a_day_is_whole_or_extrapolated_and_says_so(first: float, hours: float, days: int, words: str) -> None:
    begun = START + timedelta(hours=first)
    pace = pace_of(begun, begun + timedelta(hours=hours), ROME)

    assert (len(pace.days), pace.words()) == (days, words)
    assert pace.about == ("" if days else "about ")


@given(st.integers(1, 86_400), st.integers(0, 10**12))
def test_a_short_recording_is_extrapolated_and_never_shown_as_it_is(seconds: int, size: int) -> None:
    pace = pace_of(START + timedelta(hours=3), START + timedelta(hours=3, seconds=seconds), UTC)
    a_day = pace.a_day(size, {})

    if seconds < 60:
        assert (a_day, pace.words()) == (None, f"the recording is {show_span(pace.span)} long, too short for it")
    else:
        assert a_day is not None
        assert abs(a_day - size * 86_400 / seconds) <= 1 or pace.days


@given(st.integers(-(10**6), 10**6), st.integers(1, 10**6))
def test_the_seconds_of_all_days_are_those_between(begun: int, length: int) -> None:
    first = START + timedelta(seconds=begun)
    found = seconds_by_day(first, first + timedelta(seconds=length), ROME)

    assert sum(found.values()) == length
    assert found.get(date(2026, 3, 29), 0) <= 23 * 3600


VENDOR = """vetrina: 1
loggers: {root: {level: warn, to: [book, desk]}, vendor: warn, vendor.store: info, vendor.none: {note: never seen}}
appenders:
  book: {sink: file, path: b.log, template: "{message}"}
  desk: {sink: console, template: "{message}{message}"}
"""


def tuned(name: str, level: str) -> TuneOption:
    return TuneOption(f"{name}={level}", name, level, Source(f"{name}={level}", "option"))


def outcome(tunes: str, events: list[Event], streams: tuple[Stream, ...] = ()) -> Outcome:
    before = in_force(VENDOR)
    options = tuple(tuned(*one.split("=")) for one in tunes.split())
    after = in_force(VENDOR, tunes=options)
    comparison = Comparison(Router(before.plan), Router(after.plan))
    comparison.feed(events)
    effects = comparison.result(streams)
    told = unheard(Router(before.plan), Router(after.plan), effects.recorded)
    return Outcome((tunes,), effects, (), told, (), (), (), (), {"book": "file", "desk": "console"})


def made(logger: str, level: str, at: int = 0) -> Event:
    return Event(START + timedelta(seconds=at), level, logger, "0123456789")


@pytest.mark.parametrize(
    "tunes, events, told",
    [
        ("vendor=info", [made("vendor.store.x", "info"), made("vendor.pay", "warn")], [("vendor", 9, 10, True)]),
        ("vendor=info", [made("vendor.store.x", "info")], [("vendor", 9, 10, True)]),
        ("vendor=info", [made("vendor.pay", "info"), made("vendor.door", "error")], [("vendor.none", 9, 10, True), ("vendor.door", 9, 10, False)]),
        ("vendor=info vendor.none=off", [made("vendor.pay", "debug")], []),
        ("vendor=error", [made("vendor.pay", "warn")], []),
        ("root=debug", [made("vendor.store.x", "debug")], [("root", 5, 10, True)]),
    ],
)  # fmt: skip
def test_what_is_unheard_is_decided_for_what_the_change_opens(tunes: str, events: list[Event], told: list[Any]) -> None:
    found = outcome(tunes, events).unheard

    assert [(one.logger, one.low, one.high, one.below) for one in found] == told


OPENED = """vetrina: 1
loggers: {root: {level: error, to: [book]}, lending.desk: {level: error, enabled: false}, a: info, a.b: {}, a.c: {}}
appenders: {book: {sink: none}}
"""


@pytest.mark.parametrize(
    "tune, events, told",
    [
        pytest.param(("root", "info"), [made("lending.desk", "info")], [], id="a disabled entry is as if it were not there"),
        pytest.param(("a", "debug"), [made("a.b", "debug")], [("a.c", 5, 5)], id="an entry that says nothing goes the way of the one above"),
        pytest.param(("a", "debug"), [made("a.bc", "debug"), made("b", "debug")], [("a.b", 5, 5), ("a.c", 5, 5)], id="by segments"),
        pytest.param(("a", "trace"), [made("a.b", "debug")], [("a", 1, 1), ("a.c", 5, 5)], id="only the levels that are not there"),
    ],
)  # fmt: skip
def test_what_is_there_is_not_called_unheard(tune: tuple[str, str], events: list[Event], told: list[Any]) -> None:
    before, after = Router(in_force(OPENED).plan), Router(in_force(OPENED, tunes=(tuned(*tune),)).plan)
    found = unheard(before, after, [(one.logger, before.severities[one.level]) for one in events])

    assert [(one.logger, one.low, one.high) for one in found] == told


@given(plans(), st.data())
def test_a_logger_and_level_that_is_opened_is_called_unheard_just_if_no_event_is_one(text: str, data: st.DataObject) -> None:
    tune = data.draw(st.tuples(NAMES | st.just("root"), LEVELS))
    before, after = Router(in_force(text).plan), Router(in_force(text, tunes=(tuned(*tune),)).plan)
    recorded = data.draw(st.lists(st.tuples(NAMES, LEVELS.map(lambda level: before.severities[level])), max_size=6))
    gaps = unheard(before, after, recorded)

    def opens(logger: str, severity: int) -> bool:
        old, new = (_open_lanes(one, logger, severity) for one in (before, after))
        return bool(new - old)

    def silent(logger: str, severity: int) -> bool:
        inside = [name for name, least in recorded if below(name, logger, ".") and least <= severity]
        return not any(opens(name, severity) for name in inside)

    for name in {"root", *before.tree.entries, *after.tree.entries, *(name for name, _ in recorded)}:
        known = [severity for logger, severity in recorded if logger == name]
        for severity in (1, 5, 9, 10, 13, 17, 18, 19, 21):
            called = any(
                one.low <= severity <= one.high and (below(name, one.logger, ".") if one.below else name == one.logger)
                for one in gaps
            )
            if opens(name, severity):
                assert called is (min(known) > severity if known else silent(name, severity)), (name, severity)
    for one in gaps:
        for severity in {one.low, one.high}:
            assert opens(one.logger, severity)
            assert not one.below or silent(one.logger, severity)


def _open_lanes(router: Router, logger: str, severity: int) -> set[str]:
    """Return the appenders that some event of a logger and level may reach: any answer to what rules ask is tried."""
    decision = router.compile(logger, severity)
    if decision.route is not None:
        return {one.appender for one in decision.route.deliveries}
    lifted = any(rule.verdict == "lift" and rule.condition is True for rule in decision.door)
    if not decision.level_passes and not lifted:
        return set()
    return {one.appender for one in decision.lanes if one.open}


def test_ten_minutes_are_no_day_and_a_console_is_no_disk() -> None:
    found = outcome("vendor=info", [made("vendor.pay", "info", at) for at in range(0, 601, 60)])
    _, costs, _ = verdict(found)

    assert found.added_a_day == {"file": 11 * 11 * 144, "console": 11 * 21 * 144}
    assert costs == (
        "In a day, by kind of sink, that is files about 17.0 KiB more and console about 32.5 KiB more, at this recording's pace, 10 minutes long; "
        "no file rolls differently."
    )


def test_a_stream_counts_by_day_and_is_marked_also_where_nothing_is_recorded() -> None:
    stream = (Stream("vendor.pay", 9, 1.0, 10),)
    alone = outcome("vendor=info", [], stream).effects
    beside = outcome("vendor=info", [made("vendor.pay", "info"), made("vendor.pay", "info", 2 * 86_400)], stream).effects

    assert (alone.streamed, alone.appenders["book"].after.events, len(alone.pace.days)) == (86_400, 86_400, 1)
    assert (beside.streamed, beside.appenders["book"].after.events) == (172_800, 172_802)
    assert [(one.after.events, one.after.estimated) for (_, name), one in sorted(beside.days.items()) if name == "book"] == [
        (3601, True),
        (86_400, True),
        (82_801, True),
    ]
    assert not beside.appenders["book"].before.estimated


@pytest.mark.parametrize(
    "removed, bounded, words",
    [(3, True, "2 days"), (0, True, "not yet limited after 2 days"), (0, False, "never limited after 2 days")],
)
def test_the_length_of_a_recording_is_no_history(removed: int, bounded: bool, words: str) -> None:
    assert Kept(4, 100, timedelta(2), removed, bounded).words() == words
