"""Limits, recalls and queues in every taker of events, held against a plain reference over random plans and streams."""

from __future__ import annotations

import json
from collections import Counter as Multiset
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

import rush_reference as plainly
from plans import plan as made_plan
from routed import plans as routed_plans
from vetrina.core.base.events import Event
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.checks.runner import Looking
from vetrina.core.plan.model import Plan
from vetrina.core.pressure.playing import Pressure
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing.counting import Counter
from vetrina.core.routing.explaining import explain
from vetrina.core.routing.grouping import Grouping
from vetrina.core.routing.parts import Part
from vetrina.core.routing.passages import Passages, alone
from vetrina.core.routing.previewing import Preview
from vetrina.core.routing.router import LATE_GATES, Route, Router
from vetrina.core.routing.stories import Replay

START = datetime(2026, 11, 16, 8, tzinfo=UTC)
LEVELS = ["debug", "info", "warn", "error"]
SAME = ["logger", "level", "message", "text", "thread", "channel", "field n"]


@st.composite
def late(draw: st.DrawFn) -> dict[str, Any]:
    """Return a limit or a recall or neither, and a queue or none."""
    same = draw(st.lists(st.sampled_from(SAME), max_size=2))
    below = draw(st.integers(0, 3))
    found: dict[str, Any] = draw(
        st.sampled_from(
            [
                {},
                {"limit": {"events": draw(st.integers(1, 3)), "per": draw(st.sampled_from(["1 second", "1 minute"])), "same": same}},
                {"recall": {"events": draw(st.integers(1, 3)), "below": LEVELS[below],
                            "at": draw(st.sampled_from(LEVELS[below:])), "same": same}},
            ]
        )
    )  # fmt: skip
    if draw(st.booleans()):
        full = draw(st.sampled_from(["wait", "drop", "drop-below warn", "drop-below info"]))
        drains = draw(st.sampled_from(["1/second", "3/second", "7/minute", "1/hour"]))
        found = {**found, "queue": {"events": draw(st.integers(1, 3)), "drains": drains, "full": full}}
    return found


@st.composite
def documents(draw: st.DrawFn) -> Plan:
    """Return a plan with two attachments of one appender, rules, channels, and gates with a memory."""
    kinds = [
        {"sink": "file", "path": "/x/one.log"},
        {"sink": "console", "floor": draw(st.sampled_from(["debug", "info"]))},
        {"sink": "none"},
    ]
    appenders = {name: {**kind, **draw(late())} for name, kind in zip(["one", "two", "three"], kinds, strict=True)}
    entry = st.fixed_dictionaries(
        {}, optional={"level": st.sampled_from(LEVELS), "climb": st.booleans(),
                      "to": st.lists(st.sampled_from(["one", "two", "three"]), max_size=2)},
    )  # fmt: skip
    loggers = {
        "a": draw(entry),
        "a.b": draw(entry),
        "root": {"level": "debug", "to": draw(st.sampled_from([["one"], ["one", "two"], ["one", "one"]]))},
    }
    rules = draw(st.sampled_from([[], [{"drop": {"channel": "in", "level": "debug"}}], [{"lift": {"message": "x"}}]]))
    channels = draw(st.sampled_from([{}, {"in": {}}, {"in": {"logger": "a.b", "level": "error"}, "off": {"enabled": False}}]))
    body = {
        "loggers": loggers,
        "appenders": appenders,
        "rules": rules,
        "channels": channels,
        "deliver": draw(st.sampled_from(["each", "once"])),
    }
    return made_plan(json.dumps({"vetrina": 1, **body}), "")


EVENTS = st.lists(
    st.builds(
        lambda step, level, logger, message, fields, thread, count, mark, channel: (
            step,
            Event(START, level, logger, message, fields, None, thread, count=count, mark=mark, channel=channel),
        ),
        st.sampled_from([0, 0, 1, 300, 900, 1000, 1001, 60_000, -400]),
        st.sampled_from(LEVELS),
        st.sampled_from(["", "a", "a.b", "a.b.c"]),
        st.sampled_from(["x {n}", "y", "z"]),
        st.sampled_from([None, {"n": 1}, {"n": 1.0}, {"n": True}]),
        st.sampled_from([None, "t", 7]),
        st.sampled_from([None, None, None, 3]),
        st.sampled_from([None, None, "start"]),
        st.sampled_from([*[None] * 6, "in", "off", ""]),
    ),
    max_size=30,
)


def timed(steps: list[tuple[int, Event]]) -> list[Event]:
    time = START
    for step, event in steps:
        time += timedelta(milliseconds=step)
        event.time = time
    return [event for _, event in steps]


def copies(events: list[Event]) -> list[Event]:
    return [Event(**{name: getattr(event, name) for name in event.__struct_fields__}) for event in events]


