"""Parts of searching: blocks worked out by hand, counts, folds, moments, growing files, candidates, files' names."""

from __future__ import annotations

import io
import os
import random
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from found import START, moment
from vetrina.core.base.events import Event
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import Scale
from vetrina.core.finding.asked import Asked
from vetrina.core.finding.blocks import Blocks, Bounds
from vetrina.core.finding.counts import By, Counts, CountsMaker
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.file_names import name_reader, written_order
from vetrina.core.finding.folds import folded
from vetrina.core.finding.moments import MOST_STEPS, Moments
from vetrina.core.finding.needles import Form, needle
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.forms import PlainText
from vetrina.formats.candidates import Candidates, again_from
from vetrina.formats.growing import begins_with, identity_at, opened_at
from vetrina.formats.inputs import InputFile
from vetrina.formats.raw_lines import RawLines
from vetrina.formats.sources import Layout, Source, SourceReader
from vetrina.views.found_tables import seconds
from vetrina.work import following
from vetrina.work.following import Grown

SCALE = Scale()


def entry(at: int, text: str, **more: Any) -> Entry:
    """Return an entry, a second later for each number; `source` and whatever else of the event may be told."""
    source, level = more.pop("source", 0), more.pop("level", "info")
    time = START + timedelta(seconds=at)
    return Entry(Event(time, level, more.pop("logger", "a"), text, **more), source, at + 1, time, at)


def timed(*texts: str) -> tuple[dict[str, tuple[list[float], float]], list[tuple[str, int]]]:
    """Return what blocks there are in messages a second apart: lengths and own time by name, and what does not nest."""
    blocks = Blocks(Bounds(Expression(r"\+(?P<name>\w)"), Expression(r"-(?P<name>\w)")), lambda _entry: None)
    blocks.feed(entry(at, text) for at, text in enumerate(texts))
    blocks.close()
    return {name: (list(one.lengths), one.own.total_seconds()) for name, one in blocks.timed.items()}, [
        (one.kind, one.spot.line) for one in blocks.broken
    ]


BY_HAND = [
    (("+a", "-a"), {"a": ([1.0], 1.0)}, []),
    (("+a", "+b", "-b", "-a"), {"a": ([3.0], 2.0), "b": ([1.0], 1.0)}, []),
    (("+a", "+a", "-a", "-a"), {"a": ([1.0, 3.0], 3.0)}, []),
    (("+a", "x", "-a -b"), {"a": ([2.0], 2.0)}, []),
    (("-a",), {}, [("no-begin", 1)]),
    (("+a",), {}, [("no-end", 1)]),
    (("+a", "+b", "-a", "-b"), {"a": ([2.0], 1.0), "b": ([2.0], 2.0)}, [("crossing", 3)]),
    (("+a", "+b", "+c", "-a", "-c", "-b"), {"a": ([3.0], 1.0), "c": ([2.0], 2.0), "b": ([4.0], 2.0)}, [("crossing", 4)]),
    (("+a", "+b", "-a"), {"a": ([2.0], 2.0)}, [("no-end", 2)]),
    (("+a", "-a +a", "-a"), {"a": ([1.0, 1.0], 2.0)}, []),
    (("+a", "+b", "-b", "+b", "-b", "-a"), {"a": ([5.0], 3.0), "b": ([1.0, 1.0], 2.0)}, []),
    (("+a", "-a", "-a"), {"a": ([1.0], 1.0)}, [("no-begin", 3)]),
]


@pytest.mark.parametrize(("texts", "blocks", "broken"), BY_HAND, ids=[" ".join(one[0]) for one in BY_HAND])
def test_blocks_by_hand(texts: tuple[str, ...], blocks: dict[str, Any], broken: list[tuple[str, int]]) -> None:
    assert timed(*texts) == (blocks, broken)


def test_blocks_by_thread_and_with_groups_that_only_one_side_has() -> None:
    blocks = Blocks(
        Bounds(Expression(r"begin (?P<name>\w+) by (?P<who>\w+)"), Expression(r"end (?P<name>\w+)")),
        lambda one: one.event.thread,
    )
    texts = [("begin open by gate", "1"), ("begin open by gate", "2"), ("end open", "1"), ("end open", "1"), ("end open", "2")]
    blocks.feed(entry(at, text, thread=thread) for at, (text, thread) in enumerate(texts))
    blocks.close()
    assert {name: list(one.lengths) for name, one in blocks.timed.items()} == {"open gate": [2.0, 3.0]}
    assert [(one.kind, one.spot.line) for one in blocks.broken] == [("no-begin", 4)]


