"""Searching: needles lose no hit; order, context, sections, journeys, blocks are those of plain oracles."""

from __future__ import annotations

import random
from collections import Counter
from datetime import timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from found import START, an_event, as_line, moment
from support import event
from vetrina.core.base.events import Event, error_text, filled
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import Scale
from vetrina.core.finding.asked import Asked, quoted
from vetrina.core.finding.blocks import Blocks, Bounds
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.journeys import Shared, journeys
from vetrina.core.finding.needles import plain_runs
from vetrina.core.finding.order import FirstHits, in_order, last_hits, with_context
from vetrina.core.finding.sections import sections_of
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.forms import PlainText
from vetrina.formats.inputs import InputFile
from vetrina.formats.sources import Layout, Source, SourceReader
from vetrina.work.parts import candidates, needle_for

SCALE = Scale()


def searches(dice: random.Random, one: Event) -> Asked:
    """Return a search for something that stands in an event, or nearly."""
    text = error_text(one) if one.error is not None and dice.random() < 0.3 else filled(one)
    at = dice.randrange(len(text) + 1)
    literal = text[at : at + dice.randrange(1, 16)] or "needle"
    folded = dice.random() < 0.3
    literal = literal.swapcase() if folded else literal
    kind = dice.random()
    if kind < 0.6:
        return Asked(texts=(literal,), ignore_case=folded)
    if kind < 0.75:
        return Asked(messages=(Expression(("(?i)" if folded else "") + quoted(literal)),))
    if kind < 0.85:
        return Asked(shared=Shared("a", Expression(r"(?P<it>\w+)")), shared_value=literal)
    return Asked(fields=((dice.choice("ab"), dice.choice(list((one.fields or {"a": 1}).values()))),))


def lines_found(source: Source, asked: Asked, *, through: bool) -> list[int]:
    looked_for = needle_for(source, asked) if through else None
    looks = None if looked_for is None else candidates(source, looked_for, asked)
    reader = SourceReader(source, 0, SCALE)
    return [one.line for one in reader.entries(asked.compiled(SCALE), every=False, through=looks)]


@given(st.integers(min_value=0))
def test_a_needle_loses_no_event(tmp_path_factory: pytest.TempPathFactory, seed: int) -> None:
    dice = random.Random(seed)
    path = tmp_path_factory.getbasetemp() / "needles.jsonl"
    path.write_text("".join(as_line(an_event(dice, at), dice) + "\n" for at in range(40)), encoding="utf-8")
    source = Source(InputFile(str(path), path.name))
    every = list(SourceReader(source, 0, SCALE).entries(None, every=True))
    for _ in range(8):
        asked = searches(dice, dice.choice(every).event)
        assert lines_found(source, asked, through=True) == lines_found(source, asked, through=False), asked


TEMPLATES = (
    '{time} {level|upper|pad 5} {logger} {message}{error|before "\\n"}',
    '{time} [{thread}] {level} {logger}: "{message|json}"',
    "{time|%d.%m.%Y %H:%M:%S} {level} {logger} {text} {fields}",
    "{time} {level} {logger} {message}",
)


@given(st.integers(min_value=0), st.sampled_from(TEMPLATES))
def test_a_needle_loses_no_record_of_a_log(tmp_path_factory: pytest.TempPathFactory, seed: int, template: str) -> None:
    dice = random.Random(seed)
    text = text_template(template, Setting())
    layout = Layout(PlainText("text", text.setting, None, (text,)))
    path = tmp_path_factory.getbasetemp() / "needles.log"
    events = [
        Event(
            START + timedelta(seconds=at),
            dice.choice(("info", "error")),
            "a.b",
            **{key: value for key, value in an_event(dice, at).items() if key in {"message", "fields"}},
        )
        for at in range(40)
    ]
    render = text.compile("\n")
    lines = [
        render(one, at) + ("GateError: x\n  needle-20817\n" if dice.random() < 0.1 else "") for at, one in enumerate(events)
    ]
    path.write_bytes("".join(lines).encode("utf-8", "replace"))
    source = Source(InputFile(str(path), path.name), layout)
    every = list(SourceReader(source, 0, SCALE).entries(None, every=True))
    for _ in range(8):
        asked = searches(dice, dice.choice(every).event if every else events[0])
        assert lines_found(source, asked, through=True) == lines_found(source, asked, through=False), asked


