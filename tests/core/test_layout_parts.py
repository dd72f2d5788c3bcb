"""Parts of drafting a layout: times, levels, padding, columns, names, each by what it must make of lines."""

from __future__ import annotations

import io

import pytest

from vetrina.core.layouts.columns import csv_draft, json_draft, pairs_draft
from vetrina.core.layouts.drafts import standard_draft, text_drafts
from vetrina.core.layouts.levels import level_look, padding
from vetrina.core.layouts.naming import source_of_key
from vetrina.core.layouts.times import agreed, first_time
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.forms import JsonObjectForm, PlainText, SyslogLine
from vetrina.formats.logs import LogReader

TIMES = [
    ("2026-11-13T10:40:01Z x", 0, 20, [""]),
    ("2026-11-13 10:40:01.123456789+01:00 x", 0, 35, [""]),
    ("2026-11-13T10:40:01.123Z", 0, 24, [""]),
    ("2026-11-13 10:40:01 x", 0, 19, ["%Y-%m-%d %H:%M:%S"]),
    ("2026-11-13 10:40:01.123 x", 0, 23, ["%Y-%m-%d %H:%M:%S.%3f"]),
    ("2026-11-13 10:40:01,123456 x", 0, 26, ["%Y-%m-%d %H:%M:%S,%6f"]),
    ("2026-11-13 10:40:01.12345 x", 0, 23, ["%Y-%m-%d %H:%M:%S.%3f"]),
    ("2026-11-13 10:40:01.1 x", 0, 19, ["%Y-%m-%d %H:%M:%S"]),
    ("2026-11-13 10:40:01.123456789 x", 0, 26, ["%Y-%m-%d %H:%M:%S.%6f"]),
    ("2026-11-13T10:40:01,123Z x", 0, 24, ["in UTC|%Y-%m-%dT%H:%M:%S,%3fZ"]),
    ("2026-11-13 10:40:01 UTC x", 0, 23, ["in UTC|%Y-%m-%d %H:%M:%S %Z"]),
    ("2026-11-13 10:40:01 CET x", 0, 23, ["%Y-%m-%d %H:%M:%S %Z"]),
    ("2026-11-13T10:40:01+0100 x", 0, 24, ["%Y-%m-%dT%H:%M:%S%z"]),
    ("2026-11-13 10:40:01 +0100 x", 0, 25, ["%Y-%m-%d %H:%M:%S %z"]),
    ("2026/11/13 10:40:01 x", 0, 19, ["%Y/%m/%d %H:%M:%S"]),
    ("2026.11.13 10:40 x", 0, 16, ["%Y.%m.%d %H:%M"]),
    ("13.11.2026 10:40:01 x", 0, 19, ["%d.%m.%Y %H:%M:%S"]),
    ("11/13/2026 10:40:01 PM x", 0, 22, ["%m/%d/%Y %I:%M:%S %p"]),
    ("11/12/2026 10:40:01 x", 0, 19, ["%d/%m/%Y %H:%M:%S", "%m/%d/%Y %H:%M:%S"]),
    ("26-11-13 10:40:01 x", 0, 17, ["%y-%m-%d %H:%M:%S", "%d-%m-%y %H:%M:%S"]),
    ("13/Nov/2026:10:40:01 +0000 x", 0, 26, ["%d/%b/%Y:%H:%M:%S %z"]),
    ("13-November-2026 10:40:01", 0, 25, ["%d-%B-%Y %H:%M:%S"]),
    ("Nov 13, 2026 10:40:01", 0, 21, ["%b %d, %Y %H:%M:%S"]),
    ("Nov 13 2026 10:40:01", 0, 20, ["%b %d %Y %H:%M:%S"]),
    ("May 13 2026 10:40:01", 0, 20, ["%b %d %Y %H:%M:%S", "%B %d %Y %H:%M:%S"]),
    ("Nov 13 10:40:01 valley", 0, 15, ["%b %d %H:%M:%S"]),
    ("Fri Nov 13 10:40:01 valley", 0, 19, ["%a %b %d %H:%M:%S"]),
    ("Friday, Nov 13 10:40:01 valley", 0, 23, ["%A, %b %d %H:%M:%S"]),
    ("20261113-104001 x", 0, 15, ["%Y%m%d-%H%M%S"]),
    ("20261113104001.123 x", 0, 18, ["%Y%m%d%H%M%S.%3f"]),
    ("20261113 10:40:01 x", 0, 17, ["%Y%m%d %H:%M:%S"]),
    ("[2026-11-13 10:40:01] x", 1, 20, ["%Y-%m-%d %H:%M:%S"]),
    ("WARN:gate:2026-11-13 10:40:01:open", 10, 29, ["%Y-%m-%d %H:%M:%S"]),
    ("10:40:01.123 x", 0, 12, ["%H:%M:%S.%3f"]),
    ("10:40 x", 0, 5, ["%H:%M"]),
    ("1794566410 x", 0, 10, ["epoch"]),
    ("1794566410040 x", 0, 13, ["epoch-ms"]),
    ("x 2026-11-13;10:40:01 y", 2, 21, ["%Y-%m-%d;%H:%M:%S"]),
    ("10:40:01 13.11.2026 x", 0, 19, ["%H:%M:%S %d.%m.%Y"]),
    ("261113 104001 x", 0, 13, ["%y%m%d %H%M%S"]),
    ("1794566410.125 x", 0, 14, ["epoch"]),
    ("2026-11-13\t10:40:01", 0, 19, ["%Y-%m-%d\t%H:%M:%S"]),
]


