"""Reading logs back: every line is part of an event that gives it back, or counted; nothing is swallowed."""

from __future__ import annotations

import io
import re
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from plans import plan
from vetrina.core.base.events import Event
from vetrina.core.base.faults import Refused
from vetrina.core.base.levels import Scale
from vetrina.core.templates.compiling import Setting, TextTemplate, text_template
from vetrina.core.templates.forms import PlainText
from vetrina.core.templates.reading_back import invert
from vetrina.core.templates.reading_pieces import Collision
from vetrina.formats.logs import LogReader

SCALE = Scale({"wire": 7})


def form(text: str) -> PlainText:
    template = text_template(text, Setting(scale=SCALE))
    return PlainText("text", template.setting, None, (template,))


def read(text: str, log: str | bytes, name: str = "x-2026-11-02.log", **more: Any) -> tuple[LogReader, list[Event]]:
    reader = LogReader(form(text), **more)
    events = list(reader.read(io.BytesIO(log.encode() if isinstance(log, str) else log), name))
    return reader, events


RID = '[{time|%Y-%m-%d %H:%M:%S.%3f}] {level|upper|pad 7} (rid={field rid}) {logger} - {message}{error|before "\\n"}'
FIRST = "[2026-11-02 10:00:00.000] INFO    (rid=1) a.b - one\n"


@pytest.mark.parametrize(
    "line, level",
    [
        ("[2026-11-02 10:00:01.000] WARNING (rid=2) a.b - two", "warn"),
        ("[2026-11-02 10:00:01.000] ERR     (rid=2) a.b - two", "error"),
        ("[2026-11-02 10:00:01.000] Error   (rid=2) a.b - two", "error"),
        ("[2026-11-02 10:00:01.000] info    (rid=2) a.b - two", "info"),
        ("[2026-11-02 10:00:01.000] INFO (rid=2) a.b - two", "info"),
        ("[2026-11-02 10:00:01.000] INFORMATIONAL (rid=2) a.b - two", "info"),
        ("[2026-11-02 10:00:01.000] WIRE    (rid=2) a.b - two", "wire"),
        ("[2026-11-02 10:00:01.000] 17      (rid=2) a.b - two", "error"),
        ("[2026-11-02 10:00:01.000] Emergency (rid=2)  a.b - two", "fatal"),
    ],
)  # fmt: skip
def test_levels_are_read_in_every_spelling_that_a_plan_reads(line: str, level: str) -> None:
    reader, events = read(RID, FIRST + line + "\n")

    assert (reader.misfits, reader.joined_lines) == (0, 0)
    assert [(one.level, one.logger, one.message, one.fields) for one in events[1:]] == [(level, "a.b", "two", {"rid": 2})]


@pytest.mark.parametrize(
    "line, reason",
    [
        ("[2026-11-02 10:00:01.000] WARNX   (rid=2) a.b - two", '"WARNX" is no level'),
        ("[2026-11-02 10:00:01.000]\tINFO    (rid=2) a.b - two", 'character 26: "] " is wanted there'.replace("26", "25")),
        ("[2026-13-02 10:00:01.000] INFO    (rid=2) a.b - two", '"2026-13-02 10:00:01.000" is no time'),
        ("[2026-11-02 25:00:01.000] INFO    (rid=2) a.b - two", '"2026-11-02 25:00:01.000" is no time'),
        ("[02.11.2026 10:00:01] INFO    (rid=2) a.b - two", "a time as %Y-%m-%d %H:%M:%S.%3f is wanted there"),
        ("02.11.2026 10:00:01 INFO    (rid=2) a.b - two", '"[" is wanted there'),
        ("10:00 up 3 days", '"[" is wanted there'),
        ("WARNING pool is full", '"[" is wanted there'),
        ("<warn> pool is full", '"[" is wanted there'),
        ("2026-11-02 10:00:01.000] INFO    (rid=2) a.b - two", '"[" is wanted there'),
        (" INFO    (rid=2) a.b - two", '"[" is wanted there'),
        ("[2026-11-02 10:00:01.000] INFO    (rid=2) a.b", '" - " is wanted after the logger'),
        ("[2026-11-02 10:00:01.000] INFO    (rid=2)  - two", '" - " is wanted after the logger'),
    ],
)  # fmt: skip
def test_a_line_that_looks_like_one_of_its_own_is_never_swallowed(line: str, reason: str) -> None:
    reader, events = read(RID, f"{FIRST}{line}\n  at its stack\n{FIRST}")

    assert [one.error for one in events] == [None, None]
    assert (reader.misfits, reader.joined_lines) == (2, 0)
    assert reason in reader.bad_lines[0].reason
    assert reader.bad_lines[1].reason == "it follows line 2, which does not fit"


