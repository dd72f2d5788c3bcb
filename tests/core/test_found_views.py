"""What is found, as people see it: lines, tables, drafts, pictures; nothing but text reaches the screen."""

from __future__ import annotations

from datetime import UTC, timedelta
from typing import Any

import pytest

from found import START
from vetrina.core.base.events import Event
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import Scale
from vetrina.core.finding.blocks import Blocks, Bounds
from vetrina.core.finding.counts import By, Counts
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.folds import folded
from vetrina.core.finding.journeys import Shared, journeys
from vetrina.core.finding.moments import Moments
from vetrina.views import drafts, find, finding_picture, found_tables
from vetrina.views.documents.drafts import LaidOut, ReadDraft
from vetrina.views.documents.find import FileThere, FindWhere, NoFile
from vetrina.views.screen import Line, Width

SCALE = Scale()
WIDE = Width(120)


def entry(at: int, message: str, source: int = 0, *, hit: bool = True, **more: Any) -> Entry:
    """Return an entry at a second."""
    time = START + timedelta(seconds=at)
    return Entry(
        Event(time, more.pop("level", "info"), more.pop("logger", "a.b"), message, **more), source, at + 1, time, at, hit
    )


def texts(lines: Any) -> list[str]:
    """Return lines as they are read, without what ends them in blanks."""
    return ["".join(one.text for one in line).rstrip() for line in lines]


def event_lines(*entries: Entry, sources: tuple[str, ...] = ("one.log",), **look: Any) -> list[str]:
    """Return the lines of entries."""
    lines = find.EventLines(find.Look(list(sources), SCALE, UTC, **look)).lines
    return texts(line for one in entries for line in lines(one))


def test_an_event_is_a_line() -> None:
    assert event_lines(entry(0, "open {n}", fields={"n": 7})) == ["     1  2026-11-13 10:40:00.000  info      a.b  open 7"]
    assert event_lines(entry(0, "open", logger="", level="fatal")) == ["     1  2026-11-13 10:40:00.000  fatal     root  open"]
    assert event_lines(entry(0, "open", count=5)) == ["     1  2026-11-13 10:40:00.000  info      a.b  open  (stands for 5)"]


def test_several_sources_are_named_and_context_is_told_from_hits() -> None:
    told = event_lines(
        entry(0, "x", 1, hit=False),
        entry(1, "y"),
        sources=("one.log", "a/very/long/name/of/some/folder/two.log"),
        marks=True,
    )
    assert told[0].startswith("  a/very/long")
    assert told[1].startswith("▌ one.log:2")
    assert told[0].index("10:40:00") == told[1].index("10:40:01")


@pytest.mark.parametrize(
    ("error", "stacks", "lines"),
    [
        ("Boom", False, ["    Boom"]),
        ("Boom\n  a\n  b", False, ["    Boom", "      a", "      b"]),
        ("Boom\n  a\n  b\n  c", False, ["    Boom", "    … 2 lines (--stacks shows them)", "      c"]),
        ("Boom\n  a\n  b\n  c", True, ["    Boom", "      a", "      b", "      c"]),
        ("Boom\r\n  a\r\n", True, ["    Boom", "      a", ""]),
    ],
)
def test_stacks_are_folded(error: str, stacks: bool, lines: list[str]) -> None:
    assert event_lines(entry(0, "x", error=error), stacks=stacks)[1:] == lines


def test_what_was_looked_for_is_marked() -> None:
    lines = find.EventLines(find.Look(["one.log"], SCALE, UTC, (Expression("did"), Expression("close")))).lines(
        entry(0, "it did not close")
    )
    assert [one.text for one in lines[0] if one.style == "found"] == ["did"]
    assert "".join(one.text for one in lines[0]).endswith("it did not close")


HOSTILE = "\x1b[31m red \x07\r\n\u202e"


