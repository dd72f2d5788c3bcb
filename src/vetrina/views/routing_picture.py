"""The routing as a picture: loggers at the left, gates between, sinks at the right, a band as wide as its count.

Stopped events end at their gate, visibly.
"""

from __future__ import annotations

import math
from typing import Any

from matplotlib.patches import PathPatch, Rectangle
from matplotlib.path import Path as Curve

from vetrina.core.base.wording import counted
from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Traffic, appender_sinks
from vetrina.core.routing.router import EARLY_GATES
from vetrina.views import pictures
from vetrina.views.pictures import GONE, INK, QUIET, TALL
from vetrina.views.screen import number, safe, shorten

_ROUND = 0.33
_LEFT, _GATES, _RIGHT = 0.24, (0.40, 0.47, 0.54), 0.74
_COLOURS = ("#2f6f8f", "#b5651d", "#4f7942", "#7b5aa6", "#a23b4a", "#5b7083", "#8a7a1f", "#3d7a70", "#94618e", "#6b5b4b")
_STOPPED = "#b9b4ab"
MOST_LOGGERS = 40
_LABEL = 0.36
"""How many inches a label of two lines takes."""


def _share(count: int) -> float:
    """Return the height of a band: by the square root, so that small streams stay visible beside large ones."""
    return math.sqrt(count)


def draw(traffic: Traffic, plan: Plan, kind: str) -> bytes:
    """Return the picture as PNG (1280x800 and taller for many loggers) or SVG."""
    rows = _rows(traffic)
    tall = max(TALL, 1.6 + 0.26 * len(rows), 1.6 + 0.42 * len(traffic.appenders))
    with pictures.page(kind, tall) as page:
        axes = page.figure.add_axes((0, 0, 1, 1))
        axes.set_xlim(0, 1)
        axes.set_ylim(0, 1)
        axes.axis("off")
        _paint(axes, rows, traffic, plan, 0.9 / tall)
    return page.bytes


