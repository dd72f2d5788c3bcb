"""Files over time in one picture: a bar for each file, the disk that they use, the history that is kept."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from datetime import datetime, timedelta, tzinfo
from heapq import heappop, heappush
from typing import Any

from matplotlib.collections import PolyCollection
from matplotlib.patches import Patch

from vetrina.core.base.wording import counted
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.rolling.simulation import FileRecord, FileSimulation
from vetrina.views import pictures
from vetrina.views.pictures import GONE, GRID, INK, QUIET, days, time_axis
from vetrina.views.screen import safe

_COLOURS = {"time": "#2f6f8f", "size": "#b5651d", "start": "#7b5aa6", None: "#4f7942"}
_WORDS = {"time": "closed by time", "size": "closed by size", "start": "closed by a start", None: "still open"}
_UNITS = (("GiB", 2**30), ("MiB", 2**20), ("KiB", 2**10), ("B", 1))


def draw(name: str, found: FileSimulation, roll: Roll, zone: tzinfo, zone_name: str, kind: str) -> bytes:
    """Return the picture of one appender as PNG (1280x800) or SVG."""
    with pictures.page(kind) as page:
        bars, disk, history = page.figure.subplots(
            3,
            1,
            sharex=True,
            gridspec_kw={
                "height_ratios": [3.2, 1.5, 1],
                "hspace": 0.12,
                "left": 0.08,
                "right": 0.97,
                "top": 0.9,
                "bottom": 0.08,
            },
        )
        end = max((one.closed or one.greatest or one.opened) for one in found.files) if found.files else None
        if end is not None:
            _bars(bars, found.files, end)
            moments = _moments(found.files, end)
            _disk(disk, found.files, moments, roll, found.peak)
            _history(history, found.files, moments)
            time_axis(history, zone)
        page.figure.text(
            0.08, 0.955, f"{safe(name)}: {counted(len(found.files), 'file')}", fontsize=14, fontweight="bold", color=INK
        )
        page.figure.text(
            0.08,
            0.925,
            f"a bar runs from opening to closing, its thin line until the file is removed (\u00d7) or overwritten (\u25c6); times in {zone_name}",
            fontsize=9,
            color=QUIET,
        )
    return page.bytes


def _bars(axes: Any, files: Sequence[FileRecord], end: datetime) -> None:
    count = len(files)
    wide = 0.38 if count < 120 else 0.5
    for reason, colour in _COLOURS.items():
        boxes = []
        for at, one in enumerate(files):
            if one.reason == reason:
                left, right = days(one.opened), days(one.closed or end)
                boxes.append([(left, at - wide), (right, at - wide), (right, at + wide), (left, at + wide)])
        if boxes:
            axes.add_collection(PolyCollection(boxes, facecolors=colour, edgecolors=colour, linewidths=0.8))
    closed = [(at, one) for at, one in enumerate(files) if one.closed is not None]
    starts = [days(one.closed) for _, one in closed if one.closed]
    ends = [days(one.removed or end) for _, one in closed]
    axes.hlines([at for at, _ in closed], starts, ends, colors="#9a9a9a", linewidth=0.8 if count < 120 else 0.3)
    size = 28 if count < 60 else 10 if count < 200 else 3
    for sign, overwritten in (("x", False), ("D", True)):
        gone = [(at, one) for at, one in closed if one.removed is not None and (one.removed_by == "overwritten") is overwritten]
        if gone:
            axes.scatter(
                [days(one.removed) for _, one in gone if one.removed],
                [at for at, _ in gone],
                s=size,
                marker=sign,
                color=GONE,
                linewidths=1,
                zorder=3,
            )
    axes.set_ylim(count - 0.3, -0.7)
    axes.set_xlim(days(files[0].opened), days(end + timedelta(hours=1)))
    axes.set_ylabel("file, by opening", color=INK)
    axes.grid(axis="x", color=GRID, linewidth=0.6)
    reasons = [reason for reason in _COLOURS if any(one.reason == reason for one in files)]
    axes.legend(
        [Patch(color=_COLOURS[reason]) for reason in reasons],
        [_WORDS[reason] for reason in reasons],
        loc="upper right",
        frameon=True,
        fontsize=9,
    )


def _moments(files: Sequence[FileRecord], end: datetime) -> list[datetime]:
    found = (
        {one.opened for one in files}
        | {one.closed for one in files if one.closed}
        | {one.removed for one in files if one.removed}
        | {end}
    )
    return sorted(found)


def _disk(axes: Any, files: Sequence[FileRecord], moments: list[datetime], roll: Roll, peak: int) -> None:
    changes: dict[datetime, int] = {}
    for one in files:
        if one.closed is not None:
            changes[one.closed] = changes.get(one.closed, 0) + one.disk_bytes
        if one.removed is not None:
            changes[one.removed] = changes.get(one.removed, 0) - one.disk_bytes
    used, heights = 0, []
    for moment in moments:
        used += changes.get(moment, 0)
        heights.append(used)
    limit = roll.keep.disk.value if roll.keep.disk else None
    unit, size = next((unit, size) for unit, size in _UNITS if max(peak, 1) >= size)
    axes.step(
        [days(one) for one in moments], [height / size for height in heights], where="post", color="#2f6f8f", linewidth=1.4
    )
    axes.fill_between(
        [days(one) for one in moments], [height / size for height in heights], step="post", color="#2f6f8f", alpha=0.2
    )
    axes.axhline(peak / size, color=GONE, linewidth=0.9, linestyle=(0, (5, 3)))
    axes.text(
        0.005,
        peak / size,
        f"peak {peak / size:.1f} {unit}, open file included",
        color=GONE,
        fontsize=8.5,
        va="bottom",
        transform=axes.get_yaxis_transform(),
    )
    if limit is not None and limit < 4 * peak:
        axes.axhline(limit / size, color=INK, linewidth=0.9)
        axes.text(
            0.995,
            limit / size,
            "limit of keep.disk",
            color=INK,
            fontsize=8.5,
            va="bottom",
            ha="right",
            transform=axes.get_yaxis_transform(),
        )
    axes.set_ylim(0, max(peak, limit or 0 if limit and limit < 4 * peak else 0, 1) / size * 1.25)
    axes.set_ylabel(f"closed files, {unit}", color=INK)
    axes.grid(color=GRID, linewidth=0.6)


def _history(axes: Any, files: Sequence[FileRecord], moments: list[datetime]) -> None:
    """Draw how far back the files reach: it grows with time, and drops when an old file goes."""
    points: list[tuple[float, float]] = []
    coming = deque(sorted((one for one in files if one.least is not None), key=lambda one: one.opened))
    there: list[tuple[datetime, int, FileRecord]] = []
    for moment in moments:
        for after in (False, True):
            while coming and coming[0].opened <= moment:
                one = coming.popleft()
                heappush(there, (one.least or moment, len(coming), one))
            while there and (gone := there[0][2].removed) is not None and (gone < moment or (after and gone == moment)):
                heappop(there)
            span = max(timedelta(0), moment - there[0][0]) if there else timedelta(0)
            points.append((days(moment), span / timedelta(days=1)))
    axes.plot([x for x, _ in points], [y for _, y in points], color="#4f7942", linewidth=1.4)
    axes.set_ylim(0, max(*(y for _, y in points), 0.01) * 1.2)
    axes.set_ylabel("history, days", color=INK)
    axes.grid(color=GRID, linewidth=0.6)
