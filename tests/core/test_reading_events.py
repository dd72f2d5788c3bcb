"""Events from lines: whatever shapes of lines stand together, each becomes the event that it says."""

from __future__ import annotations

import io
import json
from datetime import datetime
from typing import Any

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plans import plan
from vetrina.core.base.faults import Refused
from vetrina.core.routing.counting import Counter
from vetrina.core.routing.router import Router
from vetrina.formats.events import EventStream

TIMES = [
    "2026-11-09T00:00:00Z", "2026-11-09t23:59:59.5z", "2026-11-09 07:00:00.123456Z", "2026-11-09T07:00:00.123456789Z",
    "2026-11-09T07:00:00.1+02:00", "2026-11-09T07:00:00.999999999-05:30", "2026-11-09T07:00:00.1234567+00:00",
    "2026-12-31T23:59:59.9999999Z",
]  # fmt: skip
BAD_TIMES = [
    "2026-11-09T07:00:00+0200",
    "2026-11-09T07:00:00",
    "2026-11-09T07:00:60Z",
    "2026-11-09T07:00:00.123456789+0200",
    "now",
    5,
    None,
]
EXTRAS: list[dict[str, Any]] = [
    {}, {}, {"shift": 4}, {"line": "upper", "shift": None}, {"ctx": {"time": "2026-11-09T07:00:00+0200"}}, {"error": "x" * 1100},
    {"note": 'a time, "time":"2026-11-09T07:00:00+0200"'}, {"ratio": 1.23456789}, {"deep": [[1], {"a": {}}]}, {"count": 3.0},
]  # fmt: skip
FIELDS: list[Any] = [None, {}, {"badge": 4711}, {"shift": "kept", "time": "2026-11-09T07:00:00.123456789Z"}]
LEVELS = ["info", "WARN", 9, "9", 9.0]
BAD_LEVELS = ["inof", True, 0, None]


@st.composite
def rows(draw: st.DrawFn) -> dict[str, Any]:
    row: dict[str, Any] = {"time": draw(st.sampled_from([*TIMES, *TIMES, *BAD_TIMES])), "level": draw(st.sampled_from([*LEVELS, *LEVELS, *LEVELS, *BAD_LEVELS])),
                           "logger": "ropeway.gate", "message": "café {badge}"}  # fmt: skip
    fields = draw(st.sampled_from(FIELDS))
    if fields is not None:
        row["fields"] = fields
    row |= draw(st.sampled_from(EXTRAS))
    if draw(st.booleans()):
        row = dict(sorted(row.items()))
    return row


def expected(row: dict[str, Any]) -> tuple[Any, ...] | None:
    """Return what a row says, by the standard library; None where it is no event."""
    if row["time"] in BAD_TIMES or (isinstance(row["level"], bool) or row["level"] in BAD_LEVELS):
        return None
    known = ("time", "level", "logger", "message", "fields", "error", "count")
    fields = dict(row.get("fields") or {})
    for name, value in row.items():
        if name not in known and name not in fields:
            fields[name] = value
    return (datetime.fromisoformat(row["time"].upper()), row["level"], fields, row.get("error"), row.get("count"))


@settings(max_examples=150)
@given(st.lists(rows(), min_size=1, max_size=40), st.booleans(), st.booleans())
def test_every_line_becomes_the_event_it_says(some: list[dict[str, Any]], ascii_only: bool, spaced: bool) -> None:
    lines = [json.dumps(row, ensure_ascii=ascii_only, separators=(", ", " : ") if spaced else (",", ":")) for row in some]
    data = ("\n".join(lines) + "\n").encode()
    wanted = [(number, found) for number, row in enumerate(some, start=1) if (found := expected(row)) is not None]
    stream = EventStream("events.jsonl")
    got = [
        (number, (event.time, event.level, event.fields or {}, event.error, event.count))
        for number, event in stream.numbered(io.BytesIO(data))
    ]
    assert got == wanted
    assert all(list(one[1][2]) == list(other[1][2]) for one, other in zip(got, wanted, strict=True)), "in the order of the line"
    assert [one[1][0].utcoffset() for one in got] == [one[1][0].utcoffset() for one in wanted]
    assert stream.unreadable == len(some) - len(wanted)
    counter, counting = Counter(Router(plan(""))), EventStream("events.jsonl")
    counting.send(io.BytesIO(data), counter)
    assert counter.result().events == sum(int(one[1][4] or 1) for one in wanted)
    assert (counting.unreadable, counting.bad_lines, counting.number) == (stream.unreadable, stream.bad_lines, len(some))


