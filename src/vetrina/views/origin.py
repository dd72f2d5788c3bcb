"""The history of a value, and what nobody uses."""

from __future__ import annotations

from vetrina.core.base.wording import counted
from vetrina.core.config.accounts import SourceAccount, Unused
from vetrina.core.config.history import History, Saying
from vetrina.core.config.placeholders import Use
from vetrina.views.screen import Column, Line, Span, safe, span, table, wrapped

_KINDS = {"file": "plan", "stage": "stage", "layer": "layer file", "option": "option"}


def history_lines(found: History, width: int) -> list[Line]:
    """Return a value's history, oldest first, and what holds now."""
    lines: list[Line] = [[span(found.path, "title")], []]
    if found.sayings:
        rows = [_row(saying) for saying in found.sayings]
        lines += table([Column(""), Column("says", least=16), Column("at"), Column("which is")], rows, width, 2)
        lines.append([])
    if found.now:
        lines.append([Span("holds now: "), span(found.now, "good")])
    if found.remark:
        lines += wrapped(safe(found.remark[0].upper() + found.remark[1:] + "."), width, 0, "changed")
    for use in found.uses:
        lines += _use_lines(use, 1)
    return lines


def _row(saying: Saying) -> list[Span]:
    kind = _KINDS[saying.layer.kind]
    who = kind if saying.layer.kind == "file" else saying.layer.label if kind == "option" else f"{kind} {saying.layer.label}"
    style = "good" if saying.fate == "in force" else "quiet" if "overruled" in saying.fate else "changed"
    place = saying.place
    where = f"{place.file}:{place.line}:{place.column}" if place else "the call"
    return [span(who), span(saying.text, style), span(where, "place"), span(saying.fate, style)]


def _use_lines(use: Use, depth: int) -> list[Line]:
    where = f"{use.where}, {use.place}" if use.place else use.where
    hidden = "  (hidden: its name looks like a credential's)" if use.secret else ""
    line: Line = [
        Span("  " * depth),
        span(f"${{{use.name}}}"),
        span(" is "),
        span(use.text or "(empty)", "good"),
        span(f"  from {where}{hidden}", "quiet"),
    ]
    return [line, *(part for inner in use.inner for part in _use_lines(inner, depth + 1))]


def unused_lines(accounts: list[SourceAccount], nothing: list[Unused], width: int) -> list[Line]:
    """Return the account of sources, then what nothing uses."""
    rows = [
        [
            span(one.kind),
            span(one.name),
            span(one.set_values),
            span(one.in_force, "" if one.in_force else "bad"),
            span(one.remark, "changed"),
        ]
        for one in accounts
    ]
    heads = [
        Column("read"),
        Column("", least=12),
        Column("values set", right=True),
        Column("in force", right=True),
        Column("", least=20),
    ]
    lines: list[Line] = [[Span("What was read", "title")], *table(heads, rows, width, 2), []]
    if not nothing:
        return [*lines, [Span("Everything that is said is used.", "good")]]
    lines.append([Span(f"What nothing uses: {counted(len(nothing), 'entry').replace('entrys', 'entries')}", "title")])
    for one in nothing:
        where: Line = [span(str(one.place), "place"), Span(": ")] if one.place else []
        lines.append([Span("  "), *where, span(f"{one.kind} "), span(one.name, "raised")])
        if one.remark:
            lines += [[Span("      "), *part] for part in wrapped(safe(one.remark), max(30, width - 6))]
    return lines
