"""The lines as each sink would show them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import zip_longest

from vetrina.core.base.wording import counted
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.routing.previewing import Layout, Piece, Shown, sink_words
from vetrina.views.screen import Column, Line, Span, columns, level_style, pad, safe, span, table

_FOLD = "↳ "


def heading(appender: Appender, total: int, kept: int, why: str) -> list[Line]:
    """Return the header of one appender: which sink, how many lines, and why these."""
    more = f", the first {kept} shown" if kept < total else ""
    return [
        [span(appender.name, "title"), span(f"  {sink_words(appender)}", "quiet")],
        [
            Span(f"{counted(total, 'delivery')}{more}"),
            span(f"  ({why})" if why else "", "quiet"),
        ],
    ]


def output_lines(shown: Shown, layout: Layout | None, width: int, *, wide: bool) -> list[Line]:
    """Return one output as lines: folded at the width unless ``wide``; control characters visible, levels coloured."""
    number = span(f"{shown.line:>6} ", "quiet")
    spans = _spans(shown, layout)
    rows = _broken(spans)
    lines: list[Line] = []
    for at, row in enumerate(rows):
        lead = number if not at else Span(" " * 7)
        folded = [row] if wide else _folded(row, max(20, width - 7))
        lines += [[lead if not turn else Span(" " * 7), *part] for turn, part in enumerate(folded)]
    return lines


def _spans(shown: Shown, layout: Layout | None) -> Line:
    output = shown.output
    if layout is not None:
        pieces = layout.pieces(shown.event, shown.number)
        if output.startswith("".join(piece.text for piece in pieces)):
            return [Span(piece.text, _style(piece, shown.severity)) for piece in pieces]
    return [Span(output.rstrip("\r\n"))]


def _style(piece: Piece, severity: int) -> str:
    if piece.source in {"level", "severity"}:
        return level_style(severity)
    return {"error": "grave", "time": "quiet"}.get(piece.source, "")


def _broken(spans: Line) -> list[Line]:
    """Return spans cut at line feeds, each part harmless."""
    rows: list[Line] = [[]]
    for one in spans:
        for at, part in enumerate(one.text.split("\n")):
            if at:
                rows.append([])
            if part:
                rows[-1].append(Span(safe(part.removesuffix("\r")), one.style))
    while len(rows) > 1 and not rows[-1]:
        rows.pop()
    return rows


def _folded(row: Line, width: int) -> list[Line]:
    lines: list[Line] = [[]]
    used = 0
    for one in row:
        text = one.text
        while text:
            room = width - used
            if columns(text) <= room:
                lines[-1].append(Span(text, one.style))
                used += columns(text)
                break
            kept = _fitting(text, room)
            if kept:
                lines[-1].append(Span(text[:kept], one.style))
            text = text[kept:]
            lines.append([Span(_FOLD, "quiet")])
            used = len(_FOLD)
    return lines


def _fitting(text: str, room: int) -> int:
    """Return how many characters of ``text`` fit into ``room`` columns."""
    used = 0
    for at, char in enumerate(text):
        used += columns(char)
        if used > room:
            return at
    return len(text)


def remark_lines(notes: Sequence[str]) -> list[Line]:
    """Return remarks on one output, indented below it."""
    return [[Span(" " * 7), Span("· ", "changed"), span(note, "changed")] for note in notes]


def side_by_side(
    pairs: Sequence[tuple[Shown | None, Shown | None]], names: tuple[str, str], plan: Plan, width: int
) -> list[Line]:
    """Return events in two appenders, one at the left, one at the right."""
    half = max(20, (width - 3) // 2)
    lines: list[Line] = [
        [span(pad(names[0], half), "title"), Span(" │ ", "quiet"), span(names[1], "title")],
        [
            span(pad(safe(sink_words(plan.appenders[names[0]]))[:half], half), "quiet"),
            Span(" │ ", "quiet"),
            span(sink_words(plan.appenders[names[1]])[:half], "quiet"),
        ],
    ]
    for left, right in pairs:
        lines.append([Span("─" * half + "─┼─" + "─" * half, "quiet")])
        for one, two in zip_longest(_cell(left, half), _cell(right, half), fillvalue=""):
            lines.append([Span(pad(one, half)), Span(" │ ", "quiet"), Span(two)])
    return lines


def _cell(shown: Shown | None, width: int) -> list[str]:
    if shown is None:
        return ["(does not arrive here)"]
    rows = _broken([Span(shown.output.rstrip("\r\n"))])
    return ["".join(part.text for part in line) for row in rows for line in (_folded(row, width) or [[]])]


def explain_lines(pieces: Sequence[Piece], width: int) -> list[Line]:
    """Return a template laid out: each piece, its source, its steps, what each gave for this event."""
    rows = []
    for piece in pieces:
        if not piece.source:
            rows.append([span("literal", "quiet"), span(_quoted(piece.text)), span("")])
            continue
        first, *steps = piece.steps
        rows.append([span(piece.written, "command"), span(piece.source), span(_quoted(first[1]))])
        rows += [[span(""), span(f"| {name}", "quiet"), span(_quoted(result))] for name, result in steps]
    return table([Column("piece", least=16), Column("source and steps", least=14), Column("gives", least=20)], rows, width)


def _quoted(text: str) -> str:
    return f'"{text}"' if text else "(empty)"
