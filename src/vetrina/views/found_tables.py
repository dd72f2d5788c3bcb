"""What was found, added up: counts, journeys, timed blocks, folded messages, files that are there."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta, tzinfo
from typing import Any

from vetrina.core.base import clocks
from vetrina.core.base.events import filled, text_of
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.quantities import show_size
from vetrina.core.base.wording import counted
from vetrina.core.finding.blocks import Blocks
from vetrina.core.finding.counts import Counts, Group, Period
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.folds import Folded
from vetrina.core.finding.journeys import Journey
from vetrina.views.documents.find import FindWhere
from vetrina.views.screen import Column, Line, Span, level_style, number, span, table

_PATTERN = "%Y-%m-%d %H:%M:%S.%3f"
_BROKEN = {"no-begin": "an end without a beginning", "no-end": "a beginning without an end", "crossing": "blocks that cross"}


def seconds(count: float) -> str:
    """Return a span of time for people, to the millisecond."""
    whole = timedelta(milliseconds=round(count * 1000))
    days, rest = whole.days, whole.seconds
    hours, minutes, left = rest // 3600, rest // 60 % 60, rest % 60
    thousandths = whole.microseconds // 1000
    if days or hours:
        return f"{f'{number(days)} d ' if days else ''}{hours} h {minutes:02} min {left:02} s"
    if minutes:
        return f"{minutes} min {left:02}.{thousandths:03} s"
    return f"{left}.{thousandths:03} s"


def _text(value: Any) -> str:
    if isinstance(value, Period):
        return value.text.replace("T", " ").removesuffix("Z").replace(":00", "", 1) if "T" in value.text else value.text
    return "(none)" if value is None else text_of(value) or '""'


def count_lines(counts: Counts, titles: Sequence[str], width: int) -> list[Line]:
    """Return counted hits as a table, by two things as a matrix where that is narrow enough, else pair by pair."""
    groups = counts.groups()
    if not groups:
        return [[Span("nothing to count", "quiet")]]
    if len(titles) == 2:
        across = list(dict.fromkeys(_text(one.values[1]) for one in groups))
        if len(across) <= _MOST_ACROSS:
            return _matrix(groups, titles, across, width)
    heads = [*(Column(title, least=12) for title in titles), Column("events", right=True), Column("with error", right=True)]
    rows = [
        [
            *(span(_text(one)) for one in group.values),
            span(number(group.events)),
            span(number(group.errors) if group.errors else ""),
        ]
        for group in groups
    ]
    total = [[], [Span(f"{counted(counts.total, 'event')} in {counted(len(groups), 'group')}", "quiet")]]
    return [*table(heads, rows, width), *total]


_MOST_ACROSS = 9


def _matrix(groups: Sequence[Group], titles: Sequence[str], across: Sequence[str], width: int) -> list[Line]:
    cells: dict[str, dict[str, int]] = {}
    for one in groups:
        cells.setdefault(_text(one.values[0]), {})[_text(one.values[1])] = one.events
    sums = {row: sum(found.values()) for row, found in cells.items()}
    heads = [Column(titles[0], least=12), *(Column(name, right=True) for name in across), Column("all", right=True)]
    rows = [
        [span(row), *(span(number(found[name]) if name in found else "·") for name in across), span(number(sums[row]))]
        for row, found in cells.items()
    ]
    last = [span("all", "quiet"), *(span(number(sum(one.get(name, 0) for one in cells.values())), "quiet") for name in across)]
    return table(heads, [*rows, [*last, span(number(sum(sums.values())), "quiet")]], width)


def journey_lines(journeys: Sequence[Journey], sources: Sequence[str], scale: Scale, zone: tzinfo, width: int) -> list[Line]:
    """Return journeys as a table, and below each its longest gap."""
    show = clocks.by_pattern(_PATTERN, zone)
    heads = [
        Column("value", least=10), Column("took", right=True), Column("events", right=True), Column("worst"), Column("from", least=10),
        Column("first"), Column("longest gap", least=24),
    ]  # fmt: skip
    rows = [
        [
            span(one.value or '""', "title"), span(seconds(one.seconds)), span(number(one.events)),
            span(scale.name(one.worst), level_style(one.worst)), span(", ".join(sources[at] for at in one.sources), "quiet"),
            span(show(one.first), "quiet"), span(_gap(one)),
        ]
        for one in journeys
    ]  # fmt: skip
    return [*table(heads, rows, width), [], [Span(counted(len(journeys), "journey"), "quiet")]]


def _gap(one: Journey) -> str:
    return "" if one.gap is None else f'{seconds(one.gap.seconds)} between "{one.gap.after}" and "{one.gap.before}"'


def journey_events(
    value: str, entries: Sequence[Entry], sources: Sequence[str], scale: Scale, zone: tzinfo, width: int
) -> list[Line]:
    """Return the events of one journey: the time since the one before, and a column for each source that it comes to."""
    show = clocks.by_pattern("%H:%M:%S.%3f", zone)
    severities = Severities(scale)
    met = list(dict.fromkeys(one.source for one in entries))
    heads = [Column("time"), Column("since", right=True), *(Column(sources[at], least=16) for at in met)]
    rows, before = [], None
    for one in entries:
        severity = severities[one.event.level]
        cells = [span("")] * len(met)
        words = f"{scale.name(severity)} {tree_name(one.event.logger)}: {filled(one.event)}"
        cells[met.index(one.source)] = span(words, level_style(severity))
        since = "" if before is None else f"+{seconds((one.clock - before).total_seconds())}"
        rows.append([span(show(one.clock), "quiet"), span(since), *cells])
        before = one.clock
    title = [span(value, "title"), span(f"  {_day(entries, zone)}", "quiet")]
    return [title, [], *table(heads, rows, width)]


def _day(entries: Sequence[Entry], zone: tzinfo) -> str:
    days = list(dict.fromkeys(clocks.local(one.clock, zone).date().isoformat() for one in entries))
    whole = seconds((entries[-1].clock - entries[0].clock).total_seconds())
    return f"{counted(len(entries), 'event')} in {whole}, {days[0]}" + (f" to {days[-1]}" if len(days) > 1 else "")


def block_lines(blocks: Blocks, sources: Sequence[str], width: int) -> list[Line]:
    """Return timed blocks as a table, the most time first, and what does not nest."""
    timed = sorted(blocks.timed.values(), key=lambda one: (-one.total, one.name))
    heads = [
        Column("block", least=12), Column("times", right=True), Column("total", right=True), Column("own", right=True),
        Column("median", right=True), Column("95 %", right=True), Column("longest", right=True),
    ]  # fmt: skip
    rows = [
        [
            span(one.name or "(all)", "title"), span(number(len(one.lengths))),
            *(span(seconds(part)) for part in (one.total, one.own.total_seconds(), one.median, one.rank(0.95), max(one.lengths))),
        ]
        for one in timed
    ]  # fmt: skip
    lines = table(heads, rows, width) if rows else [[Span("no block began and ended", "quiet")]]
    if blocks.broken:
        lines += [[], [Span("what does not nest", "title")]]
    for one in blocks.broken:
        place = f"{sources[one.spot.source]}:{one.spot.line}"
        lines.append([span(place, "place"), Span(f": {_BROKEN[one.kind]}: ", "bad"), span(one.text)])
    return lines


def fold_lines(folded: Sequence[Folded], scale: Scale, zone: tzinfo, width: int) -> list[Line]:
    """Return folded messages as a table."""
    show = clocks.by_pattern(_PATTERN, zone)
    heads = [
        Column("events", right=True),
        Column("first"),
        Column("last"),
        Column("level"),
        Column("logger", least=14),
        Column("message", least=24),
    ]
    rows = [
        [
            span(number(one.events)), span(show(one.first), "quiet"), span(show(one.last) if one.events > 1 else "", "quiet"),
            span(scale.name(one.severity), level_style(one.severity)), span(tree_name(one.logger), "place"), span(one.message),
        ]
        for one in folded
    ]  # fmt: skip
    return table(heads, rows, width)


def where_lines(found: FindWhere, zone: tzinfo, width: int) -> list[Line]:
    """Return the files that are there: whose, how big, from when to when."""
    show = clocks.by_pattern("%Y-%m-%d %H:%M:%S", zone)

    def moment(time: datetime | None) -> Span:
        return span("-" if time is None else show(time), "quiet")

    heads = [
        Column("appender", least=10),
        Column("file", least=20),
        Column("size", right=True),
        Column("first event"),
        Column("last event"),
    ]
    rows = [
        [span(one.appender, "title"), span(one.path, "place"), span(show_size(one.size)), moment(one.from_), moment(one.to)]
        for one in found.files
    ]
    lines = table(heads, rows, width) if rows else [[Span("none of the plan's files is here", "bad")]]
    for none in found.missing:
        lines.append([span(none.appender, "title"), span(f": no file yet at {none.path}", "quiet")])
    return lines
