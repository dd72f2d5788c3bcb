"""Counting is what routing each event and rendering each line gives, summed up: for a plan, a part of it, two plans at once."""

from __future__ import annotations

import io
from collections import Counter as Multiset
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from counted import STREAMS, plans
from plans import APPENDERS, NAMES
from vetrina.core.base.events import Event
from vetrina.core.base.levels import LevelRange
from vetrina.core.changes.effects import Effects
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Counter, Traffic
from vetrina.core.routing.grouping import Grouping
from vetrina.core.routing.parts import Part
from vetrina.core.routing.router import Router
from vetrina.formats.events import EventStream


def fed(counter: Any, events: list[Event]) -> Any:
    """Send events through as lines of a file."""
    stream = EventStream("events.jsonl")
    stream.send(io.BytesIO(b"\n".join(msgspec.json.encode(event) for event in events)), counter)
    assert (stream.unreadable, stream.number) == (0, len(events))
    return counter


def written(plan: Plan, name: str) -> Callable[[Event, int], int]:
    """Return what measures a line by writing it."""
    appender = plan.appenders[name]
    render = appender.template.compile(appender.template.own_ending())
    return lambda event, number: len(render(event, number).encode(appender.encoding, "backslashreplace"))


def header(plan: Plan, name: str) -> int:
    appender = plan.appenders[name]
    return len(appender.template.header(appender.template.own_ending()).encode(appender.encoding))


def summed(plan: Plan, events: list[Event], part: Callable[[Event], bool]) -> dict[str, Any]:
    """Count one event after the other, the plain way."""
    router, severities = Router(plan), Router(plan).severities
    total: Multiset[str] = Multiset()
    reached: Multiset[str] = Multiset()
    sizes: Multiset[str] = Multiset()
    stops: Multiset[tuple[str, str]] = Multiset()
    cells: Multiset[tuple[str, int, str]] = Multiset()
    for number, event in enumerate(events, start=1):
        if not part(event):
            continue
        count, route = event.count or 1, router.route(event)
        holes = {"{n}": "n", "{s}": "s", "{gone}": "gone"}
        unfilled = sum(event.message.count(hole) for hole, name in holes.items() if name not in (event.fields or {}))
        total.update(events=count, unfilled=unfilled * count, unrouted=0 if route.deliveries else count)
        total[f"stopped at {route.stopped_at}"] += count
        for one in route.deliveries:
            reached[one.appender] += count
            sizes[one.appender] += written(plan, one.appender)(event, number) * count
            cells[event.logger or "root", severities[event.level], one.appender] += count
        for stop in route.stops:
            stops[stop.appender, stop.gate] += count
    for name in reached:
        sizes[name] += header(plan, name)
    return {"total": +total, "reached": reached, "sizes": sizes, "stops": stops, "cells": cells}


def told(found: Traffic) -> dict[str, Any]:
    total = Multiset(events=found.events, unfilled=found.unfilled, unrouted=found.unrouted)
    total.update({f"stopped at {gate}": count for gate, count in found.stopped.items()})
    total["stopped at None"] = found.events - sum(found.stopped.values())
    return {
        "total": +total,
        "reached": +Multiset({name: one.reached for name, one in found.appenders.items()}),
        "sizes": +Multiset({name: one.bytes for name, one in found.appenders.items()}),
        "stops": +Multiset(
            {(name, gate): count for name, one in found.appenders.items() for gate, count in one.stopped.items()}
        ),
        "cells": Multiset({(*key, name): count for key, cell in found.cells.items() for name, count in cell.reached.items()}),
    }


@given(plans(), STREAMS)
def test_counts_and_bytes_are_those_of_each_event(plan: Plan, events: list[Event]) -> None:
    assert told(fed(Counter(Router(plan)), events).result()) == summed(plan, events, lambda _event: True)
    without = fed(Counter(Router(plan), with_bytes=False), events).result()
    assert told(without)["reached"] == summed(plan, events, lambda _event: True)["reached"]
    assert not any(one.bytes for one in without.appenders.values())