def test_nothing_but_text_reaches_the_screen() -> None:
    one = entry(0, HOSTILE, error=HOSTILE, logger=HOSTILE, thread=HOSTILE, fields={"n": HOSTILE})
    counts = Counts((By("message"), By("field", "n")), SCALE, UTC, (HOSTILE,))
    counts.feed([one])
    blocks = Blocks(Bounds(Expression("red"), Expression("never")), lambda _entry: None)
    blocks.feed([one])
    blocks.close()
    shown: list[Line] = [
        *find.EventLines(find.Look([HOSTILE], SCALE, UTC)).lines(one),
        *found_tables.count_lines(counts, [HOSTILE, "n"], WIDE),
        *found_tables.journey_lines(journeys([one], Shared("n").value, SCALE), [HOSTILE], SCALE, UTC, WIDE),
        *found_tables.journey_events(HOSTILE, [one], [HOSTILE], SCALE, UTC, WIDE),
        *found_tables.block_lines(blocks, [HOSTILE], WIDE),
        *found_tables.fold_lines(folded([one], SCALE), SCALE, UTC, WIDE),
        *found_tables.where_lines(FindWhere([FileThere("a", HOSTILE, 1, None, None)], [NoFile("b", HOSTILE)]), UTC, WIDE),
        *drafts.draft_lines(
            ReadDraft("text", HOSTILE, "", 1, 2, True, [HOSTILE], [HOSTILE], [LaidOut(START, "info", HOSTILE, HOSTILE)]), UTC
        ),
        *find.Aligned([HOSTILE]).first([[HOSTILE]]),
    ]
    assert not {"\x1b", "\x07", "\r", "\u202e"} & set("".join(text for line in texts(shown) for text in line))
    assert not {"\x1b", "\x07", "\r", "\u202e"} & set(find.tabbed([HOSTILE, HOSTILE]))


def test_counts_by_two_are_a_matrix_where_that_is_narrow() -> None:
    few, many = (Counts((By("level"), By("message")), SCALE, UTC, ("one",)) for _ in range(2))
    few.feed([entry(0, "x"), entry(1, "y", level="error", error="Boom"), entry(2, "x", count=3)])
    many.feed(entry(at, f"m{at}") for at in range(12))
    assert texts(found_tables.count_lines(few, ["level", "message"], WIDE)) == [
        "level  x  y  all",
        "info   4  ·    4",
        "error  ·  1    1",
        "all    4  1    5",
    ]
    assert texts(found_tables.count_lines(many, ["level", "message"], WIDE))[:2] == [
        "level  message  events  with error",
        "info   m0            1",
    ]
    assert texts(found_tables.count_lines(Counts((By("level"),), SCALE, UTC, ()), ["level"], WIDE)) == ["nothing to count"]


def test_values_that_are_none_or_empty_are_told_apart() -> None:
    counts = Counts((By("field", "n"),), SCALE, UTC, ("one",))
    counts.feed([entry(0, "x"), entry(1, "x", fields={"n": ""}), entry(2, "x", fields={"n": [1]})])
    assert {line.split()[0] for line in texts(found_tables.count_lines(counts, ["field n"], WIDE))[1:4]} == {
        "(none)",
        '""',
        "[1]",
    }


def test_journeys_are_told_with_their_longest_gap() -> None:
    entries = [
        entry(0, "in", fields={"r": 7}),
        entry(2, "on", 1, fields={"r": "7"}, level="warn"),
        entry(90, "out", fields={"r": 7}),
    ]
    found = journeys(entries, Shared("r").value, SCALE)
    lines = texts(found_tables.journey_lines(found, ["one", "two"], SCALE, UTC, Width(200)))
    assert lines[1].startswith("7      1 min 30.000 s       3  warn")
    assert '1 min 28.000 s between "on" and "out"' in lines[1]
    assert "one, two" in lines[1]
    one = texts(found_tables.journey_events("7", entries, ["one", "two"], SCALE, UTC, Width(200)))
    assert one[0] == "7  3 events in 1 min 30.000 s, 2026-11-13"
    assert [line.split()[1] for line in one[4:]] == ["+2.000", "+1"]


