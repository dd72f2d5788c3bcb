"""The statements of a program, for people: who says what, what never arrives, what was never seen."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.levels import Scale
from vetrina.core.base.wording import counted
from vetrina.core.survey.arriving import Arrival, Unspoken
from vetrina.core.survey.matching import Unexplained
from vetrina.core.survey.statements import Statement
from vetrina.views.screen import Column, Line, Span, level_style, most, number, safe, shorten, span, table, whole, wrapped

_SHOWN = 40
_FEW = 12
_WARN = 13


def head_lines(found: tuple[int, int, int, int], width: int) -> list[Line]:
    """Return what was read: files, lines, statements, and how many of them are not sure."""
    files, lines, statements, unsure = found
    text = f"{counted(statements, 'statement')} in {counted(files, 'file')}, {counted(lines, 'line')}"
    if unsure:
        text += f"; {number(unsure)} not sure (?): the logger or the level is worked out at run time, or comes from elsewhere"
    return wrapped(text, width, 2, "title")


def statement_lines(statements: Sequence[Statement], scale: Scale, width: int) -> list[Line]:
    """Return the statements, one a line."""
    shown = statements[: most(width, _SHOWN)]
    heads = [Column("where", least=18), Column("logger", least=14), Column("level"), Column("message", least=20)]
    rows = [[*_who(one, scale), span(_text(one, width))] for one in shown]
    return [*table(heads, rows, width, 2), *_more(len(statements) - len(shown), "statement", width)]


def _who(one: Statement, scale: Scale) -> list[Span]:
    return [span(f"{one.file}:{one.line}", "place"), span(one.logger + ("" if one.sure else " ?")), _level(one, scale)]


def _level(one: Statement, scale: Scale) -> Span:
    severity = scale.severity(one.level) if one.level is not None else None
    return span(one.level or "?", level_style(severity) if severity is not None else "raised")


def _text(one: Statement, width: int) -> str:
    text = safe(one.message) + (" (error)" if one.error else "")
    return text if whole(width) else shorten(text, max(24, width // 2))


def _more(count: int, noun: str, width: int) -> list[Line]:
    if count <= 0 or whole(width):
        return []
    return [[Span(f"  … and {counted(count, noun)} more (--wide, --json)", "quiet")]]


def by_logger_lines(
    statements: Sequence[Statement], arrivals: Sequence[Arrival] | None, seen: dict[int, int] | None, scale: Scale, width: int
) -> list[Line]:
    """Return the statements of each logger and level: how many, where they arrive, how many were seen."""
    rows: dict[tuple[str, int, str], list[int]] = {}
    places: dict[tuple[str, int, str], dict[str, None]] = {}
    for at, one in enumerate(statements):
        severity = scale.severity(one.level) if one.level is not None else None
        key = (one.logger if one.sure else f"{one.logger} ?", severity or 0, one.level or "?")
        sums = rows.setdefault(key, [0, 0, 0])
        sums[0] += 1
        sums[1] += bool(arrivals and arrivals[at].appenders)
        sums[2] += bool(seen and seen.get(at))
        places.setdefault(key, {}).update(dict.fromkeys(_place(arrivals[at]) if arrivals else ()))
    heads = [Column("logger", least=16), Column("level"), Column("statements", right=True)]
    heads += [Column("arrive", right=True), Column("in, or stopped at", least=16)] if arrivals is not None else []
    heads += [Column("seen", right=True)] if seen is not None else []
    cells = []
    for key, sums in sorted(rows.items()):
        row = [span(key[0]), span(key[2], level_style(key[1]) if key[1] else "raised"), span(number(sums[0]))]
        if arrivals is not None:
            row += [
                span(number(sums[1]), "" if sums[1] == sums[0] else "raised"),
                span(", ".join(places[key]), "" if sums[1] else "quiet"),
            ]
        if seen is not None:
            row.append(span(number(sums[2]), "" if sums[2] else "quiet"))
        cells.append(row)
    shown = cells[: most(width, _SHOWN)]
    lines: list[Line] = [[], [Span("Who says how much", "title")], *table(heads, shown, width, 2)]
    return [*lines, *_more(len(cells) - len(shown), "line", width)]


def _place(arrival: Arrival) -> Sequence[str]:
    return arrival.appenders or ([f"({arrival.stopped_at})"] if arrival.stopped_at else ["?"])


def lost_lines(statements: Sequence[Statement], arrivals: Sequence[Arrival], scale: Scale, width: int) -> list[Line]:
    """Return the statements that never arrive anywhere: warnings and worse one by one, the others counted."""
    lost = [
        (one, arrival)
        for one, arrival in zip(statements, arrivals, strict=True)
        if one.level is not None and not arrival.appenders
    ]
    if not lost:
        return [[], [Span("Every statement whose level is known arrives somewhere.", "good")]]
    grave = [pair for pair in lost if (scale.severity(pair[0].level) or 0) >= _WARN]
    lines: list[Line] = [
        [],
        [Span(f"Never arrives anywhere: {number(len(lost))} of {counted(len(statements), 'statement')}", "title")],
    ]
    if len(lost) > len(grave):
        gates: dict[str, dict[str, int]] = {}
        for one, arrival in lost:
            if (scale.severity(one.level) or 0) < _WARN:
                counts = gates.setdefault(str(arrival.stopped_at), {})
                counts[str(one.level)] = counts.get(str(one.level), 0) + 1
        words = [
            f"{', '.join(f'{number(count)} at {level}' for level, count in sorted(counts.items()))} (the gate {gate} stops them)"
            for gate, counts in sorted(gates.items())
        ]
        text = f"below warn: {'; '.join(words)}"
        lines += [[Span("  "), *line] for line in wrapped(text, width - 2, 2)]
    if grave:
        shown = grave[: most(width, _FEW)]
        heads = [
            Column("where", least=18),
            Column("logger", least=14),
            Column("level"),
            Column("stopped at"),
            Column("message", least=20),
        ]
        rows = [[*_who(one, scale), span(str(arrival.stopped_at), "bad"), span(_text(one, width))] for one, arrival in shown]
        lines += [*table(heads, rows, width, 2), *_more(len(grave) - len(shown), "statement", width)]
    return lines


def unspoken_lines(found: Sequence[Unspoken], width: int) -> list[Line]:
    """Return the loggers of a plan that no statement uses."""
    if not found:
        return [[], [Span("Every logger of the plan is used by a statement, itself or below it.", "good")]]
    lines: list[Line] = [[], [Span("Loggers of the plan that no statement uses", "title")]]
    for one in found[: most(width, _FEW)]:
        near = f"; the nearest that one does: {one.nearest}" if one.nearest else ""
        lines += [[Span("  - "), *line] for line in wrapped(safe(f"{one.logger}{near}"), width - 4)]
    return [*lines, *_more(len(found) - _FEW, "logger", width)]


def unseen_lines(statements: Sequence[Statement], seen: dict[int, int], scale: Scale, width: int) -> list[Line]:
    """Return the statements that no event shows."""
    never = [one for at, one in enumerate(statements) if not seen.get(at)]
    if not never:
        return [[], [Span("Every statement was seen in these events.", "good")]]
    shown = never[: most(width, _FEW)]
    heads = [Column("where", least=18), Column("logger", least=14), Column("level"), Column("message", least=20)]
    rows = [[*_who(one, scale), span(_text(one, width))] for one in shown]
    title = f"Never seen in these events: {number(len(never))} of {counted(len(statements), 'statement')}"
    return [[], [Span(title, "title")], *table(heads, rows, width, 2), *_more(len(never) - len(shown), "statement", width)]


def unexplained_lines(found: Sequence[Unexplained], scale: Scale, width: int) -> list[Line]:
    """Return the events that no statement explains."""
    if not found:
        return [[], [Span("Every event is explained by a statement.", "good")]]
    events = sum(one.events for one in found)
    lines: list[Line] = [[], [Span(f"No statement explains {counted(events, 'event')}", "title")]]
    shown = found[: most(width, _FEW)]
    heads = [Column("logger", least=16), Column("level"), Column("events", right=True), Column("message", least=24)]
    rows = [
        [
            span(one.logger),
            span(scale.name(one.severity), level_style(one.severity)),
            span(number(one.events)),
            span(safe(one.message) if whole(width) else shorten(safe(one.message), max(24, width // 2))),
        ]
        for one in shown
    ]
    return [*lines, *table(heads, rows, width, 2), *_more(len(found) - len(shown), "message", width)]