@given(plans(), STREAMS, NAMES, st.sampled_from([None, (9, 24), (1, 9)]), st.sampled_from([(), (("n", 1),), (("s", None),)]))
def test_a_part_is_counted_in_the_numbering_of_the_whole(
    plan: Plan, events: list[Event], logger: str, levels: tuple[int, int] | None, fields: tuple[tuple[str, object], ...]
) -> None:
    severities = Router(plan).severities

    def inside(event: Event) -> bool:
        under = event.logger == logger or event.logger.startswith(logger + ".")
        within = levels is None or levels[0] <= severities[event.level] <= levels[1]
        given = event.fields or {}
        alike = all(name in given and given[name] == value and given[name] is not True for name, value in fields)
        return under and within and alike

    part = Part(logger, LevelRange(*levels) if levels else None, fields)
    assert told(fed(Counter(Router(plan), part=part), events).result()) == summed(plan, events, inside)


@settings(max_examples=50)
@given(plans(), plans(), STREAMS)
def test_a_comparison_is_both_plans_counted_and_their_differences_event_by_event(
    before: Plan, after: Plan, events: list[Event]
) -> None:
    effects: Effects = fed(Comparison(Router(before), Router(after)), events).result()
    gained: Multiset[str] = Multiset()
    lost: Multiset[str] = Multiset()
    turned: Multiset[str] = Multiset()
    days: Multiset[tuple[str, str]] = Multiset()
    for event in events:
        count = event.count or 1
        old = Multiset(one.appender for one in Router(before).route(event).deliveries)
        new = Multiset(one.appender for one in Router(after).route(event).deliveries)
        for name in APPENDERS:
            gained[name] += max(0, new[name] - old[name]) * count
            lost[name] += max(0, old[name] - new[name]) * count
            day = (event.time + timedelta(hours=2 if event.time < datetime(2026, 10, 25, 1, tzinfo=UTC) else 1)).astimezone(UTC)
            days[f"{day:%Y-%m-%d}", name] += new[name] * count
        turned["silenced"] += count * (bool(old) and not new)
        turned["seen"] += count * (bool(new) and not old)
    for side, plan in (("before", before), ("after", after)):
        own = summed(plan, events, lambda _event: True)
        assert {name: getattr(one, side).events for name, one in effects.appenders.items()} == {
            name: own["reached"][name] for name in APPENDERS
        }
        assert {name: getattr(one, side).bytes for name, one in effects.appenders.items()} == {
            name: own["sizes"][name] for name in APPENDERS
        }
    assert {name: one.gained.events for name, one in effects.appenders.items()} == dict(gained) | dict.fromkeys(
        set(APPENDERS) - set(gained), 0
    )
    assert {name: one.lost.events for name, one in effects.appenders.items()} == dict(lost) | dict.fromkeys(
        set(APPENDERS) - set(lost), 0
    )
    assert Multiset(silenced=sum(effects.silenced.values()), seen=sum(effects.seen.values())) == turned | Multiset(
        silenced=0, seen=0
    )
    assert +Multiset({(day.isoformat(), name): one.after.events for (day, name), one in effects.days.items()}) == +days
    if events:
        assert (effects.first, effects.last) == (min(one.time for one in events), max(one.time for one in events))
    for name, examples in effects.examples.items():
        assert examples.first is not None
        assert gained[name] > 0
        assert examples.first.size == written(after, name)(examples.first.event, examples.first.number)


@given(plans(), STREAMS)
def test_groups_hold_every_event_once(plan: Plan, events: list[Event]) -> None:
    grouping = Grouping(Router(plan), "n")
    grouping.feed(events)
    found, total = grouping.result()
    whole = fed(Counter(Router(plan)), events).result()

    assert total == whole.events == sum(one.events for one in found)
    assert sum(one.unrouted for one in found) == whole.unrouted
    assert [one.events for one in found] == sorted((one.events for one in found), reverse=True)
    for name in APPENDERS:
        assert sum(one.reached.get(name, 0) for one in found) == whole.appenders[name].reached
