"""Layouts drafted from a log's own lines: of the twenty that were made up before, and of random templates."""

from __future__ import annotations

import io
from datetime import date, timedelta
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from made_up_layouts import LAYOUTS, Layout, Said, events, log
from odd_logs import odd_log
from vetrina.core.base.events import Event, filled
from vetrina.core.base.faults import Refused
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.formats.inputs import InputFile
from vetrina.formats.log_drafts import Drafted, drafted


def wrong(path: Path, said: list[Said], fine: timedelta, found: Drafted) -> str:
    """Return what of the events is read otherwise than it was said, nothing where all is right."""
    with path.open("rb") as file:
        read = list(found.layout.reader().read(file, path.name))
    if len(read) != len(said):
        return f"{len(read)} events, not {len(said)}"
    separator = found.layout.template.setting.separator
    for one, it in zip(read, said, strict=True):
        if abs(one.time - it.time) >= fine:
            return f"time {one.time}, not {it.time}"
        seen = one.level, one.logger.replace(separator, "."), filled(one).split("\n")[0]
        if seen != (it.level, it.logger, it.message):
            return f"{seen}, not {it}"
    return ""


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda one: one.name)
def test_made_up_layouts_are_read(tmp_path: Path, layout: Layout) -> None:
    """All twenty are right; seventeen would do. Where an offset is written, it counts: that layout's clock is an hour off."""
    for seed, count in ((1, 400), (2, 12)):
        text, said = log(layout, seed, count)
        if layout.name == "host and process":
            said = [one._replace(time=one.time - timedelta(hours=1)) for one in said]
        path = tmp_path / f"{layout.name}-{seed}.txt"
        path.write_text(text, encoding="utf-8", newline="")
        found = drafted([InputFile(str(path), path.name)])
        assert wrong(path, said, layout.fine, found) == "", found.draft
        assert found.share == 1


TIMES = (
    "",
    "%Y-%m-%d %H:%M:%S.%3f",
    "%Y-%m-%dT%H:%M:%S,%3f",
    "%d.%m.%Y %H:%M:%S.%6f",
    "%Y%m%d %H%M%S.%3f",
    "%d/%b/%Y:%H:%M:%S.%3f %z",
    "%b %d %Y %H:%M:%S.%3f",
    "epoch-ms",
)
LEVELS = ("level", "level|upper", "level|upper|pad 5", "level|pad 8", "level|upper|pad-left 7", "level|upper|cut 1")


@settings(max_examples=25)
@given(
    st.sampled_from(TIMES),
    st.sampled_from(LEVELS),
    st.permutations(["time", "level", "thread"]),
    st.sampled_from([" ", " | ", "\t", " - "]),
    st.sampled_from(["", "[]", "()"]),
    st.integers(0, 9999),
)
def test_random_templates_are_found_again(
    tmp_path_factory: pytest.TempPathFactory, time: str, level: str, order: list[str], sign: str, bracket: str, seed: int
) -> None:
    shown = {"time": "{time|" + time + "}" if time else "{time}", "level": "{" + level + "}", "thread": "[{thread}]"}
    logger = f"{bracket[:1]}{{logger}}{bracket[1:]}" + (" " if bracket else ": ")
    template = sign.join(shown[name] for name in order) + sign + logger + "{message}"
    said = events(seed, 60, stacks=False)
    render = text_template(template, Setting()).compile("\n")
    path = tmp_path_factory.getbasetemp() / "drafted.txt"
    path.write_text(
        "".join(render(Event(one.time, one.level, one.logger, one.message, None, None, one.thread), 1) for one in said)
    )

    found = drafted([InputFile(str(path), path.name)])
    assert wrong(path, said, timedelta(milliseconds=1), found) == "", (template, found.draft.text)


