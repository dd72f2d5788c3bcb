"""Telling samples for a plan: what a template should be shown before traffic shows it.

Here: made-up events, the same every time. Used by `preview` without events, and by the checks that try templates.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from vetrina.core.base.events import ErrorDetail, Event, SourcePosition
from vetrina.core.base.levels import NAMES
from vetrina.core.plan.model import Plan

START = datetime(2026, 11, 13, 9, 41, 7, 312_000, tzinfo=UTC)
STACK = "BrakeFault: shoe 3 did not close\n  at brake.close (brake.c:212)\n  at drive.stop (drive.c:88)\ncaused by PressureLow: 41 bar"
SECRET = "funicular-1908"
AWKWARD = 'board says "Rígido — 运行中", 5;6,7|8\t9\nsecond line \x1b[31mred\x1b[0m مرحبا'


def samples(plan: Plan, loggers: tuple[str, ...] = ()) -> list[Event]:
    """Return one event for every level, then awkward ones, spread over ``loggers`` (the plan's own without any)."""
    names = (
        list(loggers)
        or [name for name in plan.loggers if plan.loggers[name].enabled.value and name != "root"]
        or ["ropeway.gate"]
    )

    def at(number: int) -> tuple[datetime, str]:
        return START + timedelta(seconds=number), names[number % len(names)]

    found = []
    for number, level in enumerate(NAMES):
        time, logger = at(number)
        found.append(
            Event(
                time,
                level,
                logger,
                "{what} at {level_of} level",
                fields={"what": "a message", "level_of": level},
                thread="main",
            )
        )
    return found + awkward(names)


def awkward(names: list[str]) -> list[Event]:
    """Return the events that break templates: quotes, line breaks, objects, missing values, long names, secrets, a stack."""
    detail = ErrorDetail("BrakeFault", "shoe 3 did not close", STACK)
    source = SourcePosition("brake.c", 212, "close")
    name = names[0]
    long_name = f"{names[-1]}.a-very-long-segment-that-nobody-planned-for.and-one-more"
    later = [START + timedelta(minutes=1, seconds=second) for second in range(8)]
    return [
        Event(
            later[0],
            "error",
            name,
            "shoe {shoe} did not close",
            fields={"shoe": 3, "line": "upper"},
            error=detail,
            thread="drive-1",
            source=source,
            host="sereno-drive",
            process=812,
        ),
        Event(later[1], "error", name, "a text as error", error="PressureLow: 41 bar"),
        Event(later[2], "warn", name, AWKWARD, fields={"note": AWKWARD, "=SUM(A1:A3)": "=1+1"}, thread='main "1", 2'),
        Event(
            later[3], "warn", name, "pass {pass} used", fields={"pass": {"kind": "day", "stops": ["valley", "mid", "summit"]}}
        ),
        Event(later[4], "error", name, "hole {gone} without a field, and no context at all"),
        Event(later[5], "error", long_name, "a name that is longer than its column", fields={"x": 1}),
        Event(later[6], "error", name, f"login with password={SECRET} for a.berg@example.org", fields={"token": SECRET}),
        Event(later[7], "error", "", "", fields={}),
    ]
