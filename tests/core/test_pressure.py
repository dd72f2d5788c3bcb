"""The rush hour's figures against plain ones: lateness, peaks, spreading, streams between events, advice that was tried."""

from __future__ import annotations

from collections import Counter as Multiset
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from plans import in_force
from plans import plan as made_plan
from vetrina.core.base.events import Event
from vetrina.core.base.origins import DEFAULT
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.plan.rush_policy import UNITS, Drain, Full, Queue
from vetrina.core.pressure.advice import advise
from vetrina.core.pressure.lateness import Latenesses
from vetrina.core.pressure.peaks import Course, Peaks
from vetrina.core.pressure.playing import Pressure
from vetrina.core.pressure.traffic import next_times, spread
from vetrina.core.rolling.playing import Rolling
from vetrina.core.rolling.streams import Stream, StreamedEvents
from vetrina.core.routing.router import Router
from vetrina.core.rush.queue import QueueGate

START = datetime(2026, 11, 16, 8, tzinfo=UTC)


@given(st.lists(st.tuples(st.integers(0, 50), st.sampled_from([1, 1, 1, 2, 7])), min_size=1, max_size=40))
def test_lateness_by_nearest_rank_weighed(rows: list[tuple[int, int]]) -> None:
    late = Latenesses()
    for value, weight in rows:
        late.take(value, weight)
    whole = sorted(value for value, weight in rows for _ in range(weight))
    found = late.result()

    assert found is not None
    assert found.median == whole[-(-len(whole) * 50 // 100) - 1]
    assert found.p95 == whole[-(-len(whole) * 95 // 100) - 1]
    assert found.longest == whole[-1]


@given(st.lists(st.tuples(st.integers(0, 4000), st.integers(1, 3), st.integers(0, 9)), min_size=1, max_size=60))
def test_the_busiest_is_the_one_with_most_events_and_of_equals_the_earliest(rows: list[tuple[int, int, int]]) -> None:
    rows.sort(key=lambda one: one[0])
    peaks, course = Peaks(), Course()
    for second, events, size in rows:
        peaks.take(second, events, size)
        course.at(second).arrived += events
    for name, length in (("second", 1), ("minute", 60), ("hour", 3600)):
        counts: Multiset[int] = Multiset()
        for second, events, _ in rows:
            counts[second // length * length] += events
        best = min(counts, key=lambda at: (-counts[at], at))
        found = peaks.result()[name]

        assert (found.at, found.events) == (best, counts[best])
        assert found.bytes == sum(size for second, _, size in rows if second // length * length == best)
    assert sum(one.arrived for one in course.stretches.values()) == sum(events for _, events, _ in rows)


def test_a_course_doubles_its_steps_and_loses_nothing() -> None:
    course = Course()
    for second in range(0, 10_000, 3):
        stretch = course.at(second)
        stretch.arrived += 1
        stretch.longest = max(stretch.longest, second)

    assert len(course.stretches) <= 2048
    assert course.length == 8
    assert sum(one.arrived for one in course.stretches.values()) == len(range(0, 10_000, 3))
    assert max(one.longest for one in course.stretches.values()) == 9999
    assert sum(one.arrived for one in course.coarser(64).stretches.values()) == len(range(0, 10_000, 3))


LINES = st.lists(st.tuples(st.integers(0, 30), st.sampled_from("ab"), st.sampled_from([None, None, 2, 5])), max_size=15)


@given(LINES)
def test_lines_for_several_are_spread_evenly_to_the_next_of_their_logger(lines: list[tuple[int, str, int | None]]) -> None:
    time, events = START, []
    for step, logger, count in lines:
        time += timedelta(seconds=step)
        events.append(Event(time, "info", logger, "x", count=count, mark="start"))
    found = list(spread(events, next_times(events)))
    expected: Multiset[tuple[datetime, str, int]] = Multiset()
    for at, event in enumerate(events):
        later = next((one.time for one in events[at + 1 :] if one.logger == event.logger), None)
        count = event.count or 1
        if count == 1 or later is None or later <= event.time:
            expected[event.time, event.logger, count] += 1
            continue
        span = (later - event.time) // timedelta(microseconds=1)
        for turn in range(count):
            expected[event.time + timedelta(microseconds=turn * span // count), event.logger, 1] += 1

    assert Multiset((one.time, one.logger, one.count or 1) for one in found) == expected
    assert [one.time for one in found] == sorted(one.time for one in found)
    assert sum(one.mark == "start" for one in found) == len(events)


@pytest.mark.parametrize(
    "rate, seconds, times",
    [
        pytest.param(1, 5, [1, 2, 3, 4, 5], id="the last on the last event's own moment"),
        pytest.param(0.4, 5, [2.5, 5], id="slower than the events"),
        pytest.param(3, 1, [1 / 3, 2 / 3, 1], id="faster"),
        pytest.param(0, 5, [], id="none"),
    ],
)
def test_streams_come_evenly_from_the_first_event_to_the_last(rate: float, seconds: int, times: list[float]) -> None:
    events = [Event(START, "info", "a", "x"), Event(START + timedelta(seconds=seconds), "info", "a", "x")]
    found = list(StreamedEvents([Stream("b", 5, rate, None)]).between(events))

    assert [round((one.time - START).total_seconds(), 5) for one in found if one.logger == "b"] == [
        round(one, 5) for one in times
    ]
    assert found[-1] is events[-1]


PLAN = """
loggers: {root: {level: all, to: [a, b]}}
appenders:
  a: {sink: file, path: a.log, limit: {events: 3, per: 10 seconds}, template: "{time|%Y}-----"}
  b: {sink: file, path: b.log, recall: {events: 2, below: warn, at: error}, template: "{time|%Y}-"}
"""


@given(
    st.lists(st.tuples(st.integers(0, 9), st.sampled_from(["debug", "error"])), min_size=2, max_size=12),
    st.sampled_from([0.3, 1.0]),
)
def test_a_stream_through_a_limit_is_as_its_events_are(steps: list[tuple[int, str]], rate: float) -> None:
    time, events = START, []
    for step, level in steps:
        time += timedelta(seconds=step)
        events.append(Event(time, level, "a", "x"))
    assume(events[0].time < events[-1].time)
    stream = Stream("s", 5, rate, None)
    plain = [
        Event(one.time, 5, one.logger, "x") if one.logger == "s" else one for one in StreamedEvents([stream]).between(events)
    ]
    plan, other = made_plan(PLAN), made_plan(PLAN.replace("events: 3", "events: 9"))
    streamed, whole = Rolling(Router(plan), ratio=1), Rolling(Router(plan), ratio=1)
    streamed.add_streams([stream], {name: {5: size} for name, size in (("a", 10), ("b", 6))})
    streamed.feed(events)
    whole.feed(plain)
    compared = Comparison(Router(plan), Router(other), streams=[stream])
    compared.feed(events)
    direct = Comparison(Router(plan), Router(other))
    direct.feed(plain)
    ones, others = compared.result(), direct.result()

    for name, lane in streamed.lanes.items():
        assert lane.simulation.files == whole.lanes[name].simulation.files
        assert (ones.appenders[name].before.events, ones.appenders[name].after.events) == (
            others.appenders[name].before.events, others.appenders[name].after.events,
        )  # fmt: skip
    assert ones.streamed == len(plain) - len(events)
    assert streamed.events == len(events)


@given(
    st.lists(st.sampled_from([0, 0, 1, 5, 40]), min_size=1, max_size=25),
    st.sampled_from(["1/second", "7/minute", "1/hour"]),
    st.sampled_from([10**9, 20 * 10**9, 3600 * 10**9]),
)
def test_advice_is_the_least_that_will_do(steps: list[int], drains: str, late: int) -> None:
    arrivals, now = [], 0
    for step in steps:
        now += step * 10**9
        arrivals.append(now)
    count, unit = drains.split("/")
    plan = made_plan("loggers: {root: {to: a}}\nappenders: {a: {sink: none}}")
    appender = plan.appenders["a"]
    queued = type(appender)(**{
        **{name: getattr(appender, name) for name in appender.__struct_fields__},
        "queue": Queue(1, Drain(int(count), unit), Full(0), DEFAULT),
    })  # fmt: skip
    found = advise(queued, arrivals, late)

    def played(events: int, step: int) -> tuple[bool, int]:
        gate = QueueGate(events, step, None)
        places = [gate.ask(0, one) for one in arrivals]
        return None not in places, max((one.leaves - at for one, at in zip(places, arrivals, strict=True) if one), default=0)

    for one in (found.now, found.slowest):
        assert one is not None
        assert played(one.longest, one.drains.step) == (True, one.late)
        assert one.longest == 1 or not played(one.longest - 1, one.drains.step)[0]
    assert found.slowest is not None
    assert found.slowest.late <= late
    each_hour = UNITS["hour"] // found.slowest.drains.step
    slower = [rate for rate in (each_hour - 1, each_hour - 2) if rate > 0]
    assert all(
        UNITS["hour"] // rate <= found.slowest.drains.step or played(1 << 40, UNITS["hour"] // rate)[1] > late
        for rate in slower
    )


@pytest.mark.parametrize(
    "events, waits",
    [
        pytest.param("i0 i1 i5", (3, 5, 0, 0), id="delivered when so many wait"),
        pytest.param("i0 i9 i30", (2, 30, 0, 1), id="an older one is delivered before, and the rest at the end"),
        pytest.param("i0 stop5 i6", (2, 5, 0, 2), id="a stop delivers"),
        pytest.param("i0 crash5", (1, 5, 1, 1), id="a crash ends the waiting"),
        pytest.param("d0 i1 ecrash5", (2, 4, 2, 1), id="what an event recalls that is marked as well"),
    ],
)
def test_what_waits_in_a_buffer(events: str, waits: tuple[int, int, int, int]) -> None:
    recall = "recall: {events: 9, below: info, at: error}, "
    plan = made_plan(
        f"loggers: {{root: {{level: all, to: a}}}}\nappenders: {{a: {{sink: none, {recall}buffer: {{events: 3, age: 20 seconds}}}}}}"
    )
    run = Pressure(Router(plan))
    for one in events.split():
        word = one.rstrip("0123456789")
        time, mark = START + timedelta(seconds=int(one[len(word) :])), word.lstrip("die")
        level = {"d": "debug", "e": "error"}.get(word[0], "info")
        run.take(Event(time, level, "", "x", mark=mark or None))
    (found,) = run.finish()

    assert found.buffer is not None
    assert (found.buffer.longest, found.buffer.waited.total_seconds(), found.buffer.lost, found.buffer.left) == waits


def test_what_a_stage_brings_in_counts_as_what_it_says() -> None:
    found = in_force(
        "vetrina: 1\nloggers: {root: {level: info, to: a}}\nappenders: {a: {sink: none}}\nstages: {s: {channels: {c: {logger: x, level: 12}}}}",
        stages=("s",),
    )
    event = Event(START, "debug", "own", "m", channel="c")
    entered = Router(found.plan).enter(event)

    assert entered is not None
    assert (entered.logger, entered.level, entered.channel, event.logger) == ("x", 12, "c", "own")