@pytest.mark.parametrize(("line", "begun", "ended", "steps"), TIMES, ids=str)
def test_a_time_and_the_steps_that_read_it(line: str, begun: int, ended: int, steps: list[str]) -> None:
    found = first_time(line)
    assert found is not None
    assert (found.begun, found.ended, list(found.steps)) == (begun, ended, steps)


NO_TIMES = [
    "no time at all",
    "version 1.10.40",
    "ratio 10:4",
    "2026-13-45 is no day",
    "99/99/2026 10:40:01x",
    "address 10.40.01.12:8080",
    "id 17945664100401234",
    "a 1:2:3 b",
    "2026-11-13",
    "",
]


@pytest.mark.parametrize("line", NO_TIMES)
def test_what_is_no_time(line: str) -> None:
    found = first_time(line)
    assert found is None or "%Y" not in "".join(found.steps), found


def test_lines_agree_on_the_steps_that_read_most_of_them() -> None:
    lines = ["01/02/2026 10:00:00", "02/02/2026 10:00:00", "13/02/2026 10:00:00", "10:00:00"]
    assert agreed(met for line in lines if (met := first_time(line))) == ["%d/%m/%Y %H:%M:%S"]
    assert agreed(met for line in lines[:2] if (met := first_time(line))) == ["%d/%m/%Y %H:%M:%S", "%m/%d/%Y %H:%M:%S"]
    assert agreed([]) == []


LOOKS = [
    (["INFO", "WARN", "ERROR"], "|upper", {}),
    (["info", "warning", "err"], "", {}),
    (["Info", "Error"], "", {}),
    (["I", "W", "E", "D"], "|upper|cut 1", {}),
    (["i", "w"], "|cut 1", {}),
    (["INF", "ERR"], "|upper|cut 3", {}),
    (["INFO", "ERRO", "WARN"], "|upper|cut 4", {}),
    (["DBG", "INF", "WRN"], "|upper", {"dbg": 5, "inf": 9, "wrn": 13}),
    (["crit", "info"], "|cut 4", {}),
    (["crit", "error"], "", {"crit": 18}),
    (["info"] * 9 + ["odd"], "", {}),
]