class _Row:
    """One logger: its events, where they stopped, where they arrived."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.events = 0
        self.stopped: dict[str, int] = dict.fromkeys(EARLY_GATES, 0)
        self.reached: dict[str, int] = {}
        self.dropped = 0


def _rows(traffic: Traffic) -> list[_Row]:
    rows: dict[str, _Row] = {}
    for cell in traffic.cells.values():
        row = rows.setdefault(cell.logger, _Row(cell.logger))
        row.events += cell.events
        for gate, count in cell.stopped.items():
            row.stopped[gate] += count
        row.dropped += cell.dropped
        for name, count in cell.reached.items():
            if name in traffic.appenders:
                row.reached[name] = row.reached.get(name, 0) + count
    kept = sorted(rows.values(), key=lambda row: (-row.events, row.name))
    if len(kept) > MOST_LOGGERS:
        rest = _Row(f"({len(kept) - MOST_LOGGERS + 1} quieter loggers)")
        for row in kept[MOST_LOGGERS - 1 :]:
            rest.events += row.events
            rest.dropped += row.dropped
            for gate, count in row.stopped.items():
                rest.stopped[gate] += count
            for name, count in row.reached.items():
                rest.reached[name] = rest.reached.get(name, 0) + count
        kept = [*kept[: MOST_LOGGERS - 1], rest]
    return sorted(kept, key=lambda row: (row.name.startswith("("), row.name))


def _paint(axes: Any, rows: list[_Row], traffic: Traffic, plan: Plan, head: float) -> None:
    top, bottom = 1 - head - 0.035, 0.05
    sinks = appender_sinks(plan)
    names = list(traffic.appenders)
    weights = [max(_share(row.events), _share(sum(row.reached.values()))) for row in rows]
    gap = min(0.012, 0.35 * (top - bottom) / max(1, len(rows)))
    unit = (top - bottom - gap * max(0, len(rows) - 1)) / max(1e-9, sum(weights))
    least = 0.010 if len(rows) > 25 else 0.014
    heights = [max(least, weight * unit) for weight in weights]
    scale = (top - bottom - gap * max(0, len(rows) - 1)) / max(1e-9, sum(heights))
    heights = [height * min(1.0, scale) for height in heights]
    ends = _appender_boxes(axes, names, sinks, traffic, (top, bottom), head / 0.9)
    axes.text(0.02, 1 - head * 0.45, safe(plan.title or plan.name), fontsize=14, fontweight="bold", color=INK, va="center")
    words = f"{counted(traffic.events, 'event')}, {number(traffic.unrouted)} of them arriving nowhere; a band's width is the square root of its count"
    axes.text(0.02, 1 - head * 0.82, words, fontsize=9, color=QUIET, va="center")
    _gate_posts(axes, traffic, top, bottom)
    y = top
    for row, height in zip(rows, heights, strict=True):
        _logger_row(axes, row, y, height, names, ends)
        y -= height + gap


def _appender_boxes(
    axes: Any, names: list[str], sinks: dict[str, str], traffic: Traffic, bounds: tuple[float, float], inch: float
) -> dict[str, list[float]]:
    """Draw the appenders at the right, each as tall as its label at least; return where the next band ends in each, and how much room is left."""
    top, bottom = bounds
    gap = min(0.03, 0.3 / max(1, len(names)))
    room = top - bottom - gap * max(0, len(names) - 1)
    heights = _heights([_share(traffic.appenders[name].reached) for name in names], room, _LABEL * inch - gap)
    ends: dict[str, list[float]] = {}
    y = top
    for at, (name, height) in enumerate(zip(names, heights, strict=True)):
        one = traffic.appenders[name]
        colour = _COLOURS[at % len(_COLOURS)] if one.reached else "white"
        axes.add_patch(Rectangle((_RIGHT, y - height), 0.012, height, facecolor=colour, edgecolor=INK, linewidth=0.6))
        middle = y - height / 2
        axes.text(
            _RIGHT + 0.02,
            middle + 0.072 * inch,
            shorten(safe(name), 24),
            fontsize=10,
            fontweight="bold",
            color=INK,
            va="center",
        )
        label = (
            number(one.reached) + f" to {shorten(safe(sinks[name]), 30)}"
            if one.reached
            else f"nothing arrives ({shorten(safe(sinks[name]), 24)})"
        )
        axes.text(_RIGHT + 0.02, middle - 0.096 * inch, label, fontsize=7.5, color=QUIET if one.reached else GONE, va="center")
        ends[name] = [y, height, float(max(1, one.reached)), at]
        y -= height + gap
    return ends


def _heights(weights: list[float], room: float, least: float) -> list[float]:
    """Return heights by weight that fill a room, none below ``least`` as long as there is room for that."""
    if not weights:
        return []
    least = min(max(least, 0.0), room / len(weights))
    wide = {at: weight for at, weight in enumerate(weights) if weight}
    while wide:
        unit = (room - least * (len(weights) - len(wide))) / sum(wide.values())
        low = [at for at, weight in wide.items() if weight * unit < least]
        if not low:
            return [wide[at] * unit if at in wide else least for at in range(len(weights))]
        for at in low:
            del wide[at]
    return [room / len(weights)] * len(weights)


_POSTS = dict(zip(map(str, EARLY_GATES), (_ROUND, *_GATES), strict=True))


def _posts(traffic: Traffic) -> dict[str, float]:
    """Return where the posts of the early gates stand; the first only where something goes round."""
    return {gate: x for gate, x in _POSTS.items() if gate != "round" or traffic.stopped[gate]}


def _gate_posts(axes: Any, traffic: Traffic, top: float, bottom: float) -> None:
    for gate, x in _posts(traffic).items():
        axes.plot([x, x], [bottom, top], color="#8a8a8a", linewidth=0.8, linestyle=(0, (4, 3)), zorder=0)
        axes.text(x, top + 0.022, gate, fontsize=9, color=INK, ha="center", va="center")
        count = traffic.stopped[gate]
        axes.text(x, bottom - 0.018, number(count) + " stop", fontsize=7.5, color=QUIET, ha="center", va="center")
    dropped = sum(cell.dropped for cell in traffic.cells.values())
    axes.text(
        (_GATES[-1] + _RIGHT) / 2,
        bottom - 0.018,
        number(dropped) + " stop",
        fontsize=7.5,
        color=QUIET,
        ha="center",
        va="center",
    )
    axes.text((_GATES[-1] + _RIGHT) / 2, top + 0.022, "appenders' own gates", fontsize=9, color=INK, ha="center", va="center")
    axes.text(_LEFT - 0.01, top + 0.022, "loggers", fontsize=9, color=INK, ha="right", va="center")


def _logger_row(axes: Any, row: _Row, y: float, height: float, names: list[str], ends: dict[str, list[float]]) -> None:
    size = 8.5 if height > 0.012 else 6.5
    axes.text(
        _LEFT - 0.012,
        y - height / 2,
        f"{shorten(safe(row.name), 30)}  {number(row.events)}",
        fontsize=size,
        color=INK,
        ha="right",
        va="center",
    )
    axes.add_patch(Rectangle((_LEFT - 0.006, y - height), 0.006, height, facecolor=INK, linewidth=0))
    parts = [(gate, row.stopped[gate]) for gate in EARLY_GATES if row.stopped[gate]] + (
        [("dropped", row.dropped)] if row.dropped else []
    )
    total = sum(_share(count) for _, count in parts) + sum(_share(row.reached[name]) for name in names if name in row.reached)
    if not total:
        return
    here = y
    for name in names:
        if name not in row.reached:
            continue
        share = height * _share(row.reached[name]) / total
        end = ends[name]
        width = end[1] * row.reached[name] / end[2]
        _band(axes, (_LEFT, here, share), (_RIGHT, end[0], width), _COLOURS[int(end[3]) % len(_COLOURS)])
        end[0] -= width
        here -= share
    for gate, count in parts:
        share = height * _share(count) / total
        x = _POSTS.get(gate, (_GATES[-1] + _RIGHT) / 2)
        _end_at(axes, (_LEFT, here, share), x)
        here -= share


def _band(axes: Any, start: tuple[float, float, float], end: tuple[float, float, float], colour: str) -> None:
    (x0, y0, h0), (x1, y1, h1) = start, end
    flat = _GATES[-1]
    middle = (flat + x1) / 2
    points = [
        (x0, y0),
        (flat, y0),
        (middle, y0),
        (middle, y1),
        (x1, y1),
        (x1, y1 - h1),
        (middle, y1 - h1),
        (middle, y0 - h0),
        (flat, y0 - h0),
        (x0, y0 - h0),
        (x0, y0),
    ]
    codes = [
        Curve.MOVETO,
        Curve.LINETO,
        Curve.CURVE4,
        Curve.CURVE4,
        Curve.CURVE4,
        Curve.LINETO,
        Curve.CURVE4,
        Curve.CURVE4,
        Curve.CURVE4,
        Curve.LINETO,
        Curve.CLOSEPOLY,
    ]
    axes.add_patch(PathPatch(Curve(points, codes), facecolor=colour, alpha=0.55, edgecolor=colour, linewidth=0.4))


def _end_at(axes: Any, start: tuple[float, float, float], x: float) -> None:
    x0, y0, height = start
    axes.add_patch(Rectangle((x0, y0 - height), x - x0, height, facecolor=_STOPPED, alpha=0.75, linewidth=0))
    axes.add_patch(Rectangle((x - 0.003, y0 - height - 0.002), 0.006, height + 0.004, facecolor=GONE, linewidth=0))
