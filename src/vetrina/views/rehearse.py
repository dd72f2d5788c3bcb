"""A rehearsal's sums, its folder, and a live view of one that is paced."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any, Protocol

from vetrina.core.base.quantities import show_size, show_span
from vetrina.core.base.wording import counted
from vetrina.views.screen import Column, Line, Span, most, number, span, table, whole

_MOST = 40
NARROW = 96


class Lateness(Protocol):
    """How late deliveries were, in seconds."""

    longest: float

    @property
    def median(self) -> float:
        """Return the median."""


class Sum(Protocol):
    """What one appender did."""

    reached: int
    delivered: int
    groups: int
    waited: int
    lost: dict[str, int]
    failed: dict[str, int]
    late: Any


def sum_lines(events: int, sums: Mapping[str, tuple[str, Sum]], width: int) -> list[Line]:
    """Return what arrived where, in how many groups, how late, and what was lost."""
    heads = [
        Column("appender", least=10), Column("events", right=True), Column("groups", right=True), Column("median late", right=True),
        Column("longest", right=True), Column("waited", right=True), Column("lost", least=12), Column("sink", least=10),
    ]  # fmt: skip
    if width < NARROW and not whole(width):
        heads[3], heads[4] = Column("late", right=True), Column("at most", right=True)
    rows = []
    for name, (sink, one) in sums.items():
        lost = ", ".join(f"{number(count)} by {why}" for why, count in one.lost.items())
        rows.append([
            span(name),
            span(number(one.delivered), "" if one.delivered else "quiet"),
            span(number(one.groups) if one.groups else "·"),
            span(_late(one.late.median), "" if one.late.longest else "quiet"),
            span(_late(one.late.longest), "raised" if one.late.longest > 60 else ""),
            span(number(one.waited) if one.waited else "·", "raised" if one.waited else "quiet"),
            span(lost or "·", "bad" if lost else "quiet"),
            span(sink),
        ])  # fmt: skip
    lines: list[Line] = [[Span(f"{counted(events, 'line')} of events rehearsed", "title")], *table(heads, rows, width, 2)]
    if any(one.waited for _, one in sums.values()):
        lines.append([Span("  waited: in a buffer at the end, and delivered by it", "quiet")])
    return lines


def _late(seconds: float) -> str:
    if 0 < seconds < 1:
        return f"{seconds * 1000:.0f} ms"
    return show_span(timedelta(seconds=seconds)) if seconds else "·"


def folder_lines(folder: str, files: Sequence[tuple[str, int]], width: int) -> list[Line]:
    """Return the files of the folder with their sizes; of many the first and the last."""
    shown = list(files) if len(files) <= _MOST or whole(width) else [*files[: _MOST // 2], *files[-_MOST // 2 :]]
    rows = [[span(path), span(show_size(size))] for path, size in shown]
    lines: list[Line] = [
        [span(f"{folder}: {counted(len(files), 'file')}, {show_size(sum(size for _, size in files))}", "title")]
    ]
    lines += table([Column("", least=24), Column("", right=True)], rows, width, 2)
    if len(shown) < len(files):
        lines.append([Span(f"  … {number(len(files) - _MOST)} more between them (--wide, --json)", "quiet")])
    return lines


def mapping_lines(mapping: Mapping[str, str], dialled: Mapping[str, str], width: int) -> list[Line]:
    """Return where the plan's paths and hosts were put instead."""
    rows = [
        [span(path), span(">", "quiet"), span(where)]
        for path, where in list(mapping.items())[: most(width, _MOST)]
        if not path.startswith("std")
    ]
    rows += [[span(host), span(">", "quiet"), span(where)] for host, where in dialled.items()]
    if not rows:
        return []
    more = (
        [[Span(f"  … and {number(len(mapping) - _MOST)} more (--wide, --json)", "quiet")]]
        if len(mapping) > _MOST and not whole(width)
        else []
    )
    return [
        [Span("In place of", "title")],
        *table([Column("", least=20), Column(""), Column("", least=20)], rows, width, 2),
        *more,
    ]


def verified_lines(differences: Sequence[str]) -> list[Line]:
    """Return whether simulation and rehearsal agree."""
    if not differences:
        return [[Span("verified: the folder agrees with the simulation, file by file and count by count", "good")]]
    return [[Span("the folder and the simulation differ", "bad")], *([Span("  - "), span(one)] for one in differences)]


def live(now: datetime, sums: Mapping[str, tuple[str, Sum]], waiting: Mapping[str, int]) -> Any:
    """Return a table that a terminal shows while a rehearsal is paced."""
    from rich.table import Table  # noqa: PLC0415  (on terminals only)
    from rich.text import Text  # noqa: PLC0415

    shown = Table(title=Text(f"{now:%a %d %b %Y %H:%M:%S}"), title_justify="left", box=None)
    for head in ("appender", "events", "groups", "waiting", "lost"):
        shown.add_column(Text(head, "bright_black"), justify="left" if head == "appender" else "right")
    for name, (_, one) in sums.items():
        cells = (name, number(one.delivered), number(one.groups), number(waiting[name]), number(sum(one.lost.values())))
        shown.add_row(*(Text(span(cell).text) for cell in cells))
    return shown
