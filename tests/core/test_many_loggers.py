"""However few loggers are remembered or have rows of their own, the sums are the same, and so are the rows that stand."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from counted import STREAMS, plans
from plans import NAMES
from vetrina.core.base.events import Event
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.checks.runner import Looking
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing import cache as flows
from vetrina.core.routing.counting import Counter
from vetrina.core.routing.parts import Part
from vetrina.core.routing.previewing import Preview
from vetrina.core.routing.router import Router

FEW, ROWS = 2, 3


def within(few: int, rows: int, work: Callable[[], Any]) -> Any:
    """Return what some work gives with so few loggers remembered, and so many rows."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(flows, "_OWN", few)
        patch.setattr(flows, "MOST_ROWS", rows)
        return work()


def own(logger: str) -> bool:
    return not logger.endswith(flows.FURTHER)


@settings(max_examples=90)
@given(plans(), STREAMS, NAMES | st.just(""), st.integers(0, 25))
def test_counts(plan: Plan, events: list[Event], logger: str, cut: int) -> None:
    def count() -> Any:
        counter = Counter(Router(plan), part=Part(logger))
        counter.feed(events[:cut])
        counter.result()
        counter.feed(events[cut:])
        return counter.result()

    usual, few = count(), within(FEW, ROWS, count)
    names = sorted({name for name, _ in usual.cells})

    for member in ("events", "unfilled", "unrouted", "stopped", "appenders"):
        assert getattr(few, member) == getattr(usual, member)
    assert few.further == max(0, len(names) - ROWS)
    assert {key: cell for key, cell in few.cells.items() if own(key[0])} == {
        key: cell for key, cell in usual.cells.items() if key[0] in names[:ROWS]
    }
    for total in ("events", "dropped"):
        assert sum(getattr(one, total) for one in few.cells.values()) == sum(
            getattr(one, total) for one in usual.cells.values()
        )


@settings(max_examples=60)
@given(plans(), plans(), STREAMS)
def test_two_plans(first: Plan, second: Plan, events: list[Event]) -> None:
    def compare() -> Any:
        comparison = Comparison(Router(first), Router(second))
        comparison.feed(events)
        return comparison.result()

    usual, few = compare(), within(FEW, ROWS, compare)
    names = sorted({name for name, _ in usual.recorded})

    for member in ("events", "first", "last", "appenders", "days", "examples", "pace"):
        assert getattr(few, member) == getattr(usual, member), member
    assert few.further == max(0, len(names) - ROWS)
    for counts in ("recorded", "silenced", "seen", "cells", "twice"):
        here, there = getattr(few, counts), getattr(usual, counts)
        assert {key: one for key, one in here.items() if own(key[0])} == {
            key: one for key, one in there.items() if key[0] in names[:ROWS]
        }
        if counts != "cells":
            assert sum(here.values()) == sum(there.values())


@given(plans(), STREAMS)
def test_lines_and_files(plan: Plan, events: list[Event]) -> None:
    def lines() -> Any:
        return [*Preview(Router(plan), Part()).renderings(enumerate(events, start=1))]

    def files() -> Any:
        rolling = Rolling(Router(plan), ratio=1)
        rolling.feed(events)
        rolling.finish()
        return {name: lane.simulation.files for name, lane in rolling.lanes.items()}

    assert within(FEW, ROWS, lines) == lines()
    assert within(FEW, ROWS, files) == files()


@given(plans(), STREAMS)
def test_what_checks_see(plan: Plan, events: list[Event]) -> None:
    def seen() -> dict[str, Any]:
        looking = Looking(Router(plan))
        looking.feed(events)
        return looking.result()

    usual, few = seen(), within(FEW, ROWS, seen)
    names = sorted(usual)

    assert {name: one for name, one in few.items() if own(name)} == {name: usual[name] for name in names[:ROWS]}
    for member in ("events", "delivered", "mild_errors", "bare_errors"):
        assert sum(getattr(one, member) for one in few.values()) == sum(getattr(one, member) for one in usual.values())


@given(plans(), st.lists(NAMES | st.just(""), max_size=30), st.sampled_from(["debug", "error"]))
def test_a_decision_that_loggers_of_one_place_share_is_each_ones_own(plan: Plan, names: list[str], level: str) -> None:
    router = Router(plan)

    for name in names:
        assert router.decide(name, level) == Router(plan).compile(name or "root", router.severities[level])
