"""What the columns of a log are: logger, thread, process, host, source position, or a field of the column's own name."""

from __future__ import annotations

import re
from collections.abc import Sequence

from vetrina.core.layouts.rows import SEGMENTED, Slot

KEYS = {
    "time": ("time", "ts", "timestamp", "@timestamp", "at", "date", "datetime", "when"),
    "level": ("level", "lvl", "severity", "sev", "loglevel", "log_level", "levelname", "priority"),
    "logger": (
        "logger",
        "name",
        "log",
        "logger_name",
        "loggername",
        "category",
        "component",
        "module",
        "source",
        "class",
        "subsystem",
    ),
    "message": ("message", "msg", "text", "event", "body"),
    "thread": ("thread", "tid", "thread_name", "threadname", "thread_id"),
    "error": ("error", "err", "exception", "exc", "stack", "stacktrace", "stack_trace", "exc_info", "traceback"),
    "process": ("process", "pid", "proc"),
    "host": ("host", "hostname", "node"),
}
"""Usual names of what an event has; the first of each is the plainest."""
_OF_KEY = {name: source for source, names in KEYS.items() for name in names}
_THREAD = re.compile(r"(?i)main|.*(?:thread|worker|pool|exec|task|fiber|job)[-_ #]?\w*|[\w.-]+[-_#]\d+|\d{1,9}|0x[0-9a-f]+")
_PLACE = re.compile(r"[\w./\\$-]+\.\w{1,5}")
_METHOD = re.compile("GET|HEAD|POST|PUT|PATCH|DELETE|CONNECT|OPTIONS|TRACE")
"""Methods of requests (RFC 9110, RFC 5789): no names of loggers."""
_NAME = re.compile(r"[A-Za-z_$][\w$ .:/\\*-]*")


def source_of_key(key: str) -> str:
    """Return the source that a member, a column or a key of this name usually is, nothing for another name."""
    plain = key.lower().replace("-", "_")
    segments = plain.split(".")
    ends = [plain, "_".join(segments[-2:]), *([segments[-1]] if len(segments) > 1 else [])]
    return next((_OF_KEY[one] for one in ends if one in _OF_KEY), "")


def share(values: Sequence[str], expression: re.Pattern[str]) -> float:
    """Return how large a part of values is of a form."""
    return sum(expression.fullmatch(value) is not None for value in values) / max(1, len(values))


def named(slots: Sequence[Slot], *, message_apart: bool) -> dict[int, str]:
    """Return the source of each slot that is not known by its kind, as templates call it.

    Args:
        slots: All slots, from left to right.
        message_apart: Whether the message stands behind them, and is none of them.
    """
    found: dict[int, str] = {}
    open_ = [at for at, one in enumerate(slots) if not one.kind]
    for at in list(open_):
        source = source_of_key(slots[at].key)
        if source and source not in {*found.values(), "time", "level"} and not (source == "message" and message_apart):
            found[at] = source
            open_.remove(at)
    picks = (("process", _process), ("logger", _logger), ("file", _place), ("host", _host), ("thread", _thread))
    for source, pick in picks:
        among = [at for at in open_ if pick is _logger or not slots[at].key]
        picked = pick(slots, among, set(found.values()))
        if picked is not None:
            found[picked] = source
            open_.remove(picked)
    for at in open_:
        found[at] = "field " + (slots[at].key or f"column{at + 1}")
    return found


def _process(slots: Sequence[Slot], open_: Sequence[int], taken: set[str]) -> int | None:
    """Return a number in brackets right behind a name, or one that is always the same."""
    if "process" in taken:
        return None
    numbers = [at for at in open_ if all(one.isdigit() for one in slots[at].values)]
    behind = [at for at in numbers if at and slots[at].opened and slots[at - 1].after == slots[at].opened]
    same = [at for at in numbers if len(set(slots[at].values)) == 1 and len(slots[at].values) > 9]
    return next(iter(behind or same), None)


def _logger(slots: Sequence[Slot], open_: Sequence[int], taken: set[str]) -> int | None:
    """Return the column with most names in segments; where none has such names, one of names that is not like a thread's."""
    if "logger" in taken or not open_:
        return None
    best = max(open_, key=lambda at: (round(share(slots[at].values, SEGMENTED), 1), at))
    if share(slots[best].values, SEGMENTED) >= 0.3:
        return best
    plain = [
        at
        for at in open_
        if not slots[at].key
        and share(slots[at].values, _NAME) > 0.9
        and share(slots[at].values, _THREAD) < 0.5
        and share(slots[at].values, _METHOD) < 0.5
    ]
    strong = [at for at in plain if slots[at].opened or slots[at].after not in {" ", ""} or slots[at].pad]
    return strong[-1] if strong else plain[-1] if plain else None


def _place(slots: Sequence[Slot], open_: Sequence[int], taken: set[str]) -> int | None:
    """Return a file's name before a line's number."""
    del taken
    return next((at for at in open_ if share(slots[at].values, _PLACE) > 0.9 and slots[at].after == ":"), None)


def _thread(slots: Sequence[Slot], open_: Sequence[int], taken: set[str]) -> int | None:
    if "thread" in taken:
        return None
    like = [at for at in open_ if share(slots[at].values, _THREAD) > 0.5]
    bracketed = [at for at in open_ if slots[at].opened and len(set(slots[at].values)) > 1]
    return like[0] if like else bracketed[0] if bracketed else None


def _host(slots: Sequence[Slot], open_: Sequence[int], taken: set[str]) -> int | None:
    """Return a name that is nearly always the same, in a layout that tells a process."""
    if "host" in taken or "process" not in taken:
        return None
    return next((at for at in open_ if len(set(slots[at].values)) <= 3 and not slots[at].key), None)