@pytest.mark.parametrize(("words", "steps", "extra"), LOOKS)
def test_how_levels_are_written(words: list[str], steps: str, extra: dict[str, int]) -> None:
    look = level_look(words)
    assert look is not None
    assert (look.steps, look.extra) == (steps, extra)


@pytest.mark.parametrize("words", [["open", "close"], ["info", "open"], ["", ""], ["x"], ["The", "A"], ["level"], ["INFORM"]])
def test_what_is_no_level(words: list[str]) -> None:
    assert level_look(words) is None


PADS = [
    ([("INFO", 0, 1), ("ERROR", 0, 0)], (5, False)),
    ([("INFO", 1, 0), ("ERROR", 0, 0)], (5, True)),
    ([("a", 0, 3), ("ab", 0, 2), ("abcdef", 0, 0)], (4, False)),
    ([("INFO", 0, 0), ("ERROR", 0, 0)], (0, False)),
    ([("INFO", 0, 1), ("ERROR", 0, 3)], (0, False)),
    ([], (0, False)),
]


@pytest.mark.parametrize(("texts", "found"), PADS)
def test_to_how_many_characters_words_are_filled(texts: list[tuple[str, int, int]], found: tuple[int, bool]) -> None:
    assert padding(texts) == found


KEYS = [
    ("time", "time"),
    ("@timestamp", "time"),
    ("TS", "time"),
    ("lvl", "level"),
    ("severity", "level"),
    ("logger_name", "logger"),
    ("component", "logger"),
    ("msg", "message"),
    ("Message", "message"),
    ("thread-name", "thread"),
    ("tid", "thread"),
    ("exc", "error"),
    ("stack_trace", "error"),
    ("pid", "process"),
    ("hostname", "host"),
    ("log.level", "level"),
    ("process.thread.name", "thread"),
    ("badge", ""),
    ("", ""),
    ("levels", ""),
]


@pytest.mark.parametrize(("key", "source"), KEYS)
def test_what_a_key_usually_is(key: str, source: str) -> None:
    assert source_of_key(key) == source


def lines(*rows: str) -> list[str]:
    """Return ten lines each of some rows, with seconds that run on; `#` stands for them."""
    return [row.replace("#", f"{at:02}") for at in range(10) for row in rows]


