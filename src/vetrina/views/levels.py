"""The tree of loggers: set and effective levels, where each comes from, where each delivers."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.levels import Scale
from vetrina.core.base.wording import counted
from vetrina.core.plan.model import Plan
from vetrina.core.routing.level_rows import LevelRow
from vetrina.views.screen import Column, Line, Span, level_style, pad, safe, span, table, wrapped


def level_lines(rows: Sequence[LevelRow], plan: Plan, width: int) -> list[Line]:
    """Return the tree as a table."""
    scale = plan.scale
    heads = [
        Column("logger", least=14),
        Column("set"),
        Column("in force"),
        Column("level comes from", least=18),
        Column("delivers to", least=16),
    ]
    cells = [
        [
            span("  " * row.depth + row.logger, "" if row.enabled else "quiet"),
            _set_cell(row, scale),
            span(scale.name(row.effective), level_style(row.effective)),
            from_cell(row),
            to_cell(row),
        ]
        for row in rows
    ]
    if any(row.changed for row in rows):
        heads.insert(3, Column("before"))
        for row, line in zip(rows, cells, strict=True):
            line.insert(3, span(row.changed or "·", "changed" if row.changed else "quiet"))
    lines = table(heads, cells, width)
    return lines + _remarks(rows, width)


def _set_cell(row: LevelRow, scale: Scale) -> Span:
    if not row.enabled:
        return span("(off duty)", "quiet")
    return span("·" if row.set_level is None else scale.name(row.set_level), "" if row.set_level is not None else "quiet")


def from_cell(row: LevelRow) -> Span:
    """Return where a level comes from: the logger that it is inherited from, and the place."""
    brief = row.origin.brief()
    where = f"{row.inherited_from}, {brief}" if row.inherited_from else brief
    if row.changed:
        return span(where, "changed")
    return span(where, "quiet" if row.inherited_from else "")


def to_cell(row: LevelRow) -> Span:
    """Return where a logger delivers: the appenders that something can reach, the others in brackets."""
    if not row.delivers:
        return span("nowhere", "bad")
    open_, shut = _open_and_shut(row)
    text = ", ".join(
        [*(name if count == 1 else f"{name} ×{count}" for name, count in open_.items()), *(f"({name})" for name in shut)]
    )
    stop = "" if row.climb else "  (climbs no further)"
    return span(text + stop, "raised" if any(count > 1 for count in open_.values()) else "" if open_ else "bad")


def _open_and_shut(row: LevelRow) -> tuple[dict[str, int], dict[str, str]]:
    """Return the appenders that something can reach, with how often they are met, and the others with the reason."""
    open_: dict[str, int] = {}
    shut: dict[str, str] = {}
    for name, why in zip(row.delivers, row.closed or [""] * len(row.delivers), strict=True):
        if why:
            shut.setdefault(name, why)
        else:
            open_[name] = open_.get(name, 0) + 1
    return open_, {name: why for name, why in shut.items() if name not in open_}


def _remarks(rows: Sequence[LevelRow], width: int) -> list[Line]:
    lines: list[Line] = []
    folded = [row for row in rows if row.folded]
    if any(not row.enabled for row in rows):
        lines.append([Span("(off duty): enabled is false, so the entry counts as if it were not there.", "quiet")])
    reasons: dict[tuple[str, str], list[str]] = {}
    for row in rows:
        for name, why in _open_and_shut(row)[1].items():
            reasons.setdefault((name, why), []).append(row.logger)
    for (name, why), loggers in reasons.items():
        text = f"({name}): attached, but nothing can pass there from {', '.join(loggers)}: {why}."
        lines += wrapped(safe(text), width, 2, "bad")
    if any(count > 1 for row in rows for count in _open_and_shut(row)[0].values()):
        lines.append([Span("×2: one message arrives there twice, from the logger and from an ancestor.", "quiet")])
    if folded:
        total = sum(row.folded for row in folded)
        lines.append(
            [
                Span(
                    f"{counted(total, 'more logger')} {'is' if total == 1 else 'are'} folded below these (--depth, --under).",
                    "quiet",
                )
            ]
        )
    return [[], *lines] if lines else []


def title_lines(plan: Plan, shown: int, total: int, asked: str) -> list[Line]:
    """Return the heading: which plan, under which stages and options, and how many loggers."""
    name = safe(plan.title or plan.name)
    head: Line = [Span(name, "title")]
    if plan.title:
        head.append(span(f"  {plan.name}", "quiet"))
    if asked:
        head.append(span(f"  {asked}", "changed"))
    count = f"{shown} of {counted(total, 'logger')}" if shown != total else counted(total, "logger")
    return [head, [Span(pad(count, 0), "quiet")], []]
