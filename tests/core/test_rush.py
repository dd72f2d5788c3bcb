"""Gates with a memory, held against plain simulations: every edge of limit, recall and queue."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vetrina.core.base.events import Event
from vetrina.core.plan.rush_policy import UNITS
from vetrina.core.rush import limit, recall
from vetrina.core.rush.keys import as_json, key_of
from vetrina.core.rush.limit import LimitGate
from vetrina.core.rush.queue import Place, QueueGate
from vetrina.core.rush.recall import Fates, RecallGate

START = datetime(2026, 11, 13, tzinfo=UTC)
STEPS = st.lists(st.tuples(st.integers(0, 5), st.sampled_from("ab"), st.sampled_from([5, 9, 13, 17])), max_size=60)


def seconds(number: float) -> datetime:
    return START + timedelta(seconds=number)


@given(STEPS, st.integers(1, 4), st.integers(1, 8))
def test_a_limit_is_what_a_plain_count_says(steps: list[tuple[int, str, int]], events: int, per: int) -> None:
    gate = LimitGate(events, timedelta(seconds=per))
    now = 0
    passed: list[tuple[int, str]] = []
    for step, key, _ in steps:
        now += step
        fits = sum(one == key and time > now - per for time, one in passed) < events
        assert len(gate.recent((key,), seconds(now))) == sum(one == key and time > now - per for time, one in passed)
        assert gate.ask((key,), seconds(now)) == fits
        passed += [(now, key)] if fits else []


def test_a_limit_at_its_edges() -> None:
    gate = LimitGate(2, timedelta(seconds=60))
    asked = [gate.ask((), seconds(at)) for at in (0, 0, 0, 59.999999, 60, 60, 60)]
    assert asked == [True, True, False, False, True, True, False], "what passed just so long ago counts no more"


def test_a_limit_remembers_so_many_keys(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limit, "MOST_KEYS", 3)
    gate = LimitGate(1, timedelta(seconds=10))
    assert all(gate.ask((key,), seconds(0)) for key in "abc")
    assert not gate.overflown
    assert gate.ask(("d",), seconds(1))
    assert (gate.overflown, gate.ask(("a",), seconds(1)), gate.ask(("d",), seconds(1))) == (True, True, False)
    fresh = LimitGate(1, timedelta(seconds=10))
    assert all(fresh.ask((at,), seconds(at * 10)) for at in range(50))
    assert not fresh.overflown, "keys of which nothing counts any more take no room"


@given(STEPS, st.integers(1, 4), st.sampled_from([5, 9, 13]), st.sampled_from([13, 17]))
def test_a_recall_is_what_plain_lists_say(steps: list[tuple[int, str, int]], events: int, below: int, at: int) -> None:
    gate: RecallGate[int] = RecallGate(events, below, at)
    kept: dict[str, list[int]] = {"a": [], "b": []}
    for number, (_, key, severity) in enumerate(steps):
        if severity < below:
            kept[key].append(number)
            out, kept[key] = kept[key][:-events], kept[key][-events:]
            expected: Fates[int] = Fates((), tuple(out))
        else:
            recalled = kept[key] if severity >= at else []
            expected = Fates((*recalled, number))
            kept[key] = [] if severity >= at else kept[key]
        assert gate.ask((key,), severity, number) == expected
        assert gate.remembered((key,)) == len(kept[key])
    assert sorted(gate.left()) == sorted([*kept["a"], *kept["b"]])
    assert list(gate.left()) == []


def test_the_key_whose_last_remembered_is_oldest_gives_way(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(recall, "MOST_KEYS", 2)
    gate: RecallGate[str] = RecallGate(5, 13, 17)
    for key, thing in (("a", "a1"), ("b", "b1"), ("a", "a2")):
        assert gate.ask((key,), 5, thing) == Fates()
    assert gate.ask(("c",), 5, "c1") == Fates((), ("b1",))
    assert gate.ask(("a",), 17, "a!") == Fates(("a1", "a2", "a!"))
    assert gate.ask(("d",), 5, "d1") == Fates(), "a key that was recalled takes no room"


@given(STEPS, st.integers(1, 5), st.integers(1, 6), st.sampled_from([None, 0, 13]))
def test_a_queue_is_what_a_plain_line_says(
    steps: list[tuple[int, str, int]], events: int, step: int, waits_from: int | None
) -> None:
    gate = QueueGate(events, step, waits_from)
    places: list[Place] = []
    now, held = 0, set[int]()
    for gap, _, severity in steps:
        now += gap
        inside = [one for one in places if one.leaves > now]
        place = gate.ask(severity, now)
        if len(inside) >= events and (waits_from is None or severity < waits_from):
            assert place is None
            continue
        assert place is not None
        joined = now if len(inside) < events else inside[-events].leaves
        assert place == Place(joined, max([joined, *(one.leaves for one in places[-1:])]) + step)
        places.append(place)
        held |= set(range(now, joined))
    assert gate.held == len(held)
    moments = {one.joined for one in places}
    line = [sum(one.joined <= at < one.leaves for one in places) for at in moments]
    assert max(line, default=0) <= events
    assert gate.longest == max(line, default=0)


def test_a_queue_at_its_edges() -> None:
    gate = QueueGate(2, 10, 0)
    assert [gate.ask(9, at) for at in (0, 0, 0, 20, 30)] == [
        Place(0, 10),
        Place(0, 20),
        Place(10, 30),
        Place(20, 40),
        Place(30, 50),
    ]
    assert (gate.held, gate.longest) == (10, 2)
    drops = QueueGate(1, 10, None)
    assert [drops.ask(9, at) for at in (0, 9, 10)] == [Place(0, 10), None, Place(10, 20)], "who leaves just then has left"
    levels = QueueGate(1, 10, 17)
    assert [levels.ask(severity, 0) for severity in (5, 5, 17)] == [Place(0, 10), None, Place(10, 20)]
    assert UNITS["hour"] // 7 == 514_285_714_285


VALUES: list[tuple[Any, Any, bool]] = [
    (1, 1.0, True), (1, True, False), (0, False, False), ("1", 1, False), (None, False, False), ([1, True], [1.0, True], True), ([1], [True], False),
    ({"a": 1, "b": [2]}, {"b": [2.0], "a": 1.0}, True), ({"a": 1}, {"a": True}, False), ({}, [], False), ("absent", ("absent",), False),
]  # fmt: skip


@pytest.mark.parametrize("one, other, same", VALUES)
def test_values_that_are_equal_as_json(one: Any, other: Any, same: bool) -> None:
    assert (as_json(one) == as_json(other)) == same


SAME: list[tuple[list[str], dict[str, Any], bool]] = [
    ([], {"logger": "b", "level": "error"}, True), (["logger"], {"logger": "b"}, False), (["logger"], {"level": "error"}, True),
    (["level"], {"level": "INFORMATION"}, True), (["level"], {"level": "error"}, False), (["text"], {"fields": {"x": 2}}, True),
    (["message"], {"fields": {"x": 2}}, False), (["message"], {"fields": {"x": 1, "y": 3}}, True), (["thread"], {"thread": "t"}, False),
    (["field x"], {"fields": {"x": 1.0}}, True), (["field x"], {"fields": {}}, False), (["field a.b"], {"fields": {"x": 1}}, True),
    (["logger", "field x"], {"logger": "b"}, False),
]  # fmt: skip


@pytest.mark.parametrize("same, change, alike", SAME)
def test_events_that_share_a_key(same: list[str], change: dict[str, Any], alike: bool) -> None:
    usual: dict[str, Any] = {"time": START, "level": "info", "logger": "a", "message": "m {x}", "fields": {"x": 1}}
    key = key_of(same, lambda event: {"info": 9, "information": 9, "error": 17}[str(event.level).lower()])
    assert (key(Event(**usual)) == key(Event(**{**usual, **change}))) == alike


def test_an_absent_field_is_a_value_of_its_own() -> None:
    key = key_of(["field x"], lambda _event: 9)
    without, null = Event(START, "info", "a", ""), Event(START, "info", "a", "", {"x": None})
    assert key(without) == key(Event(START, "info", "b", "", {"y": 1}))
    assert key(without) != key(null)