TEXTS = [
    (lines("2026-11-13 10:40:# INFO a.b open"), "{time|%Y-%m-%d %H:%M:%S} {level|upper} {logger} {message}"),
    (
        lines("2026-11-13 10:40:# INFO  a.b open", "2026-11-13 10:40:# ERROR a.c shut 7"),
        "{time|%Y-%m-%d %H:%M:%S} {level|upper|pad 5} {logger} {message}",
    ),
    (
        lines("2026-11-13 10:40:#  INFO a.b open", "2026-11-13 10:40:# ERROR a.c shut 7"),
        "{time|%Y-%m-%d %H:%M:%S} {level|upper|pad-left 5} {logger} {message}",
    ),
    (
        lines("2026-11-13 10:40:# [main] INFO a.b - open", "2026-11-13 10:40:# [w-2] WARN a.c - shut 7"),
        "{time|%Y-%m-%d %H:%M:%S} [{thread}] {level|upper} {logger} - {message}",
    ),
    (
        lines("2026-11-13 10:40:# INFO [gate] open it", "2026-11-13 10:40:# INFO [drive] shut"),
        "{time|%Y-%m-%d %H:%M:%S} {level|upper} [{logger}] {message}",
    ),
    (
        lines("2026-11-13 10:40:# INFO a.b (door.c:41) open"),
        "{time|%Y-%m-%d %H:%M:%S} {level|upper} {logger} ({file}:{line}) {message}",
    ),
    (
        lines("2026-11-13 10:40:# a.b[4120]: info: open", "2026-11-13 10:40:# a.c[4120]: warn: shut"),
        "{time|%Y-%m-%d %H:%M:%S} {logger}[{process}]: {level}: {message}",
    ),
    (
        lines("2026-11-13 10:40:# INFO a.b open badge=7 x=y", "2026-11-13 10:40:# INFO a.b shut it badge=8 x=z"),
        "{time|%Y-%m-%d %H:%M:%S} {level|upper} {logger} {message} {fields}",
    ),
    (
        lines("2026-11-13 10:40:# INFO a.b [badge=7 x=y] open"),
        "{time|%Y-%m-%d %H:%M:%S} {level|upper} {logger} [{fields}] {message}",
    ),
    (
        lines(
            'ts=2026-11-13T10:40:#Z level=info msg="it is open" badge=7',
            'ts=2026-11-13T10:40:#Z level=warn msg="shut \\"7\\"" badge=8',
        ),
        'ts={time} level={level} msg="{message|json}" badge={field badge}',
    ),
    (
        lines('ts=2026-11-13T10:40:#Z level=info msg="it is open"', 'ts=2026-11-13T10:40:#Z level=warn msg="shut" a=1 b=2'),
        'ts={time} level={level} msg="{message|json}"{fields|before " "}',
    ),
    (lines("{2026-11-13 10:40:#} <info> a.b -> open"), "{{{time|%Y-%m-%d %H:%M:%S}}} <{level}> {logger} -> {message}"),
    (
        lines("2026-11-13 10:40:# INFO a.b open", "TypeError: x", "  at y"),
        '{time|%Y-%m-%d %H:%M:%S} {level|upper} {logger} {message}{error|before "\\n"}',
    ),
    (
        lines("2026-11-13 10:40:# INFO a.b open", "    and more of it"),
        "{time|%Y-%m-%d %H:%M:%S} {level|upper} {logger} {message}",
    ),
    (lines("2026-11-13 10:40:# open the door", "2026-11-13 10:40:# it is shut"), "{time|%Y-%m-%d %H:%M:%S} {message}"),
]


@pytest.mark.parametrize(("rows", "template"), TEXTS, ids=[template for _, template in TEXTS])
def test_text_is_cut_at_what_its_lines_share(rows: list[str], template: str) -> None:
    assert text_drafts(rows)[0].text == template


OBJECTS = [
    (
        '{"ts":"2026-11-13T10:40:00Z","level":"info","logger":"a.b","msg":"open it"}',
        {"ts": {"raw": "time"}, "level": {"raw": "level"}, "logger": {"raw": "logger"}, "msg": {"raw": "message"}},
    ),
    (
        '{"t":1794566410,"sev":"W","who":"a.b","say":"open the door now"}',
        {"t": "{time|epoch}", "sev": "{level|upper|cut 1}", "who": {"raw": "logger"}, "say": {"raw": "message"}},
    ),
    (
        '{"time":1794566410.25,"severity":17,"message":"x"}',
        {"time": "{time|epoch}", "severity": {"raw": "level"}, "message": {"raw": "message"}},
    ),
    (
        '{"@timestamp":"13.11.2026 10:40:00","level":"info","thread":7,"pid":1,"host":"h","exc":"Boom","message":"x"}',
        {
            "@timestamp": "{time|%d.%m.%Y %H:%M:%S}",
            "level": {"raw": "level"},
            "thread": {"raw": "thread"},
            "pid": {"raw": "process"},
            "host": {"raw": "host"},
            "exc": {"raw": "error"},
            "message": {"raw": "message"},
        },
    ),
    (
        '{"time":"2026-11-13T10:40:00Z","log":{"level":"info","name":"a.b","n":1},"message":"x"}',
        {
            "time": {"raw": "time"},
            "log": {"level": {"raw": "level"}, "name": {"raw": "logger"}, "n": {"raw": 'field "log.n"'}},
            "message": {"raw": "message"},
        },
    ),
]


