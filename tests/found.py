"""Made-up sources for searches, and plain oracles of what is found in them."""

from __future__ import annotations

import json
import random
from datetime import UTC, datetime, timedelta
from typing import Any

START = datetime(2026, 11, 13, 10, 40, tzinfo=UTC)
_WORDS = (
    "cabin",
    "did not close",
    "needle-20817",
    "Stra\u00dfe",
    "km/h",
    "wind",
    "e5",
    "1.5",
    'a"b',
    "back\\slash",
    "tab\there",
    "\u212a7",
    "\u017ftop",
    "20817",
    "\u00e9t\u00e9",
    "x",
    " ",
    ", ",
    ": ",
)
_VALUES: tuple[Any, ...] = (
    17,
    20817,
    -3,
    1.5,
    2.50,
    1e20,
    1e-7,
    20817.0,
    123456789012345678901234567890,
    True,
    None,
    "door",
    "needle",
    "le-208",
    "17",
    "did not",
    [1, 2.5, 1e20],
    {"a": "clo", "b": 1e-9},
    "Stra\u00dfe 7",
    "e-5",
    "\u212a",
)


def moment(seconds: float) -> str:
    """Return a time as events have it."""
    return (START + timedelta(seconds=seconds)).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def a_message(dice: random.Random) -> str:
    """Return a message with words and holes."""
    parts = [
        dice.choice(("{a}", "{b}", "{c.d}", "{none}")) if dice.random() < 0.4 else dice.choice(_WORDS)
        for _ in range(dice.randrange(1, 7))
    ]
    return dice.choice(("", " ")).join(parts)


def an_event(dice: random.Random, seconds: float) -> dict[str, Any]:
    """Return an event that may hide a text in every way."""
    event: dict[str, Any] = {
        "time": moment(seconds),
        "level": dice.choice(("debug", "info", "warn", "error")),
        "logger": dice.choice(("a", "a.b", "a.b.c", "d")),
        "message": a_message(dice),
    }
    fields = {name: dice.choice(_VALUES) for name in ("a", "b") if dice.random() < 0.8}
    if dice.random() < 0.5:
        fields["c"] = {"d": dice.choice(_VALUES)}
    if fields:
        event["fields"] = fields
    error = dice.random()
    if error < 0.15:
        event["error"] = f"{dice.choice(_WORDS)}\n  {dice.choice(_WORDS)}"
    elif error < 0.3:
        event["error"] = {"type": dice.choice(("GateError", "did")), "message": dice.choice(_WORDS)}
    if dice.random() < 0.5:
        event["thread"] = dice.choice(("t1", "t2"))
    return event


def as_line(event: dict[str, Any], dice: random.Random) -> str:
    """Return an event as JSON, written in one of the ways in which it may be."""
    text = json.dumps(
        event, ensure_ascii=dice.random() < 0.5, separators=dice.choice(((",", ":"), (", ", ": "), (" ,", " : ")))
    )
    if dice.random() < 0.2:
        at = dice.randrange(len(text))
        inside = text.rfind('"message"') < at and text[at].isalpha() and text[at - 1] not in '\\u"'
        if inside and text[:at].count('"') - text[:at].count('\\"') & 1 and "\\" not in text[max(0, at - 6) : at]:
            text = f"{text[:at]}\\u{ord(text[at]):04x}{text[at + 1 :]}"
    if dice.random() < 0.2:
        text = text.replace("20817.0", "2.0817e4").replace("20817,", "20817e0,").replace("1.5", "1.50")
    return text