@pytest.mark.parametrize(
    "fields, misfits",
    [("a=1 b=x", 0), ('a="" b="x=1"', 0), ("a=x=1", 1), ("a=", 1), ('a="x"', 1), ('a="\\u0020x"', 1), ("a=x\x7f", 1)],
)
def test_fields_are_read_as_the_template_writes_them(fields: str, misfits: int) -> None:
    line = f"2026-11-02T10:00:00.000Z hello {fields}"
    reader, events = read("{time} {message} {fields}", line + "\n")

    assert reader.misfits == misfits
    assert written(form("{time} {message} {fields}").texts[0], events) == ([] if misfits else [line])


@pytest.mark.parametrize(
    "looks, shown, misfits",
    [
        ("{field r|or -} | {field r}", "- | -", 0),
        ("{field r|or -} | {field r}", "- | ", 0),
        ("{field r|or -} | {field r}", "- | a", 1),
        ("{field r} | {field r}", " | a", 1),
        ("{field r|cut 2} | {other-fields}", "ab | r=abc", 0),
        ("{field r|cut 2} | {other-fields}", "ab | r=cba", 1),
        ("{field r} | {other-fields}", " | r=abc", 1),
    ],
)
def test_all_looks_at_a_field_agree(looks: str, shown: str, misfits: int) -> None:
    line = f"2026-11-02T10:00:00.000Z {shown}"
    reader, events = read("{time} " + looks, line + "\n")

    assert reader.misfits == misfits
    assert written(form("{time} " + looks).texts[0], events) == ([] if misfits else [line])


@pytest.mark.parametrize(
    "template, further, joined, misfits",
    [
        pytest.param('{time} {message}{error|before "\\n"}', "Boom\n  at x\n", 2, 0, id="a stack trace"),
        pytest.param('{time} {message}{error|before "\\n"}', "Error: x\n\n  at x\n", 3, 0, id="with an empty line in it"),
        pytest.param('{time} {message}{error|before "\\n! "}', "! Boom\n  at x\n", 2, 0, id="with a mark before it"),
        pytest.param('{time} {message}{error|before "\\n! "}', "Boom\n  at x\n", 0, 2, id="without the mark"),
        pytest.param('{time} {message}{error|indent 2|before "\\n"}', "Boom\n  at x\n", 2, 0, id="indented by the template"),
        pytest.param('{time} {message}{error|lines 2|before "\\n"}', "Boom\n  at x\n", 2, 0, id="two lines at most"),
        pytest.param('{time} {message}{error|lines 2|before "\\n"}', "Boom\n  at x\nat y\n", 0, 3, id="three of two"),
        pytest.param("{time} {message}", "second line\n", 1, 0, id="a message of two lines"),
        pytest.param("{time} {message|oneline}", "second line\n", 0, 1, id="a message that breaks no lines"),
        pytest.param("{time} {message|json}", "second line\n", 0, 1, id="a message whose breaks are escaped"),
        pytest.param("{time} {message} | {logger}", "second line\n", 0, 1, id="a message that is not last"),
        pytest.param("{time} {message} | {error}", "  at x\n", 1, 0, id="an error that begins on the line"),
        pytest.param("{time} {logger}", "second line\n", 0, 1, id="nothing that breaks lines"),
    ],
)
def test_further_lines_are_taken_where_the_template_can_write_them(
    template: str, further: str, joined: int, misfits: int
) -> None:
    first = "2026-11-02T10:00:00.000Z a | b\n"
    reader, events = read(template, first + further + first)

    assert (len(events), reader.joined_lines, reader.misfits, reader.blank) == (2, joined, misfits, 0)
    if joined:
        assert written(form(template).texts[0], events) == (first + further + first).splitlines()


@pytest.mark.parametrize(
    "template, why",
    [
        ("{time} {message} {logger}", "{message} and {logger} collide: a message holds the blanks"),
        ("{time} {error}  {thread}", "{error} and {thread} collide"),
        ("{time} {message} {fields|upper}", "{message} and {fields} collide"),
    ],
)
def test_a_message_followed_by_blanks_and_something_open_collides(template: str, why: str) -> None:
    with pytest.raises(Collision, match=re.escape(why)):
        invert(text_template(template, Setting()))


