"""Files over time: names, reasons, sizes, deletions, disk, history kept."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta, tzinfo

from vetrina.core.base import clocks
from vetrina.core.base.quantities import show_size, show_span
from vetrina.core.base.wording import counted
from vetrina.core.base.wording import counted as words
from vetrina.core.foresight.wording import between, between_counted
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.rolling.lanes import RollingAppender
from vetrina.core.rolling.outlook import Advice, shortest_history
from vetrina.core.rolling.pace import Pace
from vetrina.core.rolling.simulation import FileRecord, standing_at
from vetrina.core.rolling.streams import Forecast
from vetrina.views.screen import Column, Line, Span, number, span, table, whole, wrapped

MOST_SHOWN = 40
NARROW = 96
"""Below so many columns a file's opening tells enough of the closing of the one before it."""
_DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]


def rolling_lines(lane: RollingAppender, zone: tzinfo, pace: Pace, width: int, *, every_file: bool) -> list[Line]:
    """Return one appender: its files, then the sums that people decide by."""
    found, roll = lane.simulation, lane.appender.roll
    lines: list[Line] = [[span(lane.appender.name, "title"), span(f"  {policy_words(roll)}", "quiet")]]
    if roll.rename_to is not None:
        lines.append([span(f"  {roll.path.text} becomes {roll.rename_to.text}", "quiet")])
    if not found.files:
        return [*lines, [Span("  no event reaches it", "bad")]]
    shown = (
        found.files
        if every_file or whole(width) or len(found.files) <= MOST_SHOWN
        else [*found.files[:10], *found.files[-(MOST_SHOWN - 10) :]]
    )
    narrow = width < NARROW and not whole(width)
    years = {clocks.local(time, zone).year for one in shown for time in (one.opened, one.closed, one.removed) if time}
    year = f" {years.pop()}" if len(years) == 1 and not whole(width) else ""
    rows = [_row(one, zone, "%m-%d %H:%M" if year else "%Y-%m-%d %H:%M") for one in shown]
    heads = [
        Column("file", least=24 if narrow else 28), Column(f"opened{year}"), Column("closed"), Column("why"), Column("events", right=True),
        Column("bytes", right=True), Column("on disk", right=True), Column("removed by", least=8),
    ]  # fmt: skip
    left_out = {"closed", "bytes"} if narrow else set()
    kept = [at for at, head in enumerate(heads) if head.heading not in left_out]
    lines += table([heads[at] for at in kept], [[row[at] for at in kept] for row in rows], width, 2)
    if len(shown) < len(found.files):
        lines.append(
            [
                Span(
                    f"  … {counted(len(found.files) - len(shown), 'file')} between the tenth and these (--all shows them)",
                    "quiet",
                )
            ]
        )
    return [*lines, [], *_sums(lane, zone, pace, width)]


def policy_words(roll: Roll) -> str:
    """Return a policy in a few words."""
    parts = []
    if roll.every:
        unit = roll.every.unit if roll.every.count == 1 else words(roll.every.count, roll.every.unit)
        parts.append(f"every {unit}" + (f" at {roll.every.at // 60:02}:{roll.every.at % 60:02}" if roll.every.at else ""))
    if roll.at_size:
        parts.append(f"at {roll.at_size}")
    if roll.each_start:
        parts.append("at each start")
    kept = [
        f"{one} {words}".strip()
        for one, words in ((roll.keep.files, "files"), (roll.keep.age, ""), (roll.keep.disk, ""))
        if one
    ]
    return ("rolls " + ", ".join(parts) if parts else "never rolls") + (
        f"; keeps {', '.join(kept)}" if kept else "; keeps everything" if parts else ""
    )