ODD = [
    (
        "Nov 13 10:40:01 valley-1 ropeway.gate[4120]: warn: open\nNov 13 10:40:02 valley-1 ropeway.drive[4120]: info: run\n",
        "its times have no year",
    ),
    ("10:40:01 INFO a.b x\n10:40:02 INFO a.c y\n", "its times have no day"),
    ("2026-11-13 10:40:01 x\n2026-11-13 10:40:03 y z\n", "no level stands in it"),
    ("01/02/2026 10:40:01 INFO a.b x\n01/02/2026 10:41:01 INFO a.b y\n", "day before month?"),
    ('{"time": "2026-11-13T10:40:01Z", "level": 30, "msg": "x"}\n', "holds no words for levels"),
    ("2026-11-13 10:40:01 INFO a.b caf\xe9\n", "latin-1"),
]


@pytest.mark.parametrize(("text", "doubt"), ODD)
def test_what_is_doubtful_is_told(tmp_path: Path, text: str, doubt: str) -> None:
    path = tmp_path / "odd.txt"
    path.write_bytes(text.encode("latin-1"))
    found = drafted([InputFile(str(path), path.name)])
    assert any(doubt in one for one in found.doubts), found.doubts


@pytest.mark.parametrize(
    "text", ["", "\n\n", "no time at all\nnone here\n", "\0\0\0\0", "[[[[[[\n((((\n", "{}\n{}\n", ",,,\n,,,\n", "1\n2\n3\n"]
)
def test_what_is_no_log_is_refused(tmp_path: Path, text: str) -> None:
    path = tmp_path / "odd.txt"
    path.write_text(text)
    with pytest.raises(Refused):
        drafted([InputFile(str(path), path.name)])


def test_years_go_on_where_months_begin_again(tmp_path: Path) -> None:
    path = tmp_path / "odd.txt"
    path.write_text(
        "Dec 30 10:00:00 INFO a.b x\nDec 31 23:59:59 INFO a.b x\nJan 01 00:00:01 INFO a.b y\nDec 31 23:59:58 INFO a.b late\n"
    )
    found = drafted([InputFile(str(path), path.name)], day=date(2025, 1, 1))
    times = [one.time for one in found.layout.reader().read(io.BytesIO(path.read_bytes()), "odd.txt")]
    assert [(one.year, one.month) for one in times] == [(2025, 12), (2025, 12), (2026, 1), (2025, 12)]


@settings(max_examples=100)
@pytest.mark.whole
@given(st.integers(0, 1 << 31))
def test_whatever_lines_hold_they_are_drafted_or_refused_and_no_other_word_is_a_zone(
    tmp_path_factory: pytest.TempPathFactory, seed: int
) -> None:
    text, zoned = odd_log(seed)
    path = tmp_path_factory.getbasetemp() / "odd.txt"
    path.write_text(text, encoding="utf-8", newline="")
    try:
        found = drafted([InputFile(str(path), path.name)])
    except Refused:
        return
    assert zoned or "%Z" not in found.text
    with path.open("rb") as file:
        if found.dated:
            assert len(list(found.layout.reader().read(file, path.name))) <= text.count("\n") + 1


@pytest.mark.parametrize(
    "text, template",
    [
        ('time=2026-11-30T08:00:01Z level=info logger=shop.cart msg="item added" item=17\n' * 2, 'time={time} level={level} logger={logger} msg="{message|json}" item={field item}'),
        ("2026-11-30 08:00:01 GET /cart 200 12\n2026-11-30 08:00:02 PUT /cart 200 7\n", "{time|%Y-%m-%d %H:%M:%S} {field column2} {message}"),
        ("2026-11-30 08:00:01 CET shop.cart x\n2026-11-30 08:00:02 CET shop.door y\n", "{time|%Y-%m-%d %H:%M:%S %Z} {logger} {message}"),
    ],
    ids=["the same pairs twice", "methods of requests", "a zone"],
)  # fmt: skip
def test_a_word_after_a_time_is_what_it_is(tmp_path: Path, text: str, template: str) -> None:
    path = tmp_path / "odd.txt"
    path.write_text(text)
    assert drafted([InputFile(str(path), path.name)]).text == template
