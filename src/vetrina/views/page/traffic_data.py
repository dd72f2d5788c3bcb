"""A recording for a page: its kinds of events by day, and what may reach files that roll, one by one."""

from __future__ import annotations

import base64
import zlib
from datetime import timedelta
from typing import Any

from vetrina.core.base import clocks
from vetrina.core.plan.model import Plan
from vetrina.core.window.kinds import EventKind, EventTape, WindowTraffic
from vetrina.views.json_text import json_text

LONGEST = 2000
"""Characters of a sample line on a page."""
_MICROSECOND = timedelta(microseconds=1)


def traffic_data(traffic: WindowTraffic, plan: Plan, name: str, unreadable: int) -> dict[str, Any]:
    """Return a recording as JSON. Loggers, appenders and days are places in lists, times are microseconds."""
    days = sorted({day for kind in traffic.kinds for day in kind.days})
    loggers = list(dict.fromkeys(kind.logger for kind in traffic.kinds))
    show = clocks.iso(clocks.zone(plan.zone))
    tables = _Tables(
        {one: at for at, one in enumerate(loggers)},
        {one: at for at, one in enumerate(plan.appenders)},
        {one: at for at, one in enumerate(days)},
    )
    return {
        "name": name,
        "events": traffic.events,
        "round": traffic.round,
        "unreadable": unreadable,
        "further": traffic.further,
        "first": None if traffic.first is None else show(traffic.first),
        "last": None if traffic.last is None else show(traffic.last),
        "span": traffic.pace.span // _MICROSECOND,
        "pace": traffic.pace.words(),
        "days": [str(day) for day in days],
        "whole": [tables.days.get(day, -1) for day in traffic.pace.days],
        "loggers": loggers,
        "kinds": [tables.kind(one) for one in traffic.kinds],
        "tape": None if traffic.tape is None else _packed(traffic.tape),
        "taped": traffic.tape is not None,
    }


class _Tables:
    """Where loggers, appenders and days stand in their lists."""

    def __init__(self, loggers: dict[str, int], appenders: dict[str, int], days: dict[Any, int]) -> None:
        self.loggers, self.appenders, self.days = loggers, appenders, days

    def kind(self, one: EventKind) -> dict[str, Any]:
        """Return a kind: under `days`, [day, events, bytes of each of its appenders…]."""
        found: dict[str, Any] = {
            "logger": self.loggers[one.logger],
            "severity": one.severity,
            "appenders": [self.appenders[name] for name in one.appenders],
            "days": [[self.days[day], count.events, *count.bytes] for day, count in sorted(one.days.items())],
        }
        if one.door is not None:
            found["door"] = one.door
        if one.closed:
            found["closed"] = [[via, place] for via, place in one.closed]
        if one.barred:
            found["barred"] = [self.appenders[name] for name in one.barred]
        if one.lines:
            found["lines"] = [_cut(one.lines.get(name, "")) for name in one.appenders]
        return found


def _cut(line: str) -> str:
    line = line.rstrip("\r\n")
    return line if len(line) <= LONGEST else f"{line[:LONGEST]} … and {len(line) - LONGEST:,} more characters"


def _packed(tape: EventTape) -> str:
    """Return a tape as JSON, packed (RFC 1950) and in base64 (RFC 4648); times as differences."""
    last, apart = 0, []
    for time in tape.times:
        apart.append(time - last)
        last = time
    text = json_text({"times": apart, "kinds": list(tape.kinds), "sizes": list(tape.sizes), "odd": tape.odd})
    return base64.b64encode(zlib.compress(text.encode(), 9)).decode()