@pytest.mark.parametrize(("line", "members"), OBJECTS)
def test_members_of_objects(line: str, members: dict[str, object]) -> None:
    found = json_draft([line] * 3)
    assert found is not None
    assert found.members == members


NONE_OF_IT = [
    ["{}"],
    ["[1]"],
    ["1"],
    ['{"a":1}'],
    ['{"level":"info","message":"x"}'],
    ["x", "y", '{"time":"2026-11-13T10:40:00Z"}'],
]


@pytest.mark.parametrize("rows", NONE_OF_IT)
def test_objects_that_are_no_log(rows: list[str]) -> None:
    assert json_draft(rows) is None


def test_pairs_in_any_order() -> None:
    found = pairs_draft(
        ["time=2026-11-13T10:40:00Z level=info msg=open x=1", 'level=warn msg="it is shut" time=2026-11-13T10:40:01Z']
    )
    assert found is not None
    assert found.members == {"time": {"raw": "time"}, "level": {"raw": "level"}, "msg": {"raw": "message"}}
    assert pairs_draft(["a=b", "c=d"]) is None
    assert pairs_draft(["no pairs here"]) is None


ROWS = [
    (
        [
            "time,level,logger,badge,message",
            "2026-11-13T10:40:00Z,info,a.b,7,open",
            '2026-11-13T10:40:01Z,warn,a.c,8,"it, too"',
        ],
        True,
        {"time": "{time}", "level": "{level}", "logger": "{logger}", "badge": "{field badge}", "message": "{message}"},
    ),
    (
        ["at,sev,who,what", "13.11.2026 10:40:00,I,a.b,open", "13.11.2026 10:40:01,W,a.c,shut"],
        True,
        {"at": "{time|%d.%m.%Y %H:%M:%S}", "sev": "{level|upper|cut 1}", "who": "{logger}", "what": "{field what}"},
    ),
    (
        ['"2026-11-13 10:40:00","info","a.b","open"', '"2026-11-13 10:40:01","warn","a.c","shut"'],
        False,
        {"column1": "{time|%Y-%m-%d %H:%M:%S}", "column2": "{level}", "column3": "{logger}", "column4": "{message}"},
    ),
]


@pytest.mark.parametrize(("rows", "header", "columns"), ROWS)
def test_columns_of_csv(rows: list[str], header: bool, columns: dict[str, str]) -> None:
    found = csv_draft(rows)
    assert found is not None
    assert (found.header, found.columns) == (header, columns)


@pytest.mark.parametrize(
    "rows", [["a,b", "1,2"], ["one line"], ["a,a", "2026-11-13T10:40:00Z,x"], ["time,x", "1", "2,3,4"], ['"']]
)
def test_what_is_no_csv_log(rows: list[str]) -> None:
    assert csv_draft(rows) is None


def test_messages_by_rfc_5424() -> None:
    row = '<132>1 2026-11-13T10:40:00Z valley-1 gate 4120 - [ride@32473 badge="7"] '
    found = standard_draft([f"{row}open it", f"{row}shut"])
    named = standard_draft([f"{row}a.b: open it", f"{row}a.c: shut"])
    assert found is not None
    assert named is not None
    assert (found.text, named.text) == ("{message}", "{logger}: {message}")
    assert standard_draft(["<132>Nov 13 10:40:00 valley-1 x"]) is None


DOUBTS = [
    (["2026-11-13 10:40:01 open"] * 9, "no level stands in it"),
    (["2026-11-13 10:40:01 INFO open it"] * 9, "no logger's name"),
    (["2026-11-13 10:40:01 INFO [gate] open it"] * 9, "is taken for a logger"),
    (
        ["2026-11-13 10:40:01 0a0011ff INFO a.b open it", "2026-11-13 10:40:01 0b0012ff INFO a.b open it"] * 9,
        "is not known: {field column2}",
    ),
    (["10:40:01 INFO a.b open"] * 9, "no day"),
    (["Nov 13 10:40:01 INFO a.b open"] * 9, "no year"),
    (["2026-11-13 10:40:01 CET INFO a.b open"] * 9, "a zone in letters"),
]