@pytest.mark.parametrize(
    ("lengths", "median", "p95"),
    [([1], 1, 1), ([1, 2], 1.5, 2), ([1, 2, 3], 2, 3), (list(range(1, 21)), 10.5, 19), (list(range(1, 101)), 50.5, 95)],
)
def test_median_and_rank(lengths: list[int], median: float, p95: float) -> None:
    blocks = Blocks(Bounds(Expression("begin"), Expression("end")), lambda _entry: None)
    at, entries = 0, []
    for length in random.Random(1).sample(lengths, len(lengths)):
        entries += [entry(at, "begin"), entry(at + length, "end")]
        at += length + 1
    blocks.feed(entries)
    blocks.close()
    (one,) = blocks.timed.values()
    assert (one.median, one.rank(0.95), one.total) == (median, p95, sum(lengths))


def test_blocks_forty_thousand_deep() -> None:
    count = 40_000
    blocks = Blocks(Bounds(Expression(r"\+(?P<n>\d+)"), Expression(r"-(?P<n>\d+)")), lambda _entry: None)
    blocks.feed(entry(at % 20_000, f"+{at % 7}") for at in range(count))
    blocks.feed(entry(20_000 + at % 7, f"-{(count - 1 - at) % 7}") for at in range(count))
    blocks.close()
    assert sum(len(one.lengths) for one in blocks.timed.values()) == count
    assert blocks.broken == []


ROME = ZoneInfo("Europe/Rome")
COUNTED = [
    (("level",), [(("info",), 3), (("error",), 2)]),
    (("logger",), [(("a",), 4), (("root",), 1)]),
    (("message",), [(("m {n}",), 3), (("x",), 2)]),
    (("from",), [(("one",), 3), (("two",), 2)]),
    (("field", "n"), [((7,), 1), (("7",), 1), ((None,), 2), ((True,), 1)]),
]


@pytest.mark.parametrize(("by", "groups"), COUNTED)
def test_counts(by: tuple[str, ...], groups: list[tuple[tuple[Any, ...], int]]) -> None:
    entries = [
        entry(0, "m {n}", fields={"n": 7}),
        entry(1, "m {n}", fields={"n": "7"}, level="error"),
        entry(2, "m {n}", fields={"n": True}),
        entry(3, "x", source=1, logger=""),
        entry(4, "x", source=1, level="error"),
    ]
    counts = Counts((By(*by),), SCALE, UTC, ("one", "two"))
    counts.feed(entries)
    assert sorted(((one.values, one.events) for one in counts.groups()), key=repr) == sorted(groups, key=repr)
    assert counts.total == 5
    make = CountsMaker((By(*by),), SCALE, UTC, ("one", "two"))
    halves = make.empty()
    for part in (entries[:2], entries[2:]):
        halves.add(make(part))
    assert [(one.values, one.events) for one in halves.groups()] == [(one.values, one.events) for one in counts.groups()]


def test_an_hour_that_comes_twice_is_two() -> None:
    night = datetime(2026, 10, 24, 22, 30, tzinfo=UTC)
    entries = [Entry(Event(night + timedelta(hours=at), "info", "a", "x"), 0, 1, night) for at in range(5)]
    counts = Counts((By("hour"),), SCALE, ROME, ("one",))
    counts.feed(entries)
    assert [one.values[0].text for one in counts.groups()] == [
        "2026-10-25T00:00:00+02:00",
        "2026-10-25T01:00:00+02:00",
        "2026-10-25T02:00:00+02:00",
        "2026-10-25T02:00:00+01:00",
        "2026-10-25T03:00:00+01:00",
    ]
    days = Counts((By("day"),), SCALE, ROME, ("one",))
    days.feed(entries)
    assert [(one.values[0].text, one.events) for one in days.groups()] == [("2026-10-25", 5)]


def test_folds_weigh_and_know_first_and_last() -> None:
    found = folded([entry(3, "m {n}", count=4), entry(1, "m {n}"), entry(2, "m {n}", level="error")], SCALE)
    assert [(one.events, one.first, one.last) for one in found] == [
        (5, START + timedelta(seconds=1), START + timedelta(seconds=3)),
        (1, START + timedelta(seconds=2), START + timedelta(seconds=2)),
    ]


