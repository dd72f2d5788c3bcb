"""What was found, drawn: when it happened, by level and source; timed blocks, nested along time."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta, tzinfo
from heapq import heappop, heappush
from typing import Any

from matplotlib.collections import PolyCollection
from matplotlib.patches import Patch
from msgspec import Struct

from vetrina.core.base.levels import Scale
from vetrina.core.base.quantities import show_span
from vetrina.core.base.wording import counted
from vetrina.core.finding.blocks import Drawn
from vetrina.core.finding.moments import Moments
from vetrina.views import pictures
from vetrina.views.found_tables import seconds
from vetrina.views.pictures import GONE, GRID, INK, QUIET, TALL, Page, days, time_axis
from vetrina.views.screen import number, safe, shorten

_BY_LEVEL = ((18, "#4a1d33"), (17, "#a23b4a"), (13, "#d08a2e"), (9, "#2f6f8f"), (5, "#94aebb"), (1, "#cfcabf"))
_NAMED = ("#2f6f8f", "#b5651d", "#4f7942", "#7b5aa6", "#8a7a1f", "#5b7083", "#3d7a70", "#94618e", "#6b5b4b")
_OTHER = "#b9b4ab"
_COLUMNS = 150
MOST_ROWS = 40
_LEAST_ROWS = 11
_DAY = timedelta(days=1)


class Look(Struct, frozen=True):
    """What pictures are made with: the kind of file, the zone of their times."""

    kind: str
    zone: tzinfo
    zone_name: str


def _title(page: Page, title: str, words: str) -> None:
    page.figure.text(0.02, 1 - 0.36 / page.tall, safe(title), fontsize=14, fontweight="bold", color=INK)
    page.figure.text(0.02, 1 - 0.60 / page.tall, safe(words), fontsize=9, color=QUIET)


def _frame(page: Page, left: float) -> dict[str, float]:
    return {"left": left, "right": 0.925, "top": 1 - 1.0 / page.tall, "bottom": 0.55 / page.tall}


def _colour(severity: int) -> str:
    return next(colour for lowest, colour in _BY_LEVEL if severity >= lowest)


_Columns = dict[int, Counter[int]]


def draw_moments(moments: Moments, sources: Sequence[str], scale: Scale, look: Look) -> bytes:
    """Return the picture of when hits were: a row for each source, a column for each step of time, its levels stacked."""
    span = moments.span()
    rows, step = _rows(moments, span)
    shown, rest = _most(rows)
    many = len(shown) + (1 if rest else 0)
    with pictures.page(look.kind, max(TALL, 1.6 + 0.42 * many)) as page:
        total = sum(sum(one.values()) for row in rows.values() for one in row.values())
        words = f"a column is {show_span(timedelta(seconds=step))}; times in {look.zone_name}"
        if many > 1:
            words += "; each row has a scale of its own: at its right the events of its highest column"
        _title(page, f"{counted(total, 'event')} in {counted(len(rows), 'source')}", words)
        if span is not None:
            names = [sources[at] for at in shown] + ([counted(len(rest), "further source")] if rest else [])
            stacked = [rows[at] for at in shown] + ([_together(rows[at] for at in rest)] if rest else [])
            _draw_rows(page, names, stacked, step, (*span,), look)
            _levels(page, rows, scale)
    return page.bytes


def _rows(moments: Moments, span: tuple[datetime, datetime] | None) -> tuple[dict[int, _Columns], int]:
    """Return hits by source, step of time and severity, in steps of which there are not too many, and the seconds of one."""
    if span is None:
        return {}, moments.step
    whole = max(1, int((span[1] - span[0]).total_seconds()))
    step = moments.step * max(1, -(-whole // (moments.step * _COLUMNS)))
    step = next((one for one in _ROUND if one >= step and one % moments.step == 0), step)
    rows: dict[int, _Columns] = defaultdict(lambda: defaultdict(Counter))
    for (source, severity, at), count in moments.counts().items():
        rows[source][at * moments.step // step][severity] += count
    return rows, step


_ROUND = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 604800)


def _most(rows: dict[int, _Columns]) -> tuple[list[int], list[int]]:
    """Return the sources that are shown, in their order, and those for which there is no room: the ones with fewest hits."""
    if len(rows) <= MOST_ROWS:
        return sorted(rows), []
    by_size = sorted(rows, key=lambda at: (-sum(sum(one.values()) for one in rows[at].values()), at))
    return sorted(by_size[: MOST_ROWS - 1]), by_size[MOST_ROWS - 1 :]


def _together(rows: Iterable[_Columns]) -> _Columns:
    found: _Columns = defaultdict(Counter)
    for row in rows:
        for at, counts in row.items():
            found[at].update(counts)
    return found


def _draw_rows(
    page: Page, names: Sequence[str], rows: Sequence[_Columns], step: int, span: tuple[datetime, datetime], look: Look
) -> None:
    left = 0.07 if len(names) == 1 else 0.21
    all_axes = page.figure.subplots(
        len(names), 1, sharex=True, squeeze=False, gridspec_kw={"hspace": 0.25, **_frame(page, left)}
    )[:, 0]  # fmt: skip
    for name, row, axes in zip(names, rows, all_axes, strict=True):
        highest = _draw_columns(axes, row, step)
        axes.set_ylim(0, highest * 1.08)
        axes.grid(axis="x", color=GRID, linewidth=0.6)
        axes.set_axisbelow(True)
        for side in ("top", "right", "left"):
            axes.spines[side].set_visible(False)
        if len(names) == 1:
            axes.set_ylabel(f"events of {safe(shorten(name, 60))}", color=INK)
            axes.grid(axis="y", color=GRID, linewidth=0.6)
            continue
        axes.set_yticks([])
        place = {"transform": axes.transAxes, "va": "center", "fontsize": 9}
        axes.text(-0.012, 0.45, safe(shorten(name, 30)), ha="right", color=INK, **place)
        axes.text(1.01, 0.45, number(highest), ha="left", color=QUIET, **place)
    last = all_axes[-1]
    first, width = span[0].timestamp() // step * step, step / 86400
    last.set_xlim(first / 86400 - width / 2, max(span[1].timestamp() / 86400, first / 86400 + width) + width)
    time_axis(last, look.zone)


def _draw_columns(axes: Any, row: _Columns, step: int) -> int:
    """Draw the columns of a row, the gravest level undermost; return how many events the highest has."""
    boxes: dict[str, list[list[tuple[float, float]]]] = defaultdict(list)
    highest = 1
    for at, counts in row.items():
        left, right, low = at * step / 86400, (at + 0.92) * step / 86400, 0
        for severity in sorted(counts, reverse=True):
            high = low + counts[severity]
            boxes[_colour(severity)].append([(left, low), (right, low), (right, high), (left, high)])
            low = high
        highest = max(highest, low)
    for colour, found in boxes.items():
        axes.add_collection(PolyCollection(found, facecolors=colour, edgecolors=colour, linewidths=0.4))
    return highest


def _levels(page: Page, rows: dict[int, _Columns], scale: Scale) -> None:
    """Tell which colour is which level, and how many events it has."""
    sums: Counter[int] = Counter()
    for row in rows.values():
        for counts in row.values():
            sums.update(counts)
    met: dict[str, list[int]] = defaultdict(list)
    for severity in sorted(sums, reverse=True):
        met[_colour(severity)].append(severity)
    words = [", ".join(f"{safe(scale.name(one))} {number(sums[one])}" for one in some) for some in met.values()]
    page.figure.legend(
        [Patch(color=colour) for colour in met], words, loc="upper right", bbox_to_anchor=(0.985, 1 - 0.15 / page.tall),
        ncols=len(met), frameon=False, fontsize=9, handlelength=1.2, columnspacing=1.4,
    )  # fmt: skip


class _Lane(Struct):
    """A block in its row: rows count from the top of its stack."""

    block: Drawn
    row: int
    ended: datetime


def draw_blocks(drawn: Sequence[Drawn], left_out: int, stacks: dict[object, str], look: Look) -> bytes:
    """Return the picture of timed blocks: along time, inner ones below outer ones, each stack with rows of its own."""
    end = max((one.ended or one.begun for one in drawn), default=datetime.max.replace(tzinfo=UTC))
    lanes = _lanes(drawn, end)
    deep = {key: 1 + max(one.row for one in some) for key, some in lanes.items()}
    rows = sum(deep.values()) + len(deep) - 1
    with pictures.page(look.kind, min(40.0, max(TALL, 1.6 + 0.24 * rows))) as page:
        words = f"inner blocks stand below outer ones; times in {look.zone_name}"
        if any(one.ended is None for one in drawn):
            words += "; dashed: a beginning without an end"
        if left_out:
            words += f"; {counted(left_out, 'later block')} left out"
        title = counted(len(drawn), "block") + (f" in {counted(len(deep), 'stack')}" if len(deep) > 1 else "")
        _title(page, title, words)
        if drawn:
            _draw_lanes(page, lanes, deep, {key: stacks.get(key, "") for key in lanes}, look)
    return page.bytes


def _lanes(drawn: Sequence[Drawn], end: datetime) -> dict[object, list[_Lane]]:
    """Return each block with the uppermost row of its stack that is free when it begins."""
    found: dict[object, list[_Lane]] = {}
    free: dict[object, list[int]] = defaultdict(list)
    busy: dict[object, list[tuple[datetime, int]]] = defaultdict(list)
    for one in sorted(drawn, key=lambda one: one.number):
        some, ended = found.setdefault(one.stack, []), one.ended or end
        while busy[one.stack] and busy[one.stack][0][0] <= one.begun:
            heappush(free[one.stack], heappop(busy[one.stack])[1])
        row = heappop(free[one.stack]) if free[one.stack] else len(busy[one.stack])
        heappush(busy[one.stack], (ended, row))
        some.append(_Lane(one, row, ended))
    return found


def _draw_lanes(
    page: Page, lanes: dict[object, list[_Lane]], deep: dict[object, int], titles: dict[object, str], look: Look
) -> None:
    named = any(titles.values())
    axes = page.figure.subplots(1, 1, gridspec_kw=_frame(page, 0.15 if named else 0.04))
    every = [one for some in lanes.values() for one in some]
    begun, ended = min(one.block.begun for one in every), max(one.ended for one in every)
    whole = max(ended - begun, timedelta(milliseconds=1))
    often = [name for name, _ in Counter(one.block.name for one in every).most_common(len(_NAMED))]
    colours = dict(zip(often, _NAMED, strict=False))
    top = 0
    for key, some in lanes.items():
        for one in some:
            _draw_block(axes, one, top, whole, colours.get(one.block.name, _OTHER))
        if named:
            words = safe(shorten(titles[key], 22))
            axes.text(-0.01, top + deep[key] / 2 - 0.5, words, ha="right", va="center", fontsize=9, color=INK, transform=axes.get_yaxis_transform())  # fmt: skip
        top += deep[key] + 1
        if key != next(reversed(lanes)):
            axes.axhline(top - 1, color=GRID, linewidth=0.8)
    axes.set_ylim(max(top - 1, _LEAST_ROWS) - 0.4, -0.6)
    axes.set_xlim(days(begun) - whole / _DAY * 0.01, days(ended) + whole / _DAY * 0.01)
    axes.set_yticks([])
    axes.grid(axis="x", color=GRID, linewidth=0.6)
    axes.set_axisbelow(True)
    time_axis(axes, look.zone)
    _names(page, colours, {one.block.name for one in every} - set(colours))


def _draw_block(axes: Any, lane: _Lane, top: int, whole: timedelta, colour: str) -> None:
    block = lane.block
    left, wide = days(block.begun), (lane.ended - block.begun) / _DAY
    middle = top + lane.row
    edge = (
        {"edgecolor": GONE, "linestyle": (0, (4, 3)), "linewidth": 1.4}
        if block.ended is None
        else {"edgecolor": "white", "linewidth": 0.6}
    )
    axes.barh(
        middle,
        max(wide, whole / _DAY * 0.0008),
        0.84,
        left=left,
        color=colour,
        alpha=0.55 if block.ended is None else 1.0,
        **edge,
    )
    room = int(wide / (whole / _DAY) * 140)
    whole_words = f"{safe(block.name)}  {_took(lane)}"
    words = whole_words if len(whole_words) <= room else safe(block.name) if len(block.name) <= room else ""
    if words:
        colour = "white" if block.ended else INK
        axes.text(left + whole / _DAY * 0.004, middle, words, va="center", fontsize=8, color=colour, clip_on=True)


def _took(lane: _Lane) -> str:
    return "no end" if lane.block.ended is None else seconds((lane.ended - lane.block.begun).total_seconds())


def _names(page: Page, colours: dict[str, str], others: set[str]) -> None:
    words = [shorten(safe(name) or "(all)", 24) for name in colours] + ([counted(len(others), "other name")] if others else [])
    page.figure.legend(
        [Patch(color=one) for one in (*colours.values(), _OTHER)][: len(words)], words, loc="upper right",
        bbox_to_anchor=(0.985, 1 - 0.12 / page.tall), ncols=5, frameon=False, fontsize=9, handlelength=1.2, columnspacing=1.4,
    )  # fmt: skip
