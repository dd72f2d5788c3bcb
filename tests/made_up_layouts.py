"""Twenty layouts of logs that nobody told, made up before anything that drafts them; each with the events that it holds.

A layout is a function from an event to the text of its record; what a reader must find is the event's time (to the
fineness that the layout shows), level, logger and message.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import NamedTuple


class Said(NamedTuple):
    """An event of a made-up log."""

    time: datetime
    level: str
    logger: str
    message: str
    thread: str
    badge: int
    stack: str


_LOGGERS = ("ropeway.gate", "ropeway.gate.scanner", "ropeway.drive.motor", "ropeway.fare.pass", "lib.http")
_MESSAGES = (
    "door of cabin {n} did not close",
    "badge {n} read twice",
    "Wind above limit: {n} km/h, slowing down",
    "heartbeat",
    "pass {n} refused (expired); guest sent to desk",
    "torque 0.{n} of nominal - within bounds",
    "GET /passes/{n} took 12 ms",
    "retry {n} of 5 [backoff 200 ms]",
    "restarted after {n} s: all good",
)
_STACK = "GateError: cabin {n} is stuck\n  in close (gate/door.c:41)\n  in cycle (gate/cycle.c:107)"


def events(
    seed: int, count: int = 400, *, stacks: bool = True, start: datetime = datetime(2026, 11, 13, 10, 40, 1, tzinfo=UTC)
) -> list[Said]:
    """Return made-up events in the order of time."""
    dice, time, found = random.Random(seed), start, []
    for _ in range(count):
        time += timedelta(milliseconds=dice.choice((3, 40, 700, 9_000, 240_000)))
        level = dice.choices(("debug", "info", "warn", "error"), (5, 10, 3, 2))[0]
        n = dice.randrange(10, 999)
        stack = _STACK.replace("{n}", str(n)) if stacks and level == "error" and dice.random() < 0.5 else ""
        message = dice.choice(_MESSAGES).replace("{n}", str(n))
        found.append(Said(time, level, dice.choice(_LOGGERS), message, f"worker-{dice.randrange(1, 5)}", 4000 + n, stack))
    return found


def _ms(time: datetime) -> str:
    return f"{time.microsecond // 1000:03}"


def _below(one: Said) -> str:
    return f"\n{one.stack}" if one.stack else ""


def _json(one: Said) -> str:
    return json.dumps(
        {
            "ts": one.time.isoformat(timespec="milliseconds").replace("+00:00", "Z"),
            "lvl": one.level.upper(),
            "logger": one.logger,
            "thread": one.thread,
            "msg": one.message,
            "badge": one.badge,
        }
    )


def _json_epoch(one: Said) -> str:
    return json.dumps(
        {"severity": one.level, "when": int(one.time.timestamp() * 1000), "name": one.logger, "text": one.message}
    )


def _csv(one: Said) -> str:
    message = '"' + one.message.replace('"', '""') + '"'
    return (
        f"{one.time.isoformat(timespec='milliseconds').replace('+00:00', 'Z')},{one.level},{one.logger},{one.badge},{message}"
    )


def _syslog(one: Said) -> str:
    code = {"debug": 7, "info": 6, "warn": 4, "error": 3}[one.level]
    time = one.time.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    return f'<{16 * 8 + code}>1 {time} valley-1 {one.logger} 4120 - [ride@32473 badge="{one.badge}"] {one.message}'


def _pairs(one: Said) -> str:
    time = one.time.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    return f'time={time} level={one.level} logger={one.logger} msg="{one.message}" badge={one.badge}'


def _twelve(time: datetime) -> str:
    return (
        f"{time.month:02}/{time.day:02}/{time.year} {time.hour % 12 or 12:02}:{time:%M:%S} {'PM' if time.hour > 11 else 'AM'}"
    )


class Layout(NamedTuple):
    """A layout: how a record looks, how fine its times are, what stands above, and whether stacks stand below."""

    name: str
    record: Callable[[Said], str]
    fine: timedelta = timedelta(milliseconds=1)
    head: str = ""
    stacks: bool = True


_SECOND = timedelta(seconds=1)
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
LAYOUTS = (
    Layout(
        "plain", lambda e: f"{e.time:%Y-%m-%d %H:%M:%S}.{_ms(e.time)} {e.level.upper():<5} {e.logger} {e.message}{_below(e)}"
    ),
    Layout(
        "thread in brackets",
        lambda e: (
            f"{e.time:%Y-%m-%d %H:%M:%S},{_ms(e.time)} [{e.thread}] {e.level.upper():<5} {e.logger} - {e.message}{_below(e)}"
        ),
    ),
    Layout(
        "rfc 3339, colon", lambda e: f"{e.time:%Y-%m-%dT%H:%M:%S}.{_ms(e.time)}Z {e.level} {e.logger}: {e.message}{_below(e)}"
    ),
    Layout(
        "level first", lambda e: f"[{e.level.upper()}] {e.time:%d.%m.%Y %H:%M:%S} {e.logger}: {e.message}{_below(e)}", _SECOND
    ),
    Layout(
        "bars",
        lambda e: f"{e.time:%Y/%m/%d %H:%M:%S} | {e.level:<7} | {e.logger:<24} | {e.thread} | {e.message}{_below(e)}",
        _SECOND,
    ),
    Layout(
        "one letter",
        lambda e: f"{e.level[0].upper()} {e.time:%Y-%m-%d %H:%M:%S}.{_ms(e.time)} {e.logger}: {e.message}{_below(e)}",
    ),
    Layout("twelve hours", lambda e: f"{_twelve(e.time)} {e.level.upper()} ({e.logger}) {e.message}{_below(e)}", _SECOND),
    Layout(
        "month's name",
        lambda e: (
            f"{e.time.day:02}/{_MONTHS[e.time.month - 1]}/{e.time:%Y:%H:%M:%S} +0000 {e.level.upper()} [{e.logger}] {e.message}{_below(e)}"
        ),
        _SECOND,
    ),
    Layout("epoch", lambda e: f"{int(e.time.timestamp() * 1000)} {e.level.upper()} {e.logger} {e.message}{_below(e)}"),
    Layout(
        "tabs", lambda e: f"{e.time:%Y-%m-%d}\t{e.time:%H:%M:%S}.{_ms(e.time)}\t{e.level}\t{e.logger}\t{e.message}{_below(e)}"
    ),
    Layout("pairs", _pairs, stacks=False),
    Layout(
        "pairs behind",
        lambda e: f"{e.time:%Y-%m-%d %H:%M:%S} {e.level.upper():<5} {e.logger} {e.message} badge={e.badge} thread={e.thread}",
        _SECOND,
        stacks=False,
    ),
    Layout(
        "host and process",
        lambda e: (
            f"{e.time:%Y-%m-%dT%H:%M:%S}.{e.time.microsecond:06}+01:00 valley-1 {e.logger}[4120]: {e.level.upper()}: {e.message}{_below(e)}"
        ),
        timedelta(microseconds=1),
    ),
    Layout("json", _json, stacks=False),
    Layout("json, epoch", _json_epoch, stacks=False),
    Layout("csv", _csv, head="time,level,logger,badge,message\r\n", stacks=False),
    Layout("rfc 5424", _syslog, stacks=False),
    Layout(
        "slashes", lambda e: f"{e.time:%Y%m%d-%H%M%S} <{e.level}> {e.logger.replace('.', '/')}: {e.message}{_below(e)}", _SECOND
    ),
    Layout(
        "double colons",
        lambda e: (
            f"[{e.time:%Y-%m-%d %H:%M:%S}.{e.time.microsecond:06}] [{e.level}] [{e.logger.replace('.', '::')}] {e.message}{_below(e)}"
        ),
        timedelta(microseconds=1),
    ),
    Layout(
        "short year, names padded",
        lambda e: f"{e.time:%y-%m-%d %H:%M:%S} {e.thread:<9} {e.level.upper():>8}  {e.logger:<22} : {e.message}{_below(e)}",
        _SECOND,
    ),
)


def log(layout: Layout, seed: int = 1, count: int = 400) -> tuple[str, list[Said]]:
    """Return a log of a layout, and the events in it."""
    said = events(seed, count, stacks=layout.stacks)
    ending = "\r\n" if layout.name == "csv" else "\n"
    return layout.head + "".join(layout.record(one) + ending for one in said), said