@pytest.mark.parametrize("span", [1, 1999, 2001, 86_400, 40_000_000, 4_000_000_000])
def test_moments_stay_few_and_lose_nothing(span: int) -> None:
    moments, dice = Moments(SCALE), random.Random(span)
    times = [dice.randrange(span) for _ in range(300)]
    entries = [Entry(Event(START + timedelta(seconds=at), "info", "a", "x", count=2), at % 2, 1, START) for at in times]
    assert len(list(moments.watched(iter(entries)))) == 300
    counts = moments.counts()
    assert sum(counts.values()) == 600
    assert len({at for _, _, at in counts}) <= MOST_STEPS + 1
    assert moments.span() == (START + timedelta(seconds=min(times)), START + timedelta(seconds=max(times)))


@pytest.mark.parametrize(
    ("count", "words"),
    [
        (0, "0.000 s"),
        (0.0016, "0.002 s"),
        (59.9996, "1 min 00.000 s"),
        (61.5, "1 min 01.500 s"),
        (3661, "1 h 01 min 01 s"),
        (90_061, "1 d 1 h 01 min 01 s"),
    ],
)
def test_spans_for_people(count: float, words: str) -> None:
    assert seconds(count) == words


NAMES = [
    ("logs/a.log", "logs/a.log", True),
    ("logs/a.log", "logs/b.log", False),
    ("logs/a.{n}.log", "logs/a.12.log", True),
    ("logs/a.{n}.log", "logs/a.x.log", False),
    ("logs/a-{period|%Y-%m-%d}.log", "logs/a-2026-11-13.log", True),
    ("logs/a-{period|%Y-%m-%d}.log", "logs/a-2026-13-13.log", False),
    ("a.{n|zeros 2}.log.gz", "a.01.log.gz", True),
    ("a+(1).log", "a+(1).log", True),
    ("a+(1).log", "aa(1).log", False),
]


@pytest.mark.parametrize(("pattern", "name", "fits"), NAMES)
def test_whose_file_a_name_may_be(pattern: str, name: str, fits: bool) -> None:
    assert (name_reader(pattern, "Europe/Rome").fit(name) is not None) == fits


def test_the_order_in_which_files_were_written() -> None:
    reader = name_reader("a-{period|%Y-%m-%d}.{n}.log", "UTC")
    names = ["a-2026-11-13.2.log", "a-2026-11-12.10.log", "a-2026-11-13.1.log", "a-2026-11-12.9.log"]
    fits = {name: fit for name in names if (fit := reader.fit(name))}
    assert sorted(names, key=lambda one: written_order(fits[one], newest_first=False)) == sorted(
        names, key=lambda one: (one[:12], int(one.split(".")[1]))
    )
    assert [
        one.split(".")[1] for one in sorted(names[:1] + names[2:3], key=lambda one: written_order(fits[one], newest_first=True))
    ] == ["2", "1"]


@pytest.mark.parametrize("encoding", ["utf-8", "latin-1", "utf-16", "utf-16-le", "utf-32-be"])
def test_lines_as_they_stand(encoding: str) -> None:
    texts = [f"line {at} \u00e9{'' if encoding == 'latin-1' else chr(0x10A)}\n" for at in range(40)]
    data = "".join(texts).encode(encoding)
    lines = RawLines(io.BytesIO(data), encoding)
    while lines.read(7):
        pass
    mark = len("".encode(encoding))
    whole = [one.encode(encoding)[mark:] for one in texts]
    lines.drop(3)
    assert lines.take(3, 2)[-len(whole[3]) :] == whole[3]
    assert lines.take(10, 1) == whole[9]
    assert lines.take(40, 5) == whole[39]


def test_a_growing_file(tmp_path: Path) -> None:
    path = tmp_path / "a.log"
    path.write_text("x" * 60 + "\n")
    file = opened_at(str(path))
    assert file is not None
    assert (file.more(), file.more(), file.begun_anew) == (b"x" * 60 + b"\n", b"", False)
    with path.open("a") as more:
        more.write("y\n")
    assert (file.more(), file.begun_anew) == (b"y\n", False)
    path.write_text("z" * 60 + "\nlonger than it was before\n" + "w" * 60)
    assert (file.more()[:2], file.begun_anew) == (b"zz", True)
    path.write_text("")
    assert (file.more(), file.more()) == (b"", b"")
    path.write_text("v\n")
    assert file.more() == b"v\n"
    copy = tmp_path / "a.1.log"
    copy.write_text("x" * 60 + "\ny\nfurther")
    assert begins_with(str(copy), file.marks)
    assert not begins_with(str(tmp_path / "none"), file.marks)
    assert (opened_at(str(tmp_path / "none")), identity_at(str(tmp_path / "none"))) == (None, None)
    assert identity_at(str(path)) == file.identity
    file.close()


