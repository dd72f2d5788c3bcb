"""What takes events adds up: parts taken apart, anywhere, and put together are what one has taken."""

from __future__ import annotations

import copy
import pickle
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from counted import STREAMS, plans
from plans import in_force
from vetrina.core.base.events import Event
from vetrina.core.changes.effects import Example, Examples
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.streams import Stream
from vetrina.core.routing import cache as flows
from vetrina.core.routing import grouping
from vetrina.core.routing.parts import Part
from vetrina.work import takers
from vetrina.work.takers import Files, FilesTaker

TAKERS: dict[str, Callable[[Plan, Plan], Callable[[int], Any]]] = {
    "counter": lambda plan, _: lambda number: takers.counter(plan, Part(), True, number),
    "counter of a part": lambda plan, _: lambda number: takers.counter(plan, Part("a"), False, number),
    "grouping": lambda plan, _: lambda number: takers.grouping(plan, "n", Part("a"), number),
    "comparison": lambda plan, other: lambda number: takers.comparison(plan, other, (), number),
    "looking": lambda plan, _: lambda number: takers.looking(plan, number),
    "recorder": lambda plan, _: lambda number: takers.recorder(plan, number),
}


def cut(events: list[Event], cuts: list[int]) -> list[tuple[int, list[Event]]]:
    """Return consecutive parts, each with how many events stand before it."""
    at = sorted({0, len(events), *(one for one in cuts if one < len(events))})
    return [(begun, events[begun:end]) for begun, end in pairwise(at)]


def travelled(value: Any) -> Any:
    return pickle.loads(pickle.dumps(value))


@settings(max_examples=60)
@given(plans(), plans(), STREAMS, st.lists(st.integers(0, 25), max_size=4), st.sampled_from([1, 3, 10_000]))
@pytest.mark.parametrize("kind", TAKERS)
def test_parts_add_up(kind: str, plan: Plan, other: Plan, events: list[Event], cuts: list[int], rows: int) -> None:
    make = TAKERS[kind](plan, other)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(flows, "MOST_ROWS", rows)
        patch.setattr(grouping, "MOST_GROUPS", rows)
        whole, joined = make(0), make(0)
        whole.feed(events)
        for before, part in cut(events, cuts):
            taker = make(before)
            taker.feed(part)
            joined.add(travelled(taker.sums()))
        assert repr(joined.result()) == repr(whole.result())


POLICY = """vetrina: 1
zone: Europe/Rome
loggers: {{root: {{level: all, to: [one, two, one]}}}}
appenders:
  one: {{sink: file, path: one.log, {one}}}
  two: {{sink: file, path: two.log, floor: warn, {two}}}
"""
POLICIES = st.sampled_from(
    [
        "template: '{sequence}'",
        "roll: {every: hour, rename-to: 'x-{period|%d-%H}.{n}.log', keep: {files: 2}}",
        "roll: {every: 10 minutes, at-size: 200 B, rename-to: 'x-{period|%H%M}.{n}.gz', keep: {disk: 1 KiB}}",
        "roll: {at-size: 150 B, size-check: after, rename-to: 'x.{n}', newest: first, keep: {age: 3 hours}}",
        "roll: {each-start: true, rename-to: 'x.{n}.zst'}",
        "append: false",
    ]
)
MOMENTS = st.lists(
    st.builds(
        lambda minute, level, message, count, mark: Event(
            datetime(2026, 10, 24, 23, tzinfo=UTC) + timedelta(minutes=minute), level, "a.b", message, count=count, mark=mark
        ),
        st.integers(-60, 240), st.sampled_from(["info", "warn", "error"]), st.sampled_from(["", "x" * 40, "à"]),
        st.sampled_from([None, None, 3, 20]), st.sampled_from([None, None, "start"]),
    ),
    max_size=30,
)  # fmt: skip


@settings(max_examples=80)
@given(
    POLICIES,
    POLICIES,
    MOMENTS,
    st.lists(st.integers(0, 30), max_size=4),
    st.sampled_from([None, 0.3]),
    st.booleans(),
    st.integers(0, 2),
)
def test_files_are_those_of_events_one_by_one(
    one: str, two: str, events: list[Event], cuts: list[int], ratio: float | None, streamed: bool, days: int
) -> None:
    plan, shift = in_force(POLICY.format(one=one, two=two)).plan, timedelta(days=days)
    how = Files(plan, ("one", "two"), ratio)
    streams = [Stream("a.c", 13, 0.02, 30), Stream("a.c", 9, 0.0007, None)] if streamed else []

    def played(feed: Callable[[Any], None]) -> Any:
        rolling = how.rolling()
        rolling.add_streams(streams, {})
        feed(rolling)
        rolling.finish()
        lanes = {
            name: (lane.hours, lane.simulation.files, lane.simulation.peak, lane.simulation.overwritten)
            for name, lane in rolling.lanes.items()
        }
        return rolling.events, rolling.first, rolling.last, lanes

    def one_by_one(rolling: Any) -> None:
        for event in copy.deepcopy(events):
            FilesTaker([rolling], shift).feed([event])

    def in_parts(rolling: Any) -> None:
        joined = FilesTaker([rolling], shift)
        for before, part in cut(copy.deepcopy(events), cuts):
            taker = takers.files(((how, bool(streams)),), 0, shift, before)
            taker.feed(part)
            joined.add(travelled(taker.sums()))

    assert played(in_parts) == played(one_by_one)


@given(st.lists(st.integers(0, 5000), min_size=1, max_size=60), st.integers(0, 60))
def test_the_typical_one_is_of_middle_size(sizes: list[int], at: int) -> None:
    def looked(some: list[int], before: int) -> Examples:
        found = Examples()
        for number, size in enumerate(some, start=before + 1):
            found.take(Example(Event(datetime(2026, 1, 1, tzinfo=UTC), "info", "a", ""), number, size))
        return found

    whole, joined = looked(sizes, 0), looked(sizes[:at], 0)
    joined.add(travelled(looked(sizes[at:], 0)), len(sizes[:at]))
    assert joined == whole
    typical, middle = whole.typical(), sorted(sizes)[len(sizes) // 2]
    assert typical is not None
    assert middle - middle / 30 - 1 <= typical.size <= middle + middle / 30 + 1
    assert whole.longest is not None
    assert whole.longest.number == sizes.index(max(sizes)) + 1