@pytest.mark.parametrize(
    ("expression", "runs"),
    [
        ("did not close", ["did not close"]),
        (r"cabin \d+ did", ["cabin ", " did"]),
        ("colou?r", ["colo", "r"]),
        ("a|b", []),
        ("(?i)x", []),
        (r"ab+c", ["ab", "c"]),
        (r"x\.y", ["x.y"]),
        (r"\x41b", ["b"]),
        (r"\101b", ["b"]),
        (r"[a]b]c", ["b]c"]),
        ("(a|b)cd", ["cd"]),
        (r"\pLx", ["x"]),
        ("ab{2}c", ["a", "c"]),
        (r"(?P<it>\d+)km", ["km"]),
        (r"\Qa|b\E", []),
        ("[[:alpha:]x]y", ["y"]),
        ("(?:abc)*d", ["d"]),
        ("^a$", ["a"]),
    ],
)
def test_what_every_match_of_an_expression_holds(expression: str, runs: list[str]) -> None:
    assert plain_runs(expression) == runs
    Expression(expression)


Sources = list[list[Entry]]


@st.composite
def sources(draw: st.DrawFn) -> Sources:
    """Return entries of up to four sources: times that often are the same and sometimes run back, and some hits."""
    texts = st.sampled_from(["start", "stop", "start stop", "x", "begin a", "begin b", "end a", "end b", "end a begin a"])
    found = []
    for number in range(draw(st.integers(1, 4))):
        clock, entries = START, []
        for at in range(draw(st.integers(0, 8))):
            time = START + timedelta(seconds=draw(st.integers(0, 6)) + at // 2)
            clock = max(clock, time)
            one = Event(
                time, draw(st.sampled_from(["info", "error"])), "a", draw(texts), {"ride": draw(st.sampled_from([7, "7", 8]))}
            )
            entries.append(Entry(one, number, at + 1, clock, at, draw(st.booleans())))
        found.append(entries)
    return found


def plainly(found: Sources, *, as_is: bool) -> list[Entry]:
    """Return all entries in the order that is shown."""
    every = [one for entries in found for one in entries]
    return every if as_is else sorted(every, key=lambda one: (one.clock, one.source, one.at))


def places(entries: Any) -> list[tuple[int, int, bool]]:
    return [(one.source, one.at, one.hit) for one in entries]


@given(sources(), st.booleans(), st.integers(0, 3), st.integers(1, 6))
def test_order_context_first_and_last(found: Sources, as_is: bool, around: int, most: int) -> None:
    ordered = plainly(found, as_is=as_is)

    def near(hits: list[Entry]) -> list[tuple[int, int, bool]]:
        chosen = {(one.source, one.at) for one in hits}
        return [
            (one.source, one.at, (one.source, one.at) in chosen)
            for one in ordered
            if any((one.source, at) in chosen for at in range(one.at - around, one.at + around + 1))
        ]

    hits = [one for one in ordered if one.hit]
    streams = [with_context(iter(one), around) for one in found]
    assert places(in_order(streams, as_is=as_is)) == near(hits)
    first = FirstHits(most, around).of([with_context(iter(one), around) for one in found], as_is=as_is)
    assert places(first) == near(hits[:most])
    last = last_hits(in_order([with_context(iter(one), around) for one in found], as_is=as_is), most, around)
    assert places(last) == near(hits[-most:])


@given(sources(), st.booleans())
def test_sections(found: Sources, as_is: bool) -> None:
    inside, held = False, []
    for one in plainly(found, as_is=as_is):
        text = one.event.message
        ends = inside and "stop" in text
        begins = "start" in text and (not inside or ends)
        held += [(one.source, one.at)] if inside or begins else []
        inside = begins or (inside and not ends)

    sections = sections_of(iter(plainly(found, as_is=as_is)), Expression("start"), Expression("stop"), as_is=as_is)
    assert [(one.source, one.at) for one in plainly(found, as_is=as_is) if sections.holds(one)] == held
    assert (sections.open is not None) == inside


@given(sources())
def test_journeys(found: Sources) -> None:
    ordered = plainly(found, as_is=False)
    by_value: dict[str, list[Entry]] = {}
    for one in ordered:
        by_value.setdefault(str(one.event.fields["ride"]), []).append(one)  # type: ignore[index]
    made = {one.value: one for one in journeys(iter(ordered), Shared("ride").value, SCALE)}

    assert set(made) == set(by_value)
    for value, entries in by_value.items():
        gaps = [(later.clock - before.clock).total_seconds() for before, later in pairwise(entries)]
        told = made[value]
        assert (told.events, told.first, told.last) == (len(entries), entries[0].clock, entries[-1].clock)
        assert told.sources == list(dict.fromkeys(entry.source for entry in entries))
        assert (told.gap.seconds if told.gap else None) == (max(gaps) if gaps else None)


@given(sources())
def test_blocks(found: Sources) -> None:
    """The oracle keeps a list of open blocks, and adds up own times second by second."""
    ordered = plainly(found, as_is=False)
    open_: list[Any] = []
    done: list[Any] = []
    latest, broken = START, Counter[str]()
    for order, one in enumerate(ordered):
        latest = max(latest, one.clock)
        text = one.event.message
        for kind, name in [
            part.split(" ")
            for part in text.replace("end a begin a", "end a|begin a").split("|")
            if " " in part and part[:5] != "start"
        ]:
            if kind == "begin":
                open_.append([name, latest, order, None, None])
            elif (block := next((one for one in reversed(open_) if one[0] == name), None)) is None:
                broken["no-begin"] += 1
            else:
                open_.remove(block)
                block[3:] = [latest, order]
                done.append(block)
    broken["no-end"] = len(open_)
    crossed = {
        id(outer) for outer in done for inner in done if outer[2] < inner[2] and outer[4] < inner[4] and inner[2] < outer[4]
    }
    broken["crossing"] = len(crossed)

    blocks = Blocks(Bounds(Expression(r"begin (?P<name>\w)"), Expression(r"end (?P<name>\w)")), lambda _entry: None)
    blocks.feed(iter(ordered))
    blocks.close()
    assert +Counter(one.kind for one in blocks.broken) == +broken
    for name in {one[0] for one in done}:
        lengths = [(one[3] - one[1]).total_seconds() for one in done if one[0] == name]
        assert sorted(blocks.timed[name].lengths) == sorted(lengths)
    steps = sorted({(one[1], one[2]) for one in done} | {(one[3], one[4]) for one in done}, key=lambda step: step[1])
    own: Counter[str] = Counter()
    for (before, order), (after, _) in pairwise(steps):
        running = [one for one in done if one[2] <= order and one[4] > order]
        if running:
            own[max(running, key=lambda one: one[2])[0]] += (after - before).total_seconds()
    assert +Counter({name: one.own.total_seconds() for name, one in blocks.timed.items()}) == +own


def test_a_file_of_many_megabytes_is_looked_through_in_blocks(tmp_path: Path) -> None:
    """Records lie over the ends of blocks; hits are in stacks far below their events."""
    text = text_template('{time} {level} {logger} {message}{error|before "\\n"}', Setting())
    stack = "Boom: x\n" + "".join(f"  at {at}\n" for at in range(40_000))
    lines = [
        f"{moment(at)} info a.b message {at}\n" + (stack + "  needle here\n" if at in {3, 900} else "") for at in range(40_000)
    ]
    path = tmp_path / "big.log"
    path.write_text("".join(lines), encoding="utf-8")
    source = Source(InputFile(str(path), path.name), Layout(PlainText("text", text.setting, None, (text,))))
    asked = Asked(texts=("needle",))

    found = lines_found(source, asked, through=True)
    assert found == lines_found(source, asked, through=False)
    assert found == [4, 901 + 40_002]
    assert event()["logger"]