def test_files_that_are_there() -> None:
    found = FindWhere([FileThere("desk", "logs/desk.log", 2048, START, None)], [NoFile("night", "logs/night.log")])
    assert texts(found_tables.where_lines(found, UTC, WIDE)) == [
        "appender  file              size  first event          last event",
        "desk      logs/desk.log  2.0 KiB  2026-11-13 10:40:00  -",
        "night: no file yet at logs/night.log",
    ]
    assert texts(found_tables.where_lines(FindWhere([], []), UTC, WIDE)) == ["none of the plan's files is here"]


def test_rows_line_up_and_wider_ones_push() -> None:
    aligned = find.Aligned(["level", "message"])
    assert texts(aligned.first([["info", "x"], ["critical", "long one"]])) == [
        "level     message",
        "info      x",
        "critical  long one",
    ]
    assert texts([aligned.row(["debug", "y"])]) == ["debug     y"]


def test_a_draft_is_told() -> None:
    event = LaidOut(START, "info", "a.b", "open", "t1", error="Boom\n  x\n  y", fields={"n": 7})
    told = texts(drafts.draft_lines(ReadDraft("text", "{message}", "p", 9, 10, False, ["which?"], ["{other}"], [event]), UTC))
    assert told == [
        "reads 9 of 10 lines that were looked at",
        "",
        "  time    2026-11-13 10:40:00.000000",
        "  level   info",
        "  logger  a.b",
        "  thread  t1",
        "  message open",
        "  error   Boom … 2 further lines",
        "  fields  n=7",
        "",
        "doubtful: which?",
        "reads as much: {other}",
    ]
    undated = LaidOut(None, "info", "a.b", "open", clock="10:40:00")
    assert "  time    10:40:00 (of which day?)" in texts(
        drafts.draft_lines(ReadDraft("text", "x", "p", 1, 1, True, [], [], [undated]), UTC)
    )


@pytest.mark.parametrize("count", [0, 1, 40, 60])
def test_pictures_of_when_hits_were(count: int) -> None:
    """Each is a whole SVG, however many sources there are; past forty the smallest are one row."""
    moments = Moments(SCALE)
    entries = [entry(at * 7, "x", at % max(1, count), level=("info", "error")[at % 2]) for at in range(count * 3)]
    list(moments.watched(iter(entries)))
    sources = [f"gate-{at}.log" for at in range(max(1, count))]
    drawn = finding_picture.draw_moments(moments, sources, SCALE, finding_picture.Look("svg", UTC, "UTC"))
    assert drawn.rstrip().endswith(b"</svg>")


def test_pictures_of_blocks_that_nest_cross_and_never_end() -> None:
    blocks = Blocks(Bounds(Expression(r"\+(?P<n>\w)"), Expression(r"-(?P<n>\w)")), lambda one: one.event.thread, keeps=6)
    script = [
        ("+a", "1"),
        ("+b", "1"),
        ("-a", "1"),
        ("-b", "1"),
        ("+c", "2"),
        ("+d", "2"),
        ("-d", "2"),
        ("+e", "1"),
        ("-e", "1"),
        ("+f", "1"),
    ]
    blocks.feed(entry(at, text, thread=thread) for at, (text, thread) in enumerate(script))
    blocks.close()
    assert (len(blocks.drawn), blocks.left_out) == (6, 0)
    assert {one.name for one in blocks.drawn if one.ended is None} == {"c", "f"}
    stacks: dict[object, str] = {"1": "gate 1", "2": "gate 2"}
    look = finding_picture.Look("svg", UTC, "UTC")
    assert finding_picture.draw_blocks(blocks.drawn, 3, stacks, look).rstrip().endswith(b"</svg>")
    assert finding_picture.draw_blocks([], 0, {}, look).rstrip().endswith(b"</svg>")