TEXT = '{time} {level} {logger} {message}{error|before "\\n"}'


def layout(template: str = TEXT) -> Layout:
    text = text_template(template, Setting())
    return Layout(PlainText("text", text.setting, None, (text,)))


def test_the_last_record_waits_for_what_belongs_to_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "a.log"
    path.write_text(f"{moment(1)} info a one\n{moment(2)} info a two\nBoom: x\n")
    grown = Grown(Source(InputFile(str(path), "a.log"), layout()), 0, lambda _event: True, SCALE, 0)

    def told() -> list[tuple[int, str, object]]:
        return [(one.line, one.event.message, one.event.error) for one in grown.caught_up()]

    assert told() == [(1, "one", None)]
    with path.open("a") as file:
        file.write("  at x\nno record, but of it")
    assert told() == []
    monkeypatch.setattr(following, "_PATIENCE", 0)
    assert told() == [(2, "two", "Boom: x\n  at x")]
    with path.open("a") as file:
        file.write(f"\n{moment(3)} info a three\n")
    assert [message for _, message, _ in told()] == ["three"]
    assert (grown.read.lines, grown.read.unreadable) == (6, 1)
    grown.close()


def test_context_goes_on_while_a_file_grows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(following, "_PATIENCE", 0)
    path = tmp_path / "a.log"
    path.write_text("".join(f"{moment(at)} info a m{at}\n" for at in range(4)))
    grown = Grown(Source(InputFile(str(path), "a.log"), layout()), 0, lambda event: event.message == "m3", SCALE, 1)
    shown = [one.event.message for _ in range(2) for one in grown.caught_up()]
    with path.open("a") as file:
        file.write("".join(f"{moment(at)} info a m{at}\n" for at in range(4, 7)))
    shown += [one.event.message for _ in range(2) for one in grown.caught_up()]
    grown.close()
    assert shown == ["m2", "m3", "m4"]


@pytest.mark.parametrize("block", [1, 7, 64, 1 << 18])
@pytest.mark.parametrize("seekable", [True, False])
def test_candidates_are_whole_records_wherever_blocks_end(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, block: int, seekable: bool
) -> None:
    monkeypatch.setattr("vetrina.formats.candidates._BLOCK", block)
    records = [f"{moment(at)} info a message {at}\n" + ("Boom: x\n  needle\n" if at % 5 == 2 else "") for at in range(30)]
    path = tmp_path / "a.log"
    path.write_text("".join(records))
    looked_for = needle(Asked(texts=("needle",)), Form.TEXT, "utf-8", fields=False)
    assert looked_for is not None
    source = Source(InputFile(str(path), "a.log"), layout())
    looks = Candidates(looked_for, folded=False, begins=SourceReader(source, 0, SCALE).begins)
    with path.open("rb") as file:
        found = list(looks.slices(file, again_from(str(path), 0) if seekable else None))
    text = "".join(records)
    for lines, data in found:
        place = text.index(data.decode())
        assert text[:place].count("\n") == lines
    assert "".join(data.decode() for _, data in found).count("needle") == 6
    assert looks.size == os.path.getsize(path)  # noqa: PTH202


NEEDLES = [
    (Asked(texts=("did not close",)), Form.EVENTS, "did not close"),
    (Asked(texts=("ab",)), Form.EVENTS, None),
    (Asked(texts=('say "no" twice',)), Form.EVENTS, "twice"),
    (Asked(texts=('say "no" twice',)), Form.TEXT, 'say "no" twice'),
    (Asked(texts=("short", "much longer text")), Form.TEXT, "much longer text"),
    (Asked(texts=("7: door", "x")), Form.EVENTS, "door"),
    (Asked(messages=(Expression(r"cabin \d+ did not"),)), Form.EVENTS, "did not"),
    (Asked(messages=(Expression("(?i)door"),)), Form.EVENTS, None),
    (Asked(fields=(("badge", 20817),)), Form.EVENTS, "20817"),
    (Asked(fields=(("badge", 1.5),)), Form.EVENTS, None),
    (Asked(fields=(("badge", "gate-2"),)), Form.TEXT, "gate-2"),
    (Asked(shared_value="20817"), Form.RECORDS, "20817"),
    (Asked(), Form.TEXT, None),
]


@pytest.mark.parametrize(("asked", "form", "text"), NEEDLES)
def test_what_is_looked_for(asked: Asked, form: Form, text: str | None) -> None:
    found = needle(asked, form, "utf-8", fields=True)
    assert (None if found is None else found.text) == text
