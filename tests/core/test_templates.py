"""Every source and step has its row; every fault its column."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import faults
from vetrina.core.base import clocks
from vetrina.core.base.events import ErrorDetail, Event, SourcePosition, filled, text_of
from vetrina.core.base.levels import Scale
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.language import BadTemplate

STACK = "Boom: bad\n  at one\r\n  at two"
EVENT = Event(
    datetime(2026, 3, 29, 1, 30, 5, 999_999, tzinfo=UTC),
    "Warn",
    "ropeway.gate.scanner",
    "badge {badge} at {pass.kind}, {gone}",
    fields={
        "badge": 4711,
        "pass": {"kind": "day", "stops": ["a", "b"]},
        "empty": "",
        "note": 'say "hi"',
        "none": None,
        "x": 1e22,
    },
    error=ErrorDetail("Boom", "bad", STACK),
    thread="t-1",
    source=SourcePosition("brake.c", 212, "close"),
    process=77,
    host="sereno",
)
BARE = Event(datetime(2026, 1, 1, tzinfo=UTC), 7, "", "plain")


def rendered(text: str, event: Event = EVENT, **setting: Any) -> str:
    return text_template(text, Setting(scale=Scale({"wire": 7}), **setting)).compile()(event, 3)


@pytest.mark.parametrize(
    "template, expected",
    [
        ("{time}", "2026-03-29T01:30:05.999Z"),
        ("{time|iso}", "2026-03-29T01:30:05.999Z"),
        ("{time|in Europe/Rome}", "2026-03-29T03:30:05.999+02:00"),
        ("{time|in Europe/Rome|%H:%M %z %Z}", "03:30 +0200 CEST"),
        ("{time|%Y-%m-%d %H:%M:%S.%3f|upper}", "2026-03-29 01:30:05.999"),
        ("{time|%y %j %b %B %a %A %p %I %V %u %G %6f %%}", "26 088 Mar March Sun Sunday AM 01 13 7 2026 999999 %"),
        ("{time|epoch} {time|epoch-ms}", "1774747805 1774747805999"),
        ("{time|cut 4}", "2026"),
        ("{level} {level|upper|pad 6}|{severity}", "warn WARN  |13"),
        ("{logger|last 2} {logger|initials 1} {logger|last 0}", "gate.scanner r.g.scanner "),
        ("{message}", "badge 4711 at day, {gone}"),
        ("{text}", "badge {badge} at {pass.kind}, {gone}"),
        ("{error|lines 1}", "Boom: bad"),
        ("{error|oneline}", r"Boom: bad\n  at one\n  at two"),
        ("{error|indent 2}", "Boom: bad\n    at one\r\n    at two"),
        ("{thread} {process} {host} {sequence}", "t-1 77 sereno 3"),
        ("{file}:{line} {function}", "brake.c:212 close"),
        ("{field badge} {field pass.kind} {field none} [{field gone}]", "4711 day null []"),
        ("{field pass}", '{"kind":"day","stops":["a","b"]}'),
        (
            "{fields}",
            'badge=4711 pass="{\\"kind\\":\\"day\\",\\"stops\\":[\\"a\\",\\"b\\"]}" empty="" note="say \\"hi\\"" none=null x=1e+22',
        ),
        ("{other-fields}", 'empty="" note="say \\"hi\\"" none=null x=1e+22'),
        ('{field gone|or -}{field gone|before x}{field badge|before "a b"|after ;}', "-a b4711;"),
        ("{field badge|pad-left 6}{field badge|zeros 6}", "  4711004711"),
        ("{message|cut 5}|{message|cut-left 6}|{message|cut-left 0}", "badge|{gone}|"),
        ("{field note|json}", 'say \\"hi\\"'),
        ("{{literal}} {message|lower|upper|cut 1}", "{literal} B"),
        ('{thread|before "{|}\\n"}', "{|}\nt-1"),
    ],
)
def test_sources_and_steps(template: str, expected: str) -> None:
    assert rendered(template) == expected


@pytest.mark.parametrize(
    "template, expected",
    [
        ("{level} {severity} {logger}", "wire 7 root"),
        ("{error}{thread}{host}{file}{line}{function}{process}{fields}{other-fields}", ""),
        ("{message|oneline}", "plain"),
    ],
)
def test_what_is_missing_is_empty(template: str, expected: str) -> None:
    assert rendered(template, BARE) == expected


@pytest.mark.parametrize(
    "error, expected",
    [
        (ErrorDetail("T", "m"), "T: m"),
        (ErrorDetail("T"), "T"),
        (ErrorDetail(None, "m"), "m"),
        ("text", "text"),
        ("", ""),
        (None, ""),
    ],
)
def test_an_error_is_its_stack_else_its_parts(error: Any, expected: str) -> None:
    assert rendered("{error}", Event(BARE.time, 9, "a", "m", error=error)) == expected


@pytest.mark.parametrize(
    "value, expected",
    [
        (1, "1"),
        (1.0, "1.0"),
        (1e22, "1e+22"),
        (0.1, "0.1"),
        (True, "true"),
        (None, "null"),
        ([1, {"a": "ü"}], '[1,{"a":"ü"}]'),
        (10**30, "1" + "0" * 30),
    ],
)
def test_values_in_holes(value: object, expected: str) -> None:
    assert text_of(value) == expected
    assert filled(Event(BARE.time, 9, "a", "<{v}>", fields={"v": value})) == f"<{expected}>"


@pytest.mark.parametrize(
    "template, offset, words",
    [
        ("{tim}", 1, '"tim" is not a source'),
        ("{time|uper}", 6, '"uper" is not a step'),
        ("{level|%H}", 7, "works on a time"),
        ("{time|%Q}", 6, '"%Q" is not a time directive'),
        ("{message|last 2}", 9, "works on a logger"),
        ("a}b", 1, "no opening one"),
        ("a{time", 5, "not closed"),
        ("{message|pad x}", 9, "whole number"),
        ("{error|pad x}", 7, "whole number"),
        ("{message|pad}", 9, "needs a number"),
        ("{message|or}", 9, "needs a text"),
        ("{message|upper 2}", 9, "no argument"),
        ("{time|in Mars/Base}", 6, "not a zone"),
        ("{message|pad 999999}", 9, "whole number"),
        ("{field}", 1, "needs a name"),
        ("{}", 0, "without a source"),
        ('{thread|or "x}', 11, "quote is not closed"),
        ("{a b c}", 0, "not one source"),
    ],
)
def test_faults_bear_their_column(template: str, offset: int, words: str) -> None:
    with pytest.raises(BadTemplate) as caught:
        text_template(template, Setting())

    assert [(fault.offset, words in fault.what) for fault in caught.value.faults] == [(offset, True)]


def test_all_faults_of_a_template_are_told_at_their_places_in_the_plan() -> None:
    body = 'appenders: {a: {sink: none, template: "{tim} {level|uper}"}}\n'

    assert faults(body) == [
        '2:41 "tim" is not a source at character 2 of the template',
        '2:53 "uper" is not a step at character 14 of the template',
    ]


@pytest.mark.parametrize("time", [datetime.min, datetime.max])
def test_the_ends_of_the_calendar_do_not_overflow(time: datetime) -> None:
    for offset in (-14, 14):
        stamped = time.replace(tzinfo=timezone(timedelta(hours=offset)))
        assert clocks.iso(clocks.zone("Pacific/Auckland"))(stamped)
        assert clocks.iso(UTC)(stamped)


TURNS = ["1972-01-07T00:44:00", "1866-09-21T23:10:00", "2026-10-25T00:59:30", "2026-03-29T00:59:59", "0001-01-01T00:00:00", "9999-12-31T23:58:00", "2026-11-09T05:12:58", "1582-10-15T00:00:00"]  # fmt: skip
"""Times near which a zone's offset changes, has seconds, or overflows the calendar."""
MOMENTS = st.builds(
    lambda text, seconds, micros: (
        datetime.fromisoformat(text).replace(tzinfo=UTC, microsecond=micros) + timedelta(seconds=seconds)
    ),
    st.sampled_from(TURNS),
    st.integers(0, 119),
    st.sampled_from([0, 1, 999, 1000, 312_456, 999_999]),
)
PATTERNS = ["%Y-%m-%d %H:%M:%S.%3f", "%H:%M:%S", "%H:%M", "%S", "%3f", "%6f|%S", "%S.%6f %z %Z", "%I:%M:%S,%3f %p", "%S %S", "%d %b", "%%S %S%%", "%Y%j%H%M%S%6fZ"]  # fmt: skip
ZONES = ["UTC", "Europe/Rome", "Africa/Monrovia", "Asia/Kathmandu", "Pacific/Apia"]