def test_fields_after_a_message_tell_themselves_from_words() -> None:
    log = '2026-11-02T10:00:00.000Z hello = there a=1 b="x y" c="" d={}\n2026-11-02T10:00:00.000Z hello there \n'
    reader, events = read("{time} {message} {fields}", log)

    assert [(one.message, one.fields) for one in events] == [
        ("hello = there", {"a": 1, "b": "x y", "c": "", "d": {}}),
        ("hello there", {}),
    ]
    assert reader.misfits == 0


DAMAGED = st.sampled_from('aZ0 5:-[]|(\t.="é')
PARTS = st.sampled_from(
    ["{level}", "{level|upper}", "{level|upper|pad 7}", "{level|cut 1}", "{severity}", "{level|pad-left 8}", "{logger}", "{logger|pad 12}",
     "{logger|pad-left 12}", "{logger|last 1}", "{logger|initials 1}", "{thread|or -}", "{host}", "{field rid}", "{field rid|zeros 4}", "{line}",
     "{process|pad 6}"]
)  # fmt: skip
TIMES = [
    "{time}",
    "{time|%Y-%m-%d %H:%M:%S.%3f}",
    "{time|%d %b %Y %I:%M:%S.%3f %p}",
    "{time|%a %Y-%j %H:%M:%S}",
    "{time|epoch-ms}",
    "{time|%H:%M:%S}",
]
JOINTS = st.sampled_from([" ", " | ", "] [", ": ", " - ", "\t"])
ENDS = st.sampled_from(
    ["{message}", "{message|oneline}", '{message}{error|before "\\n"}', '{message|oneline}{error|indent 2|before "\\n  "}', "{message} {fields}",
     "{message|json}", "{message} # {error}"]
)  # fmt: skip
WORDS = st.text("abAB1.", min_size=1, max_size=6)
EVENTS = st.lists(
    st.builds(
        Event,
        st.integers(0, 60_000).map(lambda n: datetime.fromtimestamp(1_793_600_000 + n, tz=UTC)),
        st.sampled_from(["trace", "debug", "info", "warn", "error", "wire", 3]),
        WORDS.map(lambda word: f"x.{word}"),
        st.lists(WORDS, min_size=1, max_size=3).map(" ".join) | st.just("two\n  lines"),
        st.none() | st.fixed_dictionaries({"rid": st.integers(0, 9999)}),
        st.none() | st.just("Boom: 5\n  at one\n\n  at two"),
        st.none() | WORDS,
        host=st.none() | WORDS,
    ),
    min_size=1,
    max_size=6,
)


@st.composite
def templates(draw: st.DrawFn) -> str:
    parts = [draw(st.sampled_from(TIMES)), *draw(st.lists(PARTS, max_size=3, unique=True))]
    return draw(st.sampled_from(["", "[", "<"])) + "".join(part + draw(JOINTS) for part in parts) + draw(ENDS)


def written(template: TextTemplate, events: list[Event]) -> list[str]:
    render = template.compile("\n")
    return "".join(render(one, at) for at, one in enumerate(events, start=1)).removesuffix("\n").split("\n") if events else []


def alike(line: str, cut: bool) -> str:
    """Return a line without what reading leaves free: padding, a level's spelling, a time's further digits.

    Args:
        line: The line.
        cut: Whether its level is cut to one letter: then a level's number may be given back as that letter.
    """
    line = re.sub(r"(:\d\d\.\d{3})\d*(?=Z)", r"\1", line.replace("é", "")).strip()
    for name in sorted(SCALE.names(), key=len, reverse=True):
        severity = SCALE.severity(name)
        line = re.sub(rf"(?i)\b{name}\b", f"<{severity}>", line) if severity else line
    line = re.sub(r"\b([1-9]|1\d|2[0-4])\b", lambda number: SCALE.name(int(number[0]))[0] if cut else f"<{number[0]}>", line)
    return re.sub(r"[ 0]+", "", line).casefold()


@settings(max_examples=300)
@given(
    templates(),
    EVENTS,
    st.lists(st.tuples(st.integers(0, 400), st.integers(0, 60), DAMAGED, st.sampled_from(["put", "swap", "drop"])), max_size=3),
)
def test_every_line_is_part_of_an_event_that_gives_it_back_or_is_counted(
    text: str, events: list[Event], damages: list[tuple[int, int, str, str]]
) -> None:
    template = form(text).texts[0]
    lines = written(template, events)
    for which, at, char, how in damages:
        line = lines[which % len(lines)]
        spot = at % (len(line) + 1)
        lines[which % len(lines)] = line[:spot] + ("" if how == "drop" else char) + line[spot + (how != "put") :]
    assume(lines != [""])
    try:
        reader, back = read(text, "\n".join(lines) + "\n")
    except (Collision, Refused) as collision:
        assume("collide" not in str(collision))
        raise
    given_back = written(template, back)

    assert len(given_back) + reader.misfits + reader.blank == len(lines)
    cut = "{level|cut 1}" in text
    left = iter([alike(line, cut) for line in lines])
    assert all(any(alike(one, cut) == other for other in left) for one in given_back), "the lines of the events, in their order"


