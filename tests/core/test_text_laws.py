"""Steps, holes, sizes and spans, each held against the plainest way to say it."""

from __future__ import annotations

import json
import re
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.events import Event, filled, holes, other_fields, pairs, unfilled
from vetrina.core.base.origins import DEFAULT
from vetrina.core.base.quantities import DURATION_PATTERN, SIZE_PATTERN, duration, show_size, show_span, size
from vetrina.core.plan.model import Buffer
from vetrina.core.rush.buffers import Waiting
from vetrina.core.templates.compiling import Setting, text_template

TIME = datetime(2026, 11, 16, tzinfo=UTC)
TEXTS = st.text(st.sampled_from('ab é\t"\\\r\n{}=|漢\x1b'), max_size=14)
NUMBERS = st.integers(0, 9)


def stepped(text: str, step: str) -> str:
    return text_template(f"{{field x|{step}}}", Setting()).compile()(Event(TIME, 9, "a", "m", {"x": text}), 1)


def breaks(text: str) -> list[str]:
    """Return lines and what breaks them, in turn."""
    return re.split("(\r\n|\n|\r)", text)


@given(TEXTS, NUMBERS)
def test_steps_of_a_number(text: str, count: int) -> None:
    lines = breaks(text)
    plain = {
        "pad": text + " " * (count - len(text)),
        "pad-left": " " * (count - len(text)) + text,
        "zeros": "0" * (count - len(text)) + text,
        "cut": text[:count],
        "cut-left": text[max(0, len(text) - count) :],
        "indent": "".join(part + " " * count if at % 2 else part for at, part in enumerate(lines)),
        "lines": "".join(lines[: max(0, 2 * count - 1)]),
    }
    assert {step: stepped(text, f"{step} {count}") for step in plain} == plain


@given(TEXTS, TEXTS)
def test_steps_of_a_text_and_of_nothing(text: str, other: str) -> None:
    argument = json.dumps(other)
    plain = {
        f"or {argument}": text or other,
        f"before {argument}": other + text if text else "",
        f"after {argument}": text + other if text else "",
        "oneline": "".join("\\n" if at % 2 else part for at, part in enumerate(breaks(text))),
        "upper": text.upper(),
        "lower": text.lower(),
    }
    assert {step: stepped(text, step) for step in plain} == plain
    assert json.loads(f'"{stepped(text, "json")}"') == text
    assert stepped(text, f"cut 3|or {argument}|upper|pad 5") == (text[:3] or other).upper().ljust(5)


SEGMENTS = st.lists(st.text("abé", min_size=1, max_size=3), min_size=1, max_size=5)


@given(SEGMENTS, NUMBERS, st.sampled_from([".", "::", "/", "\\"]))
def test_steps_of_a_loggers_name(segments: list[str], count: int, separator: str) -> None:
    event = Event(TIME, 9, separator.join(segments), "m")

    def shown(step: str) -> str:
        return text_template(f"{{logger|{step} {count}}}", Setting(separator=separator)).compile()(event, 1)

    kept = segments[-count:] if count else []
    assert shown("last") == separator.join(kept)
    short = [one[0] for one in segments[: len(segments) - len(kept)]]
    assert shown("initials") == separator.join([*short, *segments[len(short) :]])


VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**20), 10**20) | st.floats(allow_nan=False, allow_infinity=False) | st.text('ab= "{}é\n', max_size=5),
    lambda inner: st.lists(inner, max_size=2) | st.dictionaries(st.sampled_from(["a", "b"]), inner, max_size=2),
    max_leaves=4,
)  # fmt: skip
FIELDS = st.dictionaries(st.sampled_from(["n", "gate", "a.b", "a", "no-1", "x_y"]), VALUES, max_size=4)
MESSAGES = st.lists(
    st.sampled_from(["{n}", "{gate}", "{a.b}", "{a.b.a}", "{no-1}", "{x_y}", "{gone}", "{", "}", "{}", "{1}", "{{n}}", " at ", "é"]), max_size=5
).map("".join)  # fmt: skip
MISSING = object()


def look(fields: Any, name: str) -> Any:
    if name in fields:
        return fields[name]
    for part in name.split("."):
        if not isinstance(fields, dict) or part not in fields:
            return MISSING
        fields = fields[part]
    return fields


def as_text(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, separators=(",", ":"))


@given(MESSAGES, FIELDS | st.none())
def test_holes_are_filled_as_written(message: str, fields: dict[str, Any] | None) -> None:
    event = Event(TIME, 9, "a", message, fields)
    found = re.findall(r"\{([A-Za-z_][A-Za-z0-9_.-]*)\}", message)

    def fill(match: re.Match[str]) -> str:
        value = look(fields or {}, match[1])
        return match[0] if value is MISSING else as_text(value)

    assert filled(event) == re.sub(r"\{([A-Za-z_][A-Za-z0-9_.-]*)\}", fill, message)
    assert unfilled(event) == sum(look(fields or {}, name) is MISSING for name in found)
    assert list(holes(message)) == found
    used = {name if name in (fields or {}) else name.split(".")[0] for name in found}
    assert other_fields(event) == {name: value for name, value in (fields or {}).items() if name not in used}
    rendered = text_template("{message}|{other-fields}", Setting()).compile()(event, 1)
    assert rendered == f"{filled(event)}|{pairs(other_fields(event))}"