class Expected:
    """What the plain reference says of a whole stream: each event's route, and the writes in their order."""

    def __init__(self, plan: Plan, events: list[Event]) -> None:
        router = Router(plan)
        found = plainly.arrivals(plan, events)
        tolds = {name: plainly.told(plan.appenders[name], router, some) for name, some in found.items()}
        self.routes: list[Route] = []
        self.writes: list[tuple[int, str]] = []
        self.late = Multiset((number, gate) for one in tolds.values() for (number, _), gate in one.stopped.items())
        for number, given_ in enumerate(events, start=1):
            event = plainly.entered(plan, given_)
            if event is None:
                self.routes.append(Route("round"))
                continue
            route = router.decide(event.logger, event.level).follow(event)
            lanes = [(name, arrival.lane) for name, some in found.items() for arrival in some if arrival.number == number]
            gates = {lane: tolds[name].stopped.get((number, lane)) for name, lane in lanes}
            self.routes.append(_cut(route, dict(sorted(gates.items()))))
            for name, lane in sorted(lanes, key=lambda one: one[1]):
                self.writes += [(written, name) for written, _ in tolds[name].written.get((number, lane), [])]


def _cut(route: Route, gates: dict[int, str | None]) -> Route:
    """Return a route without the deliveries that these gates stop, as deliveries and stops by appender."""
    kept = [one for one, gate in zip(route.deliveries, gates.values(), strict=True) if gate is None]
    return Route(route.stopped_at, tuple(kept), tuple(route.stops))


@given(documents(), EVENTS)
def test_each_event_goes_where_the_reference_says_and_is_written_in_its_order(
    plan: Plan, steps: list[tuple[int, Event]]
) -> None:
    events = timed(steps)
    expected = Expected(plan, events)
    passages, writes = Passages(Router(plan)), []
    found: dict[int, Route] = {}
    for number, event in enumerate(events, start=1):
        taken = passages.take(event, number)
        writes += [(one.passage.number, one.appender) for one in taken.writes]
        found |= {one.number: one.route() for one in taken.settled}
    found |= {one.number: one.route() for one in passages.left()}

    assert writes == expected.writes
    assert [found[number].deliveries for number in range(1, len(events) + 1)] == [one.deliveries for one in expected.routes]
    stops = [(number, one.gate) for number, route in found.items() for one in route.stops if one.gate in LATE_GATES]
    assert Multiset(stops) == expected.late
    assert [one.stopped_at for one in map(found.__getitem__, sorted(found))] == [one.stopped_at for one in expected.routes]


@given(documents(), documents(), EVENTS, st.sampled_from([Part(), Part("a"), Part("a.b"), Part(fields=(("n", 1),))]))
def test_every_taker_counts_what_the_reference_says(
    plan: Plan, other: Plan, steps: list[tuple[int, Event]], part: Part
) -> None:
    events = timed(steps)
    expected, router = Expected(plan, events), Router(plan)
    counts = [event.count or 1 for event in events]
    wanted: Multiset[str] = Multiset()
    for route, event, count in zip(expected.routes, events, counts, strict=True):
        counted = plainly.entered(plan, event) or event
        if part.holds(counted, router.severities[counted.level], "."):
            wanted.update({one.appender: 0 for one in route.deliveries})
            for one in route.deliveries:
                wanted[one.appender] += count
    counter, grouping = Counter(router, part=part), Grouping(router, "n", part)
    counter.feed(copies(events))
    grouping.feed(copies(events))
    lines = list(Preview(router, part).renderings(enumerate(copies(events), start=1)))

    assert {name: one.reached for name, one in counter.result().appenders.items() if one.reached} == dict(wanted)
    assert sum(sum(group.reached.values()) for group in grouping.result()[0]) == wanted.total()
    assert Multiset(one.appender for one in lines) == Multiset(
        name for number, name in expected.writes
        if part.holds(plainly.entered(plan, events[number - 1]), router.severities[plainly.entered(plan, events[number - 1]).level], ".")  # type: ignore[arg-type, union-attr]
    )  # fmt: skip
    assert [one.line for one in lines] == [one.number for one in lines]
    sizes: Multiset[str] = Multiset()
    for shown in lines:
        sizes[shown.appender] += len(shown.output.encode()) * (shown.event.count or 1)
    assert {name: one.bytes for name, one in counter.result().appenders.items() if one.bytes} == {
        k: v for k, v in sizes.items() if v
    }

    second = Expected(other, events)
    comparison = Comparison(router, Router(other))
    comparison.feed(copies(events))
    effects = comparison.result()
    for name, shift in effects.appenders.items():
        before = [sum(one.appender == name for one in route.deliveries) for route in expected.routes]
        after = [sum(one.appender == name for one in route.deliveries) for route in second.routes]
        pairs = list(zip(before, after, counts, strict=True))
        assert shift.before.events == sum(was * count for was, _, count in pairs)
        assert shift.after.events == sum(now * count for _, now, count in pairs)
        assert shift.gained.events == sum(max(0, now - was) * count for was, now, count in pairs)
        assert shift.lost.events == sum(max(0, was - now) * count for was, now, count in pairs)


