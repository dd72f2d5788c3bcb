"""What becomes of events at limits, recalls and queues, worked out plainly: over whole lists, with nothing kept on the way.

An independent reference: for each appender all its arrivals are looked at together, event by event, as the meaning says.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, NamedTuple

from vetrina.core.base.events import Event, filled, look_up
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.routing.router import Route, Router

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


class Arrival(NamedTuple):
    """An event that passed all gates before, on one of its lanes."""

    number: int
    lane: int
    event: Event
    clock: int
    key: str


class Told(NamedTuple):
    """What is written at each event in order, as (number, lane), and the gate that stopped each other arrival."""

    written: dict[tuple[int, int], list[tuple[int, int]]]
    stopped: dict[tuple[int, int], str]


def entered(plan: Plan, event: Event) -> Event | None:
    """Return what an event counts as."""
    if not event.channel:
        return event
    one = plan.channels.get(event.channel)
    if one is None or not one.enabled.value:
        return None
    logger = event.logger if one.logger is None else {"root": ""}.get(one.logger.value, one.logger.value)
    more = {name: getattr(event, name) for name in event.__struct_fields__}
    return Event(**{**more, "logger": logger, "level": event.level if one.level is None else one.level.value})


def key(event: Event, severity: int, same: tuple[str, ...]) -> str:
    """Return a text that is equal for events that are alike."""
    parts = []
    for word in same:
        name = word.partition(" ")[2]
        value: Any = {
            "logger": event.logger or "root", "level": severity, "message": filled(event), "text": event.message,
            "thread": event.thread, "channel": event.channel or None,
        }.get(word)  # fmt: skip
        if name:
            value = look_up(event.fields, name)
        if isinstance(value, bool) or not isinstance(value, int | float):
            parts.append(f"{type(value).__name__} {value!r}")
        else:
            parts.append(f"number {float(value)}")
    return " | ".join(parts)


def arrivals(plan: Plan, events: list[Event]) -> dict[str, list[Arrival]]:
    """Return what comes to each appender's limit, recall or queue."""
    router = Router(plan)
    found: dict[str, list[Arrival]] = {name: [] for name in plan.appenders}
    for number, given in enumerate(events, start=1):
        event = entered(plan, given)
        if event is None:
            continue
        decision = router.decide(event.logger, event.level)
        gates = decision.gates(event) if decision.route is None else None
        if gates is None:
            for at, one in enumerate(decision.route.deliveries):  # type: ignore[union-attr]
                _arrive(plan, router, found, one.appender, number, at, event)
        elif not isinstance(gates, Route):
            for at, (lane, gate) in enumerate(zip(decision.lanes, gates, strict=True)):
                if gate is None:
                    _arrive(plan, router, found, lane.appender, number, at, event)
    return found


def _arrive(plan: Plan, router: Router, found: Any, name: str, number: int, lane: int, event: Event) -> None:
    one = plan.appenders[name]
    same = one.limit.same if one.limit else one.recall.same if one.recall else ()
    clock = max([before.clock for before in found[name]] + [round((event.time - EPOCH).total_seconds() * 1e6) * 1000])
    found[name].append(Arrival(number, lane, event, clock, key(event, router.severities[event.level], same)))


def told(one: Appender, router: Router, all_: list[Arrival]) -> Told:
    """Return what an appender's gates do with all that arrives."""
    released, stopped = _released(one, router, all_)
    written: dict[tuple[int, int], list[tuple[int, int]]] = {}
    leaves: list[int] = []
    for by, some in released:
        for arrival in some:
            if one.queue is not None:
                severity = router.severities[arrival.event.level]
                place = _leaves(one, severity, by.clock, leaves)
                if place is None:
                    stopped[arrival.number, arrival.lane] = "queue"
                    continue
                leaves.append(place)
            written.setdefault((by.number, by.lane), []).append((arrival.number, arrival.lane))
    return Told(written, stopped)


def _released(one: Appender, router: Router, all_: list[Arrival]) -> tuple[list[tuple[Arrival, list[Arrival]]], dict[Any, str]]:
    """Return, for each arrival, what it releases, and what a limit or a recall stops."""
    stopped: dict[tuple[int, int], str] = {}
    if one.limit is not None:
        per = round(one.limit.per.total_seconds() * 1e6) * 1000
        passed: list[Arrival] = []
        for arrival in all_:
            alike = [before for before in passed if before.key == arrival.key and before.clock > arrival.clock - per]
            if len(alike) < one.limit.events:
                passed.append(arrival)
            else:
                stopped[arrival.number, arrival.lane] = "limit"
        return [(arrival, [arrival]) for arrival in passed], stopped
    if one.recall is None:
        return [(arrival, [arrival]) for arrival in all_], stopped
    severities = [router.severities[arrival.event.level] for arrival in all_]
    released: dict[int, list[Arrival]] = {}
    for at, arrival in enumerate(all_):
        if severities[at] >= one.recall.below:
            released.setdefault(at, []).append(arrival)
            continue
        later = [turn for turn in range(at + 1, len(all_)) if all_[turn].key == arrival.key]
        sets_off = next((turn for turn in later if severities[turn] >= one.recall.at), None)
        between = [turn for turn in later if sets_off is None or turn < sets_off]
        newer = sum(severities[turn] < one.recall.below for turn in between)
        if sets_off is None or newer >= one.recall.events:
            stopped[arrival.number, arrival.lane] = "recall"
        else:
            released.setdefault(sets_off, []).append(arrival)
    ordered = sorted(released)
    return [(all_[at], sorted(released[at], key=lambda one: (one.number, one.lane))) for at in ordered], stopped


def _leaves(one: Appender, severity: int, now: int, leaves: list[int]) -> int | None:
    """Return when an event leaves the line, None for one that is dropped."""
    queue = one.queue
    assert queue is not None
    joined = now
    line = [left for left in leaves if left > now]
    if len(line) >= queue.events:
        if queue.full.waits_from is None or severity < queue.full.waits_from:
            return None
        while sum(left > joined for left in leaves) >= queue.events:
            joined = min(left for left in leaves if left > joined)
    return max([joined, *leaves[-1:]]) + queue.drains.step
