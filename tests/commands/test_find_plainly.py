"""`find` held against an oracle that goes through all events, one after the other, for every kind of call."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from found import START, moment
from in_process import answer

SEVERITIES = {"trace": 1, "debug": 5, "info": 9, "notice": 10, "warn": 13, "error": 17, "critical": 18, "fatal": 21}
MESSAGES = ("start x", "stop x", "open {n}", "Open it", "stop start", "n is {n}!", "close {m} now")


class One(NamedTuple):
    """An event of a source: the latest time so far there, the source's number, its own number, its time, its record."""

    clock: datetime
    source: int
    at: int
    time: datetime
    record: dict[str, Any]

    @property
    def text(self) -> str:
        """Return the message with its holes filled."""
        fields = self.record.get("fields", {})

        def filled(hole: re.Match[str]) -> str:
            value = fields.get(hole.group(1), hole.group(0))
            return value if isinstance(value, str) else json.dumps(value)

        return re.sub(r"\{(\w+)\}", filled, self.record["message"])


Holds = Callable[[One], bool]


def sources(dice: random.Random) -> list[list[One]]:
    """Return up to three sources; times often are the same, and sometimes run back."""
    found = []
    for source in range(dice.randrange(1, 4)):
        events: list[One] = []
        second = dice.randrange(5)
        for at in range(dice.randrange(14)):
            second += dice.choice((0, 0, 1, 2, -3))
            time = START + timedelta(seconds=second)
            record: dict[str, Any] = {
                "time": moment(second),
                "level": dice.choice(list(SEVERITIES)),
                "logger": dice.choice(("a", "a.b", "a.b.c", "ab", "d", "")),
                "message": dice.choice(MESSAGES),
            }
            if dice.random() < 0.6:
                record["fields"] = {"n": dice.choice((7, "7", True, "open", 8.5))}
            if dice.random() < 0.3:
                record["error"] = dice.choice(("Boom: open\n  at x", "x"))
            if dice.random() < 0.4:
                record["thread"] = dice.choice(("t1", "t2"))
            events.append(One(max(time, events[-1].clock) if events else time, source, at, time, record))
        found.append(events)
    return found


def conditions(dice: random.Random) -> Iterator[tuple[list[str], Holds]]:  # noqa: C901  (one branch for each condition)
    """Yield some conditions, each as options and as what it means."""
    folded = dice.random() < 0.3

    def alike(text: str) -> str:
        return text.lower() if folded else text

    if dice.random() < 0.25:
        wanted = dice.choice(("a", "a.b", "d"))
        yield ["--logger", wanted], lambda one: (one.record["logger"] + ".").startswith(wanted + ".")
    if dice.random() < 0.2:
        unwanted = dice.choice(("a.b", "ab"))
        yield ["--not-logger", unwanted], lambda one: not (one.record["logger"] + ".").startswith(unwanted + ".")
    if dice.random() < 0.25:
        text, low, high = dice.choice((("warn..", 13, 24), ("..info", 1, 9), ("debug..warn", 5, 13), ("error", 17, 17)))
        yield ["--level", text], lambda one: low <= SEVERITIES[one.record["level"]] <= high
    if dice.random() < 0.3:
        literal = dice.choice(("open", "7", "Open it", "is 7", "now", "8.5!"))
        options = ["--text", literal, *(["--ignore-case"] if folded else [])]
        yield options, lambda one: any(alike(literal) in alike(text) for text in (one.text, one.record.get("error", "")))
    elif dice.random() < 0.3:
        expression = dice.choice(("^open", "n", "it$", "o.en"))
        yield ["--message", expression], lambda one: re.search(expression, one.text) is not None
    if dice.random() < 0.15:
        yield ["--thread", "t1"], lambda one: one.record.get("thread") == "t1"
    if dice.random() < 0.2:
        value, option = dice.choice(((7, "n=7"), ("7", 'n="7"'), (True, "n=true")))
        yield ["--field", option], lambda one: repr(one.record.get("fields", {}).get("n")) == repr(value)
    if dice.random() < 0.15:
        yield ["--error"], lambda one: "error" in one.record
    if dice.random() < 0.2:
        since = dice.randrange(8)
        yield ["--since", moment(since)], lambda one: one.time >= START + timedelta(seconds=since)
    if dice.random() < 0.2:
        until = dice.randrange(8, 16)
        yield ["--until", moment(until)], lambda one: one.time < START + timedelta(seconds=until)


def within_sections(ordered: list[One]) -> set[tuple[int, int]]:
    """Return which events lie in a section from a start to the next stop."""
    inside, found = False, set()
    for one in ordered:
        ends = inside and "stop" in one.text
        begins = "start" in one.text and (not inside or ends)
        if inside or begins:
            found.add((one.source, one.at))
        inside = begins or (inside and not ends)
    return found


@given(st.integers(min_value=0))
def test_find_shows_what_an_oracle_finds(tmp_path_factory: pytest.TempPathFactory, seed: int) -> None:
    dice = random.Random(seed)
    folder: Path = tmp_path_factory.getbasetemp()
    given_sources = sources(dice)
    for number, events in enumerate(given_sources):
        (folder / f"s{number}.jsonl").write_text("".join(json.dumps(one.record) + "\n" for one in events))
    words = [f"s{number}.jsonl" for number in range(len(given_sources))]
    ordered = [one for events in given_sources for one in events]
    if dice.random() < 0.3:
        words.append("--as-is")
    else:
        ordered.sort(key=lambda one: one[:3])
    hits = ordered
    for options, holds in conditions(dice):
        words += options
        hits = [one for one in hits if holds(one)]
    if dice.random() < 0.3:
        words += ["--between", "start", "stop"]
        inside = within_sections(ordered)
        hits = [one for one in hits if one[1:3] in inside]
    limit = dice.choice((None, None, "--first", "--last"))
    if limit is not None:
        count = dice.randrange(1, 5)
        words += [limit, str(count)]
        hits = hits[:count] if limit == "--first" else hits[-count:]
    around = dice.choice((0, 0, 1, 2))
    words += ["--around", str(around)] if around else []
    chosen = {one[1:3] for one in hits}
    near = {(source, at + step) for source, at in chosen for step in range(-around, around + 1)}

    code, out, err = answer(folder, ["find", *words, "--json"])
    assert code == 0, err
    told = [(one["from"], one["line"], "hit" not in one) for one in map(json.loads, out.splitlines())]
    assert told == [(f"s{one.source}.jsonl", one.at + 1, one[1:3] in chosen) for one in ordered if one[1:3] in near], words
