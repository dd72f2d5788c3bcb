"""Plans with limits, recalls and queues: what they cost events that meet none, and events that meet all three."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from vetrina.core.base.events import Event
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.plan.model import Plan
from vetrina.core.pressure.playing import Pressure
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing.counting import Counter
from vetrina.core.routing.router import Router
from vetrina.formats.events import read_events
from vetrina.formats.plans import read_plan

_TURNS = 5
_AWAY = """  lib.away: {to: [far, box, slow], climb: false}
appenders:
  far: {sink: none, limit: {events: 5, per: 1 minute, same: [logger, text]}}
  box: {sink: none, recall: {events: 200, below: warn, at: error, same: [thread]}}
  slow: {sink: none, queue: {events: 1000, drains: 50/second, full: drop}}
"""


def measure(folder: Path, events: Path, text: str) -> list[tuple[str, str, str]]:
    """Return the rows; ``text`` is a plan without any of the three, for the events of a file."""
    plain = _plan(folder / "plain.yaml", text)
    away = _plan(folder / "away.yaml", text.replace("appenders:\n", _AWAY))
    met = _plan(
        folder / "met.yaml",
        text.replace("appenders:\n", _AWAY).replace("to: [desk, daybook]", "to: [desk, daybook, far, box, slow]"),
    )
    some = list(read_events(events, scale=plain.scale))
    takers: dict[str, Callable[[Plan], Any]] = {
        "routes": lambda plan: Counter(Router(plan)),
        "whatif": lambda plan: Comparison(Router(plan), Router(plain)),
        "rolling": lambda plan: Rolling(Router(plan), ratio=1),
    }
    rows = []
    for name, make in takers.items():
        times = _each([partial(_fed, make, plan, some) for plan in (plain, away, met)], len(some))
        rows.append(
            (
                f"{name}, events in memory, a plan with a limit, a recall and a queue that none of them meets",
                f"{times[1]:.2f} µs an event; {times[2]:.2f} where all pass the three",
                f"{times[1] / times[0]:.2f}x the time without them (wanted ≤ 1.05x); {times[2] / times[0]:.0f}x where all pass the three",
            )
        )
    (pressed,) = _each([lambda: Pressure(Router(met)).feed(some)], len(some))
    rows.append(("pressure, events in memory, five appenders measured", f"{pressed:.2f} µs an event", ""))
    return rows


def _fed(make: Callable[[Plan], Any], plan: Plan, events: list[Event]) -> None:
    make(plan).feed(events)


def _plan(path: Path, text: str) -> Plan:
    path.write_text(text, encoding="utf-8")
    return read_plan(path)


def _each(works: list[Callable[[], Any]], events: int) -> list[float]:
    """Return the best of some turns of each, in microseconds an event; they take turns, so that they see the same machine."""
    found = [float("inf")] * len(works)
    for _ in range(_TURNS):
        for at, work in enumerate(works):
            start = time.perf_counter()
            work()
            found[at] = min(found[at], time.perf_counter() - start)
    return [one / events * 1e6 for one in found]
