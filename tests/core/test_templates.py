"""Every source and step has its row; every fault its column."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from typing import Any

import pytest

from plans import faults
from vetrina.core.events import ErrorDetail, Event, SourcePosition, filled, text_of
from vetrina.core.levels import Scale
from vetrina.core.templates import clocks
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