@pytest.mark.parametrize(("rows", "doubt"), DOUBTS)
def test_doubts(rows: list[str], doubt: str) -> None:
    assert any(doubt in one for one in text_drafts(rows)[0].doubts), text_drafts(rows)[0]


@pytest.mark.parametrize(("name", "sign"), [("a.b.c", "."), ("a::b", "::"), ("a/b/c", "/"), ("gate", ".")])
def test_what_stands_between_the_segments_of_names(name: str, sign: str) -> None:
    assert text_drafts([f"2026-11-13 10:40:{at:02} INFO [{name}] open {at}" for at in range(9)])[0].separator == sign


READ = [
    ({"at": "{time|epoch}", "say": "{message}"}, '{"at": 1794566410, "say": "x"}', ["2026-11-13T10:40:10+00:00", "x"]),
    (
        {"at": "{time|epoch}", "say": "{message}"},
        '{"at": 1794566410.25, "say": "x"}',
        ["2026-11-13T10:40:10.250000+00:00", "x"],
    ),
    (
        {"at": "{time|epoch-ms}", "say": "{message}"},
        '{"at": 1794566410040, "say": "x"}',
        ["2026-11-13T10:40:10.040000+00:00", "x"],
    ),
    ({"at": "{time|epoch}", "say": "{message}"}, '{"at": "1794566410", "say": "x"}', ["2026-11-13T10:40:10+00:00", "x"]),
    ({"at": "{time|epoch}", "say": "{message}"}, '{"at": 1e300, "say": "x"}', ['member "at": 1e+300 is no time since 1970']),
    ({"at": "{time|epoch}", "say": "{message}"}, '{"at": true, "say": "x"}', ['member "at": it is no text']),
]


@pytest.mark.parametrize(("members", "line", "told"), READ)
def test_numbers_that_are_times(members: dict[str, str], line: str, told: list[str]) -> None:
    setting = Setting()
    parsed = {name: text_template(text, setting) for name, text in members.items()}
    form = JsonObjectForm("json", setting, texts=tuple(parsed.values()), members=dict(parsed))
    reader = LogReader(form)
    reader.patient = False
    events = list(reader.read(io.BytesIO(line.encode() + b"\n"), "odd.log"))
    assert (
        [part for one in events for part in (one.time.isoformat(), one.message)] or [one.reason for one in reader.bad_lines]
    ) == told


@pytest.mark.parametrize(
    ("text", "message"), [('"open"', "open"), ('"a \\"b\\" c"', 'a "b" c'), ('"\\u00e9\\n"', "é\n"), ('""', "")]
)
def test_quoted_texts_end_at_the_first_quote_that_is_not_escaped(text: str, message: str) -> None:
    found = text_template('{time} "{message|json}" [{thread}]', Setting())
    reader = LogReader(PlainText("text", found.setting, None, (found,)))
    (one,) = reader.read(io.BytesIO(f"2026-11-13T10:40:00Z {text} [t1]\n".encode()), "odd.log")
    assert (one.message, one.thread) == (message, "t1")


@pytest.mark.parametrize(
    ("app", "template", "logger"),
    [("", "{message}", "gate.door"), ("ropeway", "{message}", ""), ("", "{logger}: {message}", "a.b")],
)
def test_the_application_of_a_message_by_rfc_5424(app: str, template: str, logger: str) -> None:
    text = text_template(template, Setting())
    reader = LogReader(SyslogLine("syslog", text.setting, texts=(text,), app=app))
    (one,) = reader.read(io.BytesIO(b"<132>1 2026-11-13T10:40:00Z valley-1 gate.door 4120 - - a.b: open\n"), "odd.log")
    assert one.logger == logger