@given(documents(), EVENTS)
def test_pressure_checks_and_files_see_the_same(plan: Plan, steps: list[tuple[int, Event]]) -> None:
    events = timed(steps)
    expected = Expected(plan, events)
    run = Pressure(Router(plan))
    run.feed(copies(events))
    found = {one.appender: one for one in run.finish()}
    looking = Looking(Router(plan))
    looking.feed(copies(events))
    rolling = Rolling(Router(plan), ratio=1)
    rolling.feed(copies(events))
    rolling.finish()
    written = Multiset(name for number, name in expected.writes for _ in range(events[number - 1].count or 1))

    assert {name: one.written for name, one in found.items()} == {name: written[name] for name in plan.appenders}
    for name, one in found.items():
        stopped = sum(sum(whom.values()) for whom in one.stopped.values())
        assert one.arrived == one.written + stopped
        assert (one.queue is None) == (plan.appenders[name].queue is None)
    rush = looking.rush()
    for name, one in rush.pressure.items():
        assert (one.arrived, one.written, one.stopped, one.queue) == (
            found[name].arrived,
            found[name].written,
            found[name].stopped,
            found[name].queue,
        )
    assert sum(one.events for one in rolling.lanes["one"].simulation.files) == written["one"]
    assert sum(one.delivered for one in looking.result().values()) == written.total()


@given(documents(), EVENTS, st.data())
def test_why_tells_the_fate_that_the_event_had(plan: Plan, steps: list[tuple[int, Event]], data: st.DataObject) -> None:
    events = timed(steps)
    assume(events)
    line = data.draw(st.integers(1, len(events)))
    expected = Expected(plan, events).routes[line - 1]
    replay = Replay(Router(plan), line)
    replay.feed(enumerate(copies(events), start=1))
    story = replay.finish()
    assert story is not None
    explanation = explain(Router(plan), events[line - 1], story)
    by_itself = explain(Router(plan), events[line - 1])

    assert explanation.deliveries == tuple((one.appender, one.via) for one in expected.deliveries)
    assert explanation.stopped_at == expected.stopped_at
    assert by_itself.deliveries == tuple((one.appender, one.via) for one in alone(Router(plan), events[line - 1]).deliveries)
    assert all(step.compared for step in explanation.steps)


@given(routed_plans(), EVENTS)
def test_a_plan_without_them_goes_the_plain_way(text: str, steps: list[tuple[int, Event]]) -> None:
    plan = made_plan(text, "")
    router, passages = Router(plan), Passages(Router(plan))
    for number, event in enumerate(timed(steps), start=1):
        taken = passages.take(event, number)

        assert taken.settled == [taken.passage]
        assert taken.passage.route() == router.route(event)
        assert passages.plain(event) == (None if event.channel else router.route(event))


RECALL = """
loggers: {root: {level: debug, to: a}}
appenders:
  a: {sink: file, path: a.log, append: true, recall: {events: 9, below: warn, at: error},
      roll: {each-start: true, every: minute, rename-to: "a.{period|%M}.{n}.log"}}
"""


@pytest.mark.parametrize(
    "marks, files",
    [
        pytest.param("d0 e1", [["d0", "e1"]], id="one file"),
        pytest.param("d0 e1 s2", [["d0", "e1"], []], id="a start that is remembered rolls where it stands, and its file opens with the next write"),
        pytest.param("e0 s1 e2", [["e0"], ["s1", "e2"]], id="and is not a start again when it is written"),
        pytest.param("e0 d1 S2", [["e0", "d1"], ["S2"]], id="recalled events are written before the roll of the start that recalls them"),
        pytest.param("e0 d50 e61", [["e0", "d50"], ["e61"]], id="into the file of its own period, while that is open"),
        pytest.param("e0 d50 w61 e62", [["e0"], ["w61", "d50", "e62"]], id="else into the one that is"),
        pytest.param("e0 r1 e2", [["e0"], ["e2"]], id="a start that goes round rolls too"),
    ],
)  # fmt: skip
def test_recalled_events_and_starts_in_files(marks: str, files: list[list[str]]) -> None:
    plan = made_plan(RECALL)
    rolling = Rolling(Router(plan), ratio=1)
    level = {"d": "debug", "s": "debug", "w": "warn", "e": "error", "S": "error", "r": "error"}
    events = [
        Event(START + timedelta(seconds=int(one[1:])), level[one[0]], "", one, mark="start" if one[0] in "sSr" else None,
              channel="gone" if one[0] == "r" else None)
        for one in marks.split()
    ]  # fmt: skip
    rolling.feed(events)
    rolling.finish()

    assert [one.events for one in rolling.lanes["a"].simulation.files] == [len(one) for one in files if one]