@given(st.sampled_from(PATTERNS), st.sampled_from(ZONES), st.lists(MOMENTS, max_size=12), st.booleans())
def test_a_stream_of_times_looks_as_each_by_itself(pattern: str, zone: str, times: list[datetime], offset: bool) -> None:
    place = clocks.zone(zone)
    pattern = pattern.replace("|", ",")
    render = text_template(f"{{time|{pattern}}} {{time}}", Setting(zone=place)).compile()
    for time in times:
        told = time.astimezone(timezone(timedelta(hours=5, minutes=45))) if offset and 2 < time.year < 9999 else time

        assert render(Event(told, 9, "a", "m"), 1) == f"{clocks.by_pattern(pattern, place)(time)} {clocks.iso(place)(time)}"


PIECES = [
    "{level|upper|pad 6}", "{severity}", "{logger|last 1}", "{logger}", "{time}", "{time|in Europe/Rome|%d %B %H:%M:%S}", "{message}", "{text|oneline}",
    '{error|before "\\n"}', "{error|pad 5}", "{error|or -}", "{error|lines 1|zeros 3}", "{error|mask|indent 2}", "{thread|or -}", "{fields}",
    "{field badge|cut 2}", "{sequence}", " ", "é", "{{", "x",
]  # fmt: skip
SOME = st.builds(
    Event,
    MOMENTS,
    st.sampled_from(["info", "WARN", "wire", 7, "9"]),
    st.sampled_from(["", "ropeway", "ropeway.café"]),
    st.sampled_from(["plain", "badge {badge} at {gate}", "{badge}", "{gone} é {badge} {gate} {badge}"]),
    st.sampled_from([None, {}, {"badge": 4711, "gate": "valley"}, {"badge": True, "gate": "é"}, {"badge": [1], "gate": 1.0}]),
    st.sampled_from([None, "", "Boom: x\n  at one", ErrorDetail(), ErrorDetail("T", "m")]),
    st.sampled_from([None, "t-1", 5]),
)


@given(st.lists(st.sampled_from(PIECES), min_size=1, max_size=8).map("".join), st.lists(SOME, min_size=1, max_size=10))
def test_what_is_put_together_once_is_what_each_event_gives(text: str, events: list[Event]) -> None:
    template = text_template(text, Setting(scale=Scale({"wire": 7})))
    render, make, measure = template.compile("\n"), template.compile_for("\n"), template.compile_length("\n")
    made = {(event.logger, event.level): (make(event), measure(event)) for event in events}
    for number, event in enumerate(events, start=1):
        short, length = made[event.logger, event.level]
        whole = render(event, number)

        assert short(event, number) == whole
        assert length(event, number) == len(whole.encode())