def _row(one: FileRecord, zone: tzinfo, pattern: str) -> list[Span]:
    show = clocks.by_pattern(pattern, zone)
    after = span("·", "quiet")
    if one.removed is not None:
        gone = one.removed_by == "overwritten"
        words = f"overwritten, {counted(one.lost, 'event')} lost" if gone else f"{one.removed_by} {show(one.removed)[:-6]}"
        after = span(words, "bad" if gone else "quiet")
    elif one.lost:
        after = span(f"{counted(one.lost, 'event')} emptied out", "bad")
    name = one.name.rsplit("/", 1)[-1]
    closed = span(show(one.closed)) if one.closed else span("open", "good")
    return [
        span(name), span(show(one.opened)), closed, span(one.reason or "", "low" if one.reason == "size" else ""), span(number(one.events)),
        span(show_size(one.bytes)), span(show_size(one.disk_bytes)), after,
    ]  # fmt: skip


def _sums(lane: RollingAppender, zone: tzinfo, pace: Pace, width: int) -> list[Line]:
    found = lane.simulation
    oldest, newest = found.history()
    on_disk = [one for one in found.files if one.removed is None]
    lost = sum(one.lost for one in found.files)
    mark, foreseen = "~" if lane.streamed or lane.foreseen else "", lane.foreseen
    lines: list[Line] = [
        [
            Span("  peak disk    "),
            Span(f"{mark}{show_size(found.peak)}" if foreseen is None else between(foreseen.peak, show_size), "title"),
            Span(f"; at the end {mark}{show_size(sum(one.disk_bytes for one in on_disk))} in {counted(len(on_disk), 'file')}"),
        ],
    ]
    if oldest is not None and newest is not None:
        show = clocks.by_pattern("%a %Y-%m-%d %H:%M", zone)
        shortest = shortest_history(found)
        limited = "" if shortest is not None else f"{'not yet' if _bounded(lane.appender.roll) else 'never'} limited after "
        text = f"{limited}{mark}{show_span(newest - oldest)}"
        rest = f"{' at the end' if shortest is not None else ''}, from {show(oldest)} to {show(newest)}"
        first, *more = wrapped(text + rest, width - 15)
        lines.append([Span("  history      "), *first])
        lines += [[Span(" " * 15), *part] for part in more]
        if shortest is not None:
            lines.append(
                [Span("               "), Span(f"at its shortest {mark}{show_span(shortest[0])}, on {show(shortest[1])}")]
            )
        elif _bounded(lane.appender.roll):
            lines.append(
                [Span("               "), Span("no limit of keep acts within this traffic: --repeat 10 plays it on", "quiet")]
            )
    if foreseen is not None:
        low, high = (show_span(timedelta(seconds=one)) for one in (foreseen.history.low, foreseen.history.high))
        text = f"{between_counted(foreseen.events, 'event')}, {between(foreseen.bytes, show_size)}, in {between_counted(foreseen.files, 'file')}; "
        text += f"history ~{low} to {high}; the files above are those of what is expected"
        first, *more = wrapped(text, width - 15)
        lines += [[Span("  90 of 100    "), *first], *([Span(" " * 15), *part] for part in more)]
    if lost:
        lines.append([Span("  lost         "), Span(f"{counted(lost, 'event')} overwritten or emptied", "bad")])
    lines += _busy(lane, zone, pace, width)
    return lines


def _bounded(roll: Roll) -> bool:
    return any(limit is not None for limit in (roll.keep.files, roll.keep.age, roll.keep.disk))


def _busy(lane: RollingAppender, zone: tzinfo, pace: Pace, width: int) -> list[Line]:
    if not lane.hours:
        return []
    sizes: dict[date, float] = {}
    for hour, (_, size) in lane.hours.items():
        day = clocks.local(hour, zone).date()
        sizes[day] = sizes.get(day, 0) + size
    a_day = pace.a_day(sum(sizes.values()), sizes)
    mark = "~" if lane.streamed or lane.foreseen else ""
    words = "not known" if a_day is None else f"{pace.about}{mark}{show_size(a_day)}"
    weekdays: dict[int, list[float]] = {}
    for day in pace.days if len(pace.days) > 1 else ():
        weekdays.setdefault(day.weekday(), []).append(sizes.get(day, 0))
    means = ", ".join(f"{_DAYS[day]} {show_size(sum(some) / len(some))}" for day, some in sorted(weekdays.items()))
    several = "average of each: " if len(pace.days) > len(weekdays) else ""
    average = f" ({several}{means})" if means else ""
    text = f"{words}, {pace.words()}{average}" + (
        "; ~ holds added streams (--rate), which nobody recorded" if lane.streamed else ""
    )
    busiest, (count, size) = max(lane.hours.items(), key=lambda one: (one[1][1], one[0]))
    hour_shown = clocks.by_pattern("%a %Y-%m-%d %H:00", zone)(busiest)
    by_day = [[Span("  bytes a day  " if not at else " " * 15), *line] for at, line in enumerate(wrapped(text, width - 15))]
    return [*by_day, [Span(f"  busiest hour {hour_shown}: {mark}{counted(count, 'event')}, {mark}{show_size(size)}")]]


