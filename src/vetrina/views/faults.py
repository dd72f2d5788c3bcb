"""Faults for people: place, what, why, what to do."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.faults import Fault
from vetrina.views.screen import Line, Span, span

MOST = 50


def fault_lines(faults: Sequence[Fault], word: str = "fault", style: str = "bad", most: int | None = MOST) -> list[Line]:
    """Return faults as lines: `file:line:column: fault: what`, then why and fix, indented; at most so many."""
    lines: list[Line] = []
    for fault in faults[:most]:
        where = str(fault.place) if fault.place else fault.where
        head: Line = [span(where, "place"), Span(": ")] if where else []
        lines.append([*head, Span(f"{word}: ", style), span(fault.what)])
        if fault.why:
            lines.append([Span("  why: ", "quiet"), span(fault.why)])
        lines += [[Span("  see: ", "quiet"), span(place, "place"), span(f" ({words})")] for place, words in fault.related]
        if fault.fix:
            lines.append([Span("  fix: ", "quiet"), span(fault.fix)])
    if most is not None and len(faults) > most:
        lines.append([Span(f"… and {len(faults) - most} more faults", "quiet")])
    return lines
