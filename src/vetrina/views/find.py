"""What was found, line by line: events for people, columns, a template of one's own."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from datetime import tzinfo

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.base.events import Event, error_text, filled
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.memo import Memo
from vetrina.core.base.wording import counted
from vetrina.core.finding.entry import Entry
from vetrina.views.screen import Line, Span, columns, level_style, pad, safe, shorten, span

_PATTERN = "%Y-%m-%d %H:%M:%S.%3f"
_HIT, _NEAR = "▌ ", "  "
_BREAK = re.compile(r"\r\n|\n|\r")
_WIDEST_PLACE = 28


class Look(Struct, frozen=True):
    """How events are shown.

    ``found`` are the expressions whose matches are marked in messages; ``stacks`` shows errors whole; ``marks`` tells hits
    from what stands near them. ``sources`` may become more.
    """

    sources: list[str]
    scale: Scale
    zone: tzinfo
    found: tuple[Expression, ...] = ()
    stacks: bool = False
    marks: bool = False


class EventLines:
    """Shows entries as lines."""

    def __init__(self, look: Look) -> None:
        self._look = look
        self._severities = Severities(look.scale)
        self._time = clocks.by_pattern(_PATTERN, look.zone)
        self._names: Memo[int, str] = Memo(lambda at: safe(shorten(look.sources[at], _WIDEST_PLACE)))
        several = len(look.sources) > 1
        self._wide = max(columns(self._names[at]) for at in range(len(look.sources))) if several else 0

    def lines(self, entry: Entry) -> list[Line]:
        """Return the lines of one entry."""
        event = entry.event
        severity = self._severities[event.level]
        style = "" if entry.hit else "quiet"
        level = self._look.scale.name(severity)
        head: Line = [
            *([Span(_HIT if entry.hit else _NEAR, "changed")] if self._look.marks else []),
            Span(self._place(entry), "quiet"),
            Span(f"  {self._time(event.time)}  ", "quiet"),
            span(f"{level:<8}", level_style(severity) if entry.hit else "quiet"),
            span(f"  {tree_name(event.logger)}  ", style or "place"),
            *self._marked(filled(event), style),
        ]
        if event.count is not None and event.count > 1:
            head.append(Span(f"  (stands for {event.count})", "quiet"))
        lead = Span(_NEAR if self._look.marks else "")
        return [head, *([lead, Span("    "), one] for one in self._error(event, "quiet" if style else "grave"))]

    def _place(self, entry: Entry) -> str:
        if not self._wide and not entry.source:
            return f"{entry.line:>6}"
        return pad(f"{self._names[entry.source]}:{entry.line}", self._wide + 7)

    def _marked(self, text: str, style: str) -> list[Span]:
        """Return a message with what was looked for in it marked."""
        for one in self._look.found:
            match = one.search(text)
            if match is not None and match.end() > match.start():
                begun, ended = match.start(), match.end()
                parts = [(text[:begun], style), (text[begun:ended], "found"), (text[ended:], style)]
                return [span(part, look) for part, look in parts if part]
        return [span(text, style)]

    def _error(self, event: Event, style: str) -> list[Span]:
        text = error_text(event)
        if not text:
            return []
        rows = _BREAK.split(text)
        if self._look.stacks or len(rows) < 4:
            return [span(row, style) for row in rows]
        return [
            span(rows[0], style),
            Span(f"… {counted(len(rows) - 2, 'line')} (--stacks shows them)", "quiet"),
            span(rows[-1], style),
        ]


Cells = Callable[[Event, int], Sequence[str]]


def tabbed(cells: Sequence[str]) -> str:
    """Return the cells of a row as a line with tabs between them."""
    return "\t".join(safe(one) for one in cells) + "\n"


class Aligned:
    """Rows of cells, aligned by the widest of the first rows; later ones that are wider push what follows."""

    def __init__(self, heads: Sequence[str]) -> None:
        self._heads = heads
        self._widths: list[int] = []

    def first(self, rows: Sequence[Sequence[str]]) -> list[Line]:
        """Return the heading and the first rows."""
        cells = [[safe(one) for one in row] for row in (self._heads, *rows)]
        self._widths = [min(60, max(columns(row[at]) for row in cells)) for at in range(len(self._heads))]
        head, *others = cells
        return [[Span("  ".join(self._padded(head)), "quiet")], *(self.row(row) for row in others)]

    def row(self, cells: Sequence[str]) -> Line:
        """Return one more row."""
        return [Span("  ".join(self._padded([safe(one) for one in cells])).rstrip(" "))]

    def _padded(self, cells: Sequence[str]) -> list[str]:
        return [pad(one, width) for one, width in zip(cells, self._widths, strict=True)]