FORMS = plan("""
loggers: {root: {to: [j, o, c, s]}}
appenders:
  j: {sink: file, path: j, template: j}
  o: {sink: file, path: o, template: o}
  c: {sink: file, path: c, template: c}
  s: {sink: file, path: s, template: s}
templates:
  j: {as: json, members: {at: "{time}", lvl: {raw: level}, who: "{logger}", say: {raw: message}, f: {raw: fields}, n: {raw: thread}}}
  o: {as: json, members: {at: "{time}", lvl: "{level}", say: "{message}"}, omit-empty: true}
  c: {as: csv, columns: {at: "{time}", say: "{message}"}, header: true}
  s: {as: syslog, app: x, ending: "\\n"}
""")
AT = "2026-11-02T10:00:00.000Z"
SAID = f'{{"at":"{AT}","lvl":"info","who":"a","say":"x","f":{{}},"n":null}}'


@pytest.mark.parametrize(
    "appender, line, reason",
    [
        ("j", SAID.replace('"x"', "5"), 'member "say": expected `str`, got `int`'),
        ("j", SAID.replace("{}", "5"), 'member "f": it is no object of fields'),
        ("j", SAID.replace('"info"', '"inof"'), 'member "lvl": "inof" is no level'),
        ("j", SAID.replace('"n":null', '"n":[1]'), 'member "n": expected'),
        ("j", SAID.replace(',"n":null', ""), 'member "n" is missing'),
        ("j", SAID.replace(AT, "yesterday"), 'member "at": it stops fitting at character 1: a time by RFC 3339'),
        ("j", SAID[:-1], "it is no JSON object"),
        ("j", "[1]", "it is no JSON object"),
        ("o", f'{{"at":"{AT}","say":"x"}}', 'member "lvl" is missing'),
        ("c", f"{AT},x,y", "it has 3 columns, and 2 are wanted"),
        ("c", "soon,x", 'column "at": it stops fitting at character 1'),
        ("c", f'{AT},"x', "not by RFC 4180"),
        ("s", f'<14>1 {AT} - x - - [f@1 a="1" b] x', "it is no message by RFC 5424"),
        ("s", f"<300>1 {AT} - x - - - x", "it is no message by RFC 5424"),
        ("s", "<14>1 - - x - - - x", '"-" is no time by RFC 3339'),
    ],
)
def test_a_record_that_is_no_event_is_told_and_the_next_one_read(appender: str, line: str, reason: str) -> None:
    template = FORMS.templates[appender]
    render = template.compile(template.own_ending())
    message = 'two "\nlines' if appender != "s" else "one line"  # RFC 5424 has no line breaks of its own
    good = render(Event(datetime(2026, 11, 2, 10, tzinfo=UTC), "info", "a", message, {"k": 1}), 1)
    reader = LogReader(template)
    back = list(reader.read(io.BytesIO(f"{good}{line}\n{good}".encode()), "x"))

    assert [one.message for one in back] == [message] * 2
    assert any(reason in bad.reason for bad in reader.bad_lines)


def test_members_that_the_template_does_not_know_and_empty_fields_are_kept() -> None:
    reader = LogReader(FORMS.templates["j"])
    back = list(reader.read(io.BytesIO(f'{SAID}\n{SAID[:-1]},"more":[1]}}\n'.encode()), "x"))

    assert ([one.fields for one in back], reader.misfits) == ([{}, {"more": [1]}], 0)


def test_a_wide_encoding_is_read_piece_by_piece_and_its_wrong_bytes_are_told() -> None:
    line = "2026-11-02T10:00:00.000Z a ਊ\u0a0d\n"
    log = (line * 3000).encode("utf-16-le") + b"\x00\xdc\n\x00" + line.encode("utf-16-le")
    reader, events = read("{time} {message}", log, encoding="utf-16-le")

    assert ([one.message for one in events[-2:]], len(events)) == (["a ਊ\u0a0d"] * 2, 3001)
    assert [(bad.number, bad.reason[:25]) for bad in reader.bad_lines] == [(3001, "the line is not utf-16-le")]