@given(FIELDS)
def test_pairs_can_be_told_apart_again(fields: dict[str, Any]) -> None:
    shown = pairs(fields)
    values = re.findall(r'(?:^| )[a-z0-9_.-]+=("(?:[^"\\]|\\.)*"|[^ ="]+)(?= |$)', shown)

    assert [json.loads(one) if one.startswith('"') else one for one in values] == [as_text(value) for value in fields.values()]
    assert not re.search(r"[\x00-\x1f]", shown)


@given(
    st.lists(st.tuples(st.integers(-3, 20), st.sampled_from([9, 17])), max_size=20),
    st.none() | st.integers(1, 4),
    st.none() | st.integers(1, 15),
    st.sampled_from([None, 17]),
)
def test_a_buffer_delivers_in_order_each_once_and_for_a_reason(
    arrivals: list[tuple[int, int]], events: int | None, age: int | None, at_once: int | None
) -> None:
    waiting: Waiting[int] = Waiting(Buffer(events, timedelta(seconds=age) if age else None, at_once, DEFAULT))
    time, groups = TIME, []
    times: list[datetime] = []
    for number, (gap, severity) in enumerate(arrivals):
        time += timedelta(seconds=gap)
        times.append(time)
        for group in waiting.take(time, severity, number):
            full = events is not None and len(group) >= events
            grave = at_once is not None and arrivals[group[-1]][1] >= at_once
            old = age is not None and time - times[group[0]] > timedelta(seconds=age)
            assert full or grave or old
            groups.append(group)
        assert events is None or len(waiting.parcels) < events
    left = waiting.release()
    assert [one for group in [*groups, left] for one in group] == list(range(len(arrivals)))
    assert waiting.release() == []


@pytest.mark.parametrize(
    "text, count",
    [
        ("20 MiB", 20 << 20),
        ("2 GB", 2_000_000_000),
        ("1.5 KiB", 1536),
        ("0.0001 kB", 0),
        (" 7 B ", 7),
        ("3bytes", 3),
        ("1 byte", 1),
        ("1 KB", 1000),
        ("5 PiB", 5 << 50),
    ],
)
def test_sizes_mean_what_they_say(text: str, count: int) -> None:
    assert size(text) == count
    assert re.match(SIZE_PATTERN, text), "the schema takes it too"


@pytest.mark.parametrize(
    "text, words",
    [(20, "no unit"), ("20", "no unit"), ("20 Mib", "not known"), ("20 M", "not known"), ("-1 B", "not a size"), ("", "not a size"), ("1e3 B", "not a size"), ("١ B", "not a size"), (None, "not a size")],
)  # fmt: skip
def test_what_is_no_size_says_why(text: object, words: str) -> None:
    with pytest.raises(NotUnderstood, match=words):
        size(text)
    assert not re.match(SIZE_PATTERN, str(text))


@pytest.mark.parametrize(
    "text, span",
    [
        ("14 days", timedelta(14)),
        ("1 day", timedelta(1)),
        ("5 seconds", timedelta(seconds=5)),
        ("1.5 hours", timedelta(minutes=90)),
        ("250 milliseconds", timedelta(milliseconds=250)),
        ("2 weeks", timedelta(14)),
        ("3 min", timedelta(minutes=3)),
        ("10s", timedelta(seconds=10)),
        ("P14D", timedelta(14)),
        ("PT12H", timedelta(hours=12)),
        ("P1DT2H3M4.5S", timedelta(1, 4.5, hours=2, minutes=3)),
        ("P2W", timedelta(14)),
    ],
)
def test_durations_mean_what_they_say(text: str, span: timedelta) -> None:
    assert duration(text) == span
    assert re.match(DURATION_PATTERN, text), "the schema takes it too"


@pytest.mark.parametrize(
    "text, words",
    [
        (14, "no unit"),
        ("14", "no unit"),
        ("2 months", "no fixed length"),
        ("1 year", "no fixed length"),
        ("3 fortnights", "not known"),
        ("P1M", "no ISO 8601 duration"),
        ("P1Y", "no ISO 8601 duration"),
        ("PT", "no ISO 8601 duration"),
        ("P", "no ISO 8601 duration"),
        ("soon", "not a duration"),
        ("-5 days", "not a duration"),
        ("999999 days", "longer than 1000 years"),
    ],
)
def test_what_is_no_duration_says_why(text: object, words: str) -> None:
    with pytest.raises(NotUnderstood, match=words):
        duration(text)
    assert words == "longer than 1000 years" or not re.match(DURATION_PATTERN, str(text))


@pytest.mark.parametrize(
    "count, shown",
    [(0, "0 B"), (1023, "1023 B"), (1024, "1.0 KiB"), (150 * 1024, "150 KiB"), (3 << 30, "3.0 GiB"), (5 << 50, "5120 TiB")],
)
def test_sizes_are_shown_for_people(count: int, shown: str) -> None:
    assert show_size(count) == shown


@pytest.mark.parametrize(
    "span, shown",
    [
        (timedelta(0), "0 seconds"),
        (timedelta(milliseconds=30), "30 milliseconds"),
        (timedelta(seconds=61), "1 minute 1 second"),
        (timedelta(days=2, hours=5, minutes=7), "2 days 5 hours"),
        (timedelta(days=1, minutes=7), "1 day"),
    ],
)
def test_spans_are_shown_for_people(span: timedelta, shown: str) -> None:
    assert show_span(span) == shown
