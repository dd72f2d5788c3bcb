"""Files of lines that look more or less like logs: what stands in them and in which order is drawn, mistakes included."""

from __future__ import annotations

import random
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

ZONES = ("UTC", "GMT", "CET", "CEST", "EST", "PDT", "MSK", "Z", "+0100", "+01:00")
WORDS = (
    "GET", "PUT", "HEAD", "POST", "PATCH", "DELETE", "TRACE", "INFO", "WARN", "FATAL", "ALERT", "AUDIT", "EVENT", "RESET",
    "START", "HTTP", "AST4", "shop.cart", "CART", "TRUST", "I", "E", "Zed",
)  # fmt: skip
_TIMES = (
    "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%d/%b/%Y:%H:%M:%S", "%d.%m.%Y %H:%M", "%b %d %H:%M:%S", "%H:%M:%S",
    "%y%m%d %H%M%S", "%Y%m%d%H%M%S", "%m/%d/%y %I:%M:%S %p", "%H:%M:%S %d-%m-%Y",
)  # fmt: skip


def _time(dice: random.Random) -> Callable[[datetime], str]:
    form = dice.choice(_TIMES)
    part = dice.choice(("", "", ".%f", ",%3"))
    epoch = dice.random() < 0.1
    ms = dice.random() < 0.5

    def shown(time: datetime) -> str:
        if epoch:
            return str(int(time.timestamp() * (1000 if ms else 1)))
        text = time.strftime(form)
        return text + (part.replace("%f", f"{time.microsecond:06}").replace("%3", f"{time.microsecond // 1000:03}"))

    return shown


def _text(dice: random.Random) -> str:
    words = (
        "item", "added", "{n}", "{", "}", '"', "'", "a=b", 'msg="x y"', "[7]", "(idle)", "|", ",", ";", "\t", "\u4e16", "\x1b[31m", "200", "12.5",
        "/cart/7", "at x.y(z.c:12)", "C:\\x", "=", "${x}", "%s", "", "10:41", "null", "\u202e", "1e9", "-",
    )  # fmt: skip
    return dice.choice((" ", " ", "", ", ")).join(dice.choices(words, k=dice.randrange(6)))


def _pair(dice: random.Random) -> Callable[[datetime], str]:
    key = dice.choice(("level", "logger", "msg", "item", "time", "", "a.b", "x y", "level", "@timestamp", '"k"'))
    quoted = dice.random() < 0.4
    kind = dice.randrange(3)

    def shown(_: datetime) -> str:
        value = (_text(dice), dice.choice(WORDS), str(dice.randrange(99)))[kind]
        return f'{key}="{value}"' if quoted else f"{key}={value}"

    return shown


def _part(dice: random.Random) -> Callable[[datetime], str]:
    fixed = dice.choice((_text(dice), dice.choice(WORDS)))
    return dice.choice(
        (
            _time(dice),
            _time(dice),
            _pair(dice),
            _pair(dice),
            lambda _: fixed,
            lambda _: _text(dice),
            lambda _: dice.choice(WORDS),
            lambda _: dice.choice(("debug", "INFO", "warn", "ERROR", "W", "severe")),
            lambda _: dice.choice(("[", "(", "<")) + dice.choice(WORDS) + dice.choice(("]", ")", ">")),
            lambda _: dice.choice(ZONES),
            lambda _: '{"time": "2026-11-13T10:40:01Z", "level": 30, "a": [1, {"b": null}]}',
            lambda _: f'"{_text(dice)}"',
        )
    )


def odd_log(seed: int) -> tuple[str, bool]:
    """Return a file of lines, and whether one of them holds a zone in letters."""
    dice = random.Random(seed)
    parts = [_time(dice), *(_part(dice) for _ in range(dice.randrange(6)))]
    if dice.random() < 0.2:
        parts = [lambda time: f"time={time.isoformat()}", *(_pair(dice) for _ in range(dice.randrange(2, 5)))]
    if dice.random() < 0.3:
        dice.shuffle(parts)
    sign = dice.choice((" ", " ", " ", "\t", ",", " | ", ": "))
    time, lines = datetime(2026, 11, 30, 8, tzinfo=UTC), []
    for _ in range(dice.choice((1, 2, 2, 3, 5, 30))):
        time += timedelta(milliseconds=dice.choice((0, 1, 500, 90_000, 90_000_000)))
        lines.append(sign.join(one(time) for one in parts) if dice.random() < 0.9 else _text(dice))
    if dice.random() < 0.2:
        lines = lines[:1] * len(lines)
    text = dice.choice(("\n", "\n", "\r\n")).join(lines) + dice.choice(("\n", ""))
    return text, any(word in text for word in ("UTC", "GMT", "CET", "CEST", "EST", "PDT", "MSK"))