def listing_lines(lane: RollingAppender, moment: datetime, zone: tzinfo, width: int) -> list[Line]:
    """Return the folder as it would stand at a moment."""
    there = standing_at(lane.simulation, moment)
    show = clocks.by_pattern("%Y-%m-%d %H:%M", zone)
    lines: list[Line] = [
        [span(lane.appender.name, "title"), span(f"  on {show(moment)}: {counted(len(there), 'file')}", "quiet")]
    ]
    rows = []
    for one in there:
        closed = one.closed is not None and one.closed <= moment
        name = one.name if closed else lane.appender.roll.path.text
        size = show_size(one.disk_bytes) if closed else "open"
        rows.append([span(size), span(show(one.closed) if closed and one.closed else show(one.opened)), span(name)])
    return lines + table([Column("size", right=True), Column("changed"), Column("name", least=20)], rows, width, 2)


def names_lines(name: str, rows: Sequence[tuple[str, str]], width: int) -> list[Line]:
    """Return the names that the next rolls would give, with when and why they are shown."""
    cells = [[span(words, "quiet"), span(text)] for words, text in rows]
    return [[span(name, "title")], *table([Column("roll"), Column("name", least=20)], cells, width, 2)]


def outlook_lines(found: Forecast) -> list[Line]:
    """Return what redrawn traffic does: ranges from the 5th to the 95th of a hundred."""

    def sizes(low: float, middle: float, high: float) -> str:
        return f"{show_size(low)} to {show_size(high)}, mostly {show_size(middle)}"

    def spans(low: float, middle: float, high: float) -> str:
        low_, middle_, high_ = (show_span(timedelta(seconds=int(one))) for one in (low, middle, high))
        return f"{low_} to {high_}, mostly {middle_}"

    rows = [
        ("bytes in all", sizes(found.bytes.low, found.bytes.middle, found.bytes.high)),
        ("peak disk", sizes(found.peak.low, found.peak.middle, found.peak.high)),
        ("files", f"{found.files.low:.0f} to {found.files.high:.0f}, mostly {found.files.middle:.0f}"),
        ("history", spans(found.history.low, found.history.middle, found.history.high)),
    ]
    head: Line = [Span(f"  drawn again {counted(found.runs, 'time')} from its hourly rates; 90 of 100 runs lie in", "quiet")]
    return [head, *([Span(f"    {words:<13}"), Span(text)] for words, text in rows)]


def advice_lines(found: Advice, width: int) -> list[Line]:
    """Return limits that meet a wish, that may meet it, or how near the nearest come."""
    cost = f"peak {show_size(found.peak)}, history {show_span(found.history)}"
    if found.met:
        lines: list[Line] = [[Span("  this meets it on this traffic: ", "good"), Span(cost)]]
    elif found.untold:
        text = (
            f"whether this meets it this traffic cannot tell, too short for a file to be removed (--repeat plays it on): {cost}"
        )
        lines = [[Span("  "), *line] for line in wrapped(text, width - 2, 2, "raised")]
    else:
        lines = [[Span("  no limits that were tried meet it; the nearest: ", "bad"), Span(cost)]]
    return lines + [[Span("    "), span(str(edit), "command")] for edit in found.edits]