@pytest.mark.parametrize("extra", [{"shift": 4}, {"fields": {"shift": 4}}])
def test_many_lines_alike_stay_as_they_are_when_others_follow(extra: dict[str, Any]) -> None:
    plain = {"time": "2026-11-09T00:00:00Z", "level": "info", "logger": "a", "message": "m"}
    some = [*([plain | extra] * 9000), *([plain] * 9000), plain | {"more": 1}]
    data = "\n".join(json.dumps(row) for row in some).encode()
    got = [event.fields for event in EventStream("x").read(io.BytesIO(data))]
    assert got == [{"shift": 4}] * 9000 + [None] * 9000 + [{"more": 1}]


@pytest.mark.parametrize("repeats", [1, 5000])
def test_strict_names_the_first_line_with_a_further_key(repeats: int) -> None:
    plain = '{"time":"2026-11-09T00:00:00Z","level":"info","logger":"a","message":"m"}\n'
    data = (plain * repeats + plain.replace("}", ',"shift":4}') * 2).encode()
    stream = EventStream("events.jsonl", strict=True)
    seen: list[object] = []
    with pytest.raises(Refused) as refused:
        seen.extend(stream.read(io.BytesIO(data)))
    assert len(seen) == repeats
    assert str(refused.value.faults[0].place).startswith(f"events.jsonl:{repeats + 1}:")
    assert "shift" in refused.value.faults[0].what


WRONG: list[Any] = [
    None, 1, 9.0, True, "", "verbose", "INFO", 25, 2**70, [], {}, {"type": 1}, {"line": 1.0}, "a" * 4097, "2026-11-17T25:12:00Z",
    "2026-11-17T05:12:00.1234567891234Z", "2026-11-17 05:12:00z", "2026-11-17T05:12:00+01:00", "2026-11-17T05:12:60Z",
]  # fmt: skip


@st.composite
def odd_lines(draw: st.DrawFn) -> bytes:
    members: dict[str, Any] = {"time": "2026-11-17T05:12:00Z", "level": "info", "logger": "a.b", "message": "m"}
    name = draw(st.sampled_from([*members, "x", "error", "source", "count"]))
    members[name] = draw(st.sampled_from(WRONG))
    if draw(st.booleans()):
        members.pop(draw(st.sampled_from(list(members))))
    text = json.dumps(members)
    at = draw(st.integers(0, 4 * len(text)))
    return (text if at > len(text) else text[:at] + draw(st.sampled_from(['"', "}", "{", "", "x"])) + text[at + 1 :]).encode()


@given(st.lists(odd_lines() | st.sampled_from([b"", b" ", b"{}", b"[]", b"1"]), min_size=8, max_size=40))
def test_a_line_is_an_event_or_none_whatever_stands_before_it(lines: list[bytes]) -> None:
    """After the first few bad lines reasons are no longer worked out, and the verdict is the same."""
    together, alone = EventStream("all"), [EventStream("one") for _ in lines]
    events = [*together.read(io.BytesIO(b"\n".join(lines)))]
    each = [event for line, stream in zip(lines, alone, strict=True) for event in stream.read(io.BytesIO(line))]

    assert [msgspec.json.encode(one) for one in events] == [msgspec.json.encode(one) for one in each]
    assert together.unreadable == sum(stream.unreadable for stream in alone)
