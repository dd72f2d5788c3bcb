"""The rush hour in one picture: a row for each appender, with arrivals, the line before its sink, lateness and losses along time."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Any

from matplotlib.patches import Patch

from vetrina.core.plan.rush_policy import SECOND
from vetrina.core.pressure.gauges import AppenderPressure
from vetrina.core.pressure.peaks import Course, Stretch
from vetrina.core.routing.router import LateGate
from vetrina.views import pictures
from vetrina.views.pictures import GONE, GRID, INK, QUIET, days, time_axis
from vetrina.views.screen import number, safe, shorten

_ARRIVED, _LINE, _LATE = "#2f6f8f", "#b5651d", "#7b5aa6"
_LOST: dict[LateGate, str] = {"limit": "#8a7a1f", "recall": "#b9b4ab", "queue": GONE}
_VERBS: dict[LateGate, str] = {"limit": "stopped by its limit", "recall": "never recalled", "queue": "dropped"}
_MOST_POINTS = 240
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def draw(found: list[AppenderPressure], zone: tzinfo, zone_name: str, how: str, kind: str) -> bytes:
    """Return the picture as PNG (1280x800, taller from five appenders on) or SVG."""
    tall = max(pictures.TALL, 1.5 + 1.5 * len(found))
    courses = _alike([one.course for one in found if one.course is not None])
    with pictures.page(kind, tall) as page:
        grid = page.figure.subplots(
            max(1, len(found)), 3, sharex=True, squeeze=False,
            gridspec_kw={"hspace": 0.34, "wspace": 0.2, "left": 0.115, "right": 0.98, "top": 1 - 1.3 / tall, "bottom": 0.5 / tall},
        )  # fmt: skip
        for row, one, course in zip(grid, found, courses, strict=False):
            _row(row, one, course, first=one is found[0])
        for axes in grid[-1]:
            time_axis(axes, zone)
            axes.tick_params(axis="x", labelsize=7.5)
        _titles(page.figure, found, courses[0].length if courses else 1, zone_name, how, tall)
    return page.bytes


def _alike(courses: list[Course]) -> list[Course]:
    """Return courses with steps of one length, so that their heights can be compared, and few enough to be seen."""
    longest = max((one.length for one in courses), default=1)
    found = [one.coarser(longest) for one in courses]
    while any(one.span() > _MOST_POINTS for one in found):
        longest *= 2
        found = [one.coarser(longest) for one in found]
    return found


def _titles(figure: Any, found: list[AppenderPressure], length: int, zone_name: str, how: str, tall: float) -> None:
    title = f"{len(found)} appender{'s' if len(found) != 1 else ''} in the rush hour{how}"
    figure.text(0.02, 1 - 0.36 / tall, safe(title), fontsize=14, fontweight="bold", color=INK)
    words = f"arrivals and losses are events in a step of {_words(length)}; lines and lateness are seen as events arrive; times in {zone_name}"
    figure.text(0.02, 1 - 0.64 / tall, words, fontsize=9, color=QUIET)
    patches = [Patch(color=_ARRIVED), *(Patch(color=colour) for colour in _LOST.values())]
    names = ["arrived", "stopped by a limit", "never recalled", "dropped by a queue"]
    figure.legend(
        patches, names, loc="upper right", ncols=4, frameon=False, fontsize=8.5, bbox_to_anchor=(0.985, 1 - 0.2 / tall)
    )


def _words(length: int) -> str:
    unit, size = next((unit, size) for unit, size in (("hour", 3600), ("minute", 60), ("second", 1)) if length >= size)
    count = length / size
    return f"{count:.3g} {unit}{'s' if count != 1 else ''}"


def _row(row: Any, one: AppenderPressure, course: Course, *, first: bool) -> None:
    arrivals, line, late = row
    points = _points(course)
    times = [days(_EPOCH + timedelta(seconds=at)) for at, _ in points]
    _arrivals(arrivals, one, times, [stretch for _, stretch in points])
    seen = [stretch if stretch.arrived else None for _, stretch in points]
    _line(line, times, [stretch.longest if stretch else math.nan for stretch in seen], _LINE, one)
    _line(late, times, [stretch.late / SECOND if stretch else math.nan for stretch in seen], _LATE, one)
    for axes, head in zip(row, ("arrivals and losses", "longest line", "lateness, seconds"), strict=True):
        axes.grid(color=GRID, linewidth=0.5)
        axes.tick_params(labelsize=7.5)
        axes.set_ylim(bottom=0)
        if first:
            axes.annotate(head, (0.5, 1), xytext=(0, 20), xycoords="axes fraction", textcoords="offset points", ha="center",
                          fontsize=10, color=INK)  # fmt: skip


def _arrivals(axes: Any, one: AppenderPressure, times: list[float], stretches: list[Stretch]) -> None:
    """Draw what arrived, and over it what of that was never written."""
    axes.set_ylabel(shorten(safe(one.appender), 16), fontsize=9, color=INK)
    lost = {gate: one.stops(gate) for gate in _LOST}
    words = [f"{number(count)} {verb}" for (gate, verb) in _VERBS.items() if (count := lost[gate])]
    text = f"{number(one.arrived)} arrived, {number(one.written)} written" + (f"; {', '.join(words)}" if words else "")
    axes.set_title(text, fontsize=8, color=QUIET, loc="left", pad=3)
    if not one.arrived:
        _nothing(axes, "nothing arrived")
        return
    arrived = [float(stretch.arrived) for stretch in stretches]
    axes.fill_between(times, arrived, step="post", color=_ARRIVED, alpha=0.3, linewidth=0)
    axes.step(times, arrived, where="post", color=_ARRIVED, linewidth=0.9)
    base = [0.0] * len(stretches)
    for gate, colour in _LOST.items():
        tops = [low + stretch.stopped.get(gate, 0) for low, stretch in zip(base, stretches, strict=True)]
        axes.fill_between(times, base, tops, step="post", color=colour, linewidth=0, zorder=3)
        base = tops


def _line(axes: Any, times: list[float], heights: list[float], colour: str, one: AppenderPressure) -> None:
    if one.queue is None:
        _nothing(axes, "no queue")
        return
    axes.fill_between(times, heights, step="post", color=colour, alpha=0.3, linewidth=0)
    axes.step(times, heights, where="post", color=colour, linewidth=0.9)


def _nothing(axes: Any, words: str) -> None:
    """Say that there is nothing to see, without a scale."""
    axes.text(0.5, 0.5, words, transform=axes.transAxes, ha="center", va="center", fontsize=8.5, color=QUIET)
    axes.set_yticks([])
    for side in ("top", "left", "right"):
        axes.spines[side].set_visible(False)


def _points(course: Course) -> list[tuple[int, Stretch]]:
    """Return the stretches with their beginnings, and an empty one after each that nothing follows."""
    found: list[tuple[int, Stretch]] = []
    for at in sorted(course.stretches):
        if found and found[-1][0] + course.length < at * course.length:
            found.append((found[-1][0] + course.length, Stretch()))
        found.append((at * course.length, course.stretches[at]))
    if found:
        found.append((found[-1][0] + course.length, Stretch()))
    return found
