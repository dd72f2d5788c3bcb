"""Which events reach which appender: the matrix, what the gates stopped, what went nowhere."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.levels import Scale
from vetrina.core.base.quantities import show_size
from vetrina.core.base.wording import counted
from vetrina.core.config.edits import step
from vetrina.core.plan.model import Plan
from vetrina.core.routing.cache import FURTHER, MOST_COUNTED, MOST_ROWS
from vetrina.core.routing.counting import Cell, Traffic, appender_sinks, by_channel
from vetrina.core.routing.grouping import Group
from vetrina.core.routing.router import EARLY_GATES, GATES, Route
from vetrina.views.screen import Column, Line, Span, distinct, level_style, most, number, safe, span, table, whole, wrapped

_LANE_GATES = GATES[len(EARLY_GATES) :]
WARN = 13
MOST_SHOWN = 40


def each_line(line: int, logger: str, severity: int, scale: Scale, route: Route) -> Line:
    """Return one event of `routes --each` for people."""
    spans: Line = [
        span(f"{line:>7}  ", "quiet"),
        span(f"{scale.name(severity):<8}", level_style(severity)),
        span(f" {logger}  "),
    ]
    if route.stopped_at:
        return [*spans, span(f"stopped at {route.stopped_at}", "bad")]
    reached = ", ".join(one.appender for one in route.deliveries) or "no appender"
    spans.append(span(f"-> {reached}", "good" if route.deliveries else "bad"))
    stops = ", ".join(f"{one.appender} at {one.gate}" for one in route.stops)
    return [*spans, span(f"  (stopped: {stops})", "quiet")] if stops else spans


def route_lines(traffic: Traffic, plan: Plan, unreadable: int, width: int) -> list[Line]:
    """Return sums, appenders and the matrix."""
    lines = _sums(traffic, unreadable)
    lines += [[], [Span("Where they arrive", "title")], *_appenders(traffic, plan, width)]
    lines += [[], [Span("Who sends what where", "title")], *_matrix(traffic, plan, width)]
    lines += _channels(traffic, plan, width)
    lines += _lost(traffic, plan, width)
    return lines


def _sums(traffic: Traffic, unreadable: int) -> list[Line]:
    arrived = traffic.events - traffic.unrouted
    head: Line = [Span(counted(traffic.events, "event"), "title"), Span(f": {number(arrived)} arrive somewhere, ")]
    head.append(Span(f"{number(traffic.unrouted)} arrive nowhere", "bad" if traffic.unrouted else ""))
    lines: list[Line] = [head]
    stops = [f"{number(count)} at {gate}" for gate, count in traffic.stopped.items() if count]
    if stops:
        lines.append([Span("stopped before any appender: " + ", ".join(stops))])
    if traffic.unfilled:
        lines.append([Span(f"{counted(traffic.unfilled, 'hole')} in messages had no field to fill them")])
    if unreadable:
        lines.append([Span(f"{counted(unreadable, 'line')} could not be read (shown on standard error)", "bad")])
    return lines


def _appenders(traffic: Traffic, plan: Plan, width: int) -> list[Line]:
    sinks = appender_sinks(plan)
    heads = [
        Column("appender", least=10),
        Column("events", right=True),
        Column("bytes", right=True),
        Column("stopped on the way", least=18),
        Column("sink", least=12),
    ]
    rows = []
    for name, one in traffic.appenders.items():
        stops = ", ".join(f"{number(one.stopped[gate])} at {gate}" for gate in _LANE_GATES if gate in one.stopped)
        size = show_size(one.bytes) if traffic.bytes_known else "not asked"
        rows.append([
            span(name),
            span(number(one.reached), "" if one.reached else "bad"),
            span(size),
            span(stops or "·", "" if stops else "quiet"),
            span(sinks[name]),
        ])  # fmt: skip
    return table(heads, rows, width, 2)


def _matrix(traffic: Traffic, plan: Plan, width: int) -> list[Line]:
    """Return loggers with their levels down, appenders across; a dot where nothing arrives."""
    names = [name for name, one in traffic.appenders.items() if one.reached]
    room = max(1, (width - 44) // 10) if not whole(width) else max(1, len(names))
    lines: list[Line] = []
    for start in range(0, max(1, len(names)), room):
        part = names[start : start + room]
        heads = [Column("logger", least=16), Column("level"), Column("events", right=True)]
        heads += [Column(name, right=True) for name in (part if whole(width) else distinct(part, 16))]
        rows: list[Sequence[Span]] = []
        before = ""
        for cell in traffic.cells.values():
            if start and not any(name in cell.reached for name in part):
                continue
            rows.append(_matrix_row(cell, part, plan.scale, first=cell.logger != before))
            before = cell.logger
        if lines:
            lines.append([])
        lines += table(heads, rows, width, 2)
    return [*lines, *further_lines(traffic.further, width)]


def further_lines(further: int, width: int) -> list[Line]:
    """Return how many loggers share rows, where any do."""
    if not further:
        return []
    many = f"more than {number(MOST_COUNTED)}" if further > MOST_COUNTED else number(further)
    text = f"the first {number(MOST_ROWS)} loggers by name have rows of their own; {many} more share the rows of {FURTHER}"
    return [[Span("  "), *line] for line in wrapped(text, width - 2, 0, "raised")]


def _matrix_row(cell: Cell, names: list[str], scale: Scale, *, first: bool) -> list[Span]:
    row = [
        span(cell.logger if first else ""),
        span(scale.name(cell.severity), level_style(cell.severity)),
        span(number(cell.events)),
    ]
    for name in names:
        count = cell.reached.get(name, 0)
        style = "raised" if count > cell.events else "" if count else "quiet"
        row.append(span(number(count) if count else "·", style))
    return row


def _channels(traffic: Traffic, plan: Plan, width: int) -> list[Line]:
    """Return what came by each channel, and what of it went round the configuration."""
    found = by_channel(traffic)
    if not found:
        return []
    heads = [
        Column("channel", least=12),
        Column("events", right=True),
        Column("go round", right=True),
        Column("count as", least=24),
    ]
    rows = [
        [
            span(name or "(further channels)"),
            span(number(one.events)),
            span(number(one.round) if one.round else "·", "raised" if one.round else "quiet"),
            span(_counts_as(plan, name), "" if one.round < one.events else "quiet"),
        ]
        for name, one in found[: most(width, MOST_SHOWN)]
    ]
    lines: list[Line] = [[], [Span("What came by a channel", "title")], *table(heads, rows, width, 2)]
    if len(found) > MOST_SHOWN and not whole(width):
        lines.append([Span(f"  … and {counted(len(found) - MOST_SHOWN, 'channel')} more (--wide, --json)", "quiet")])
    first = next((name for name, one in found if one.round and name), None)
    if first is not None:
        text = (
            f"what bringing one in would change: vetrina whatif {plan.name} EVENTS --set 'channels{step(first)}.enabled=true'"
        )
        lines += [[Span("  "), *line] for line in wrapped(safe(text), width - 2, 2, "quiet")]
    return lines


def _counts_as(plan: Plan, name: str) -> str:
    channel = plan.channels.get(name)
    if channel is None:
        return "nothing: the plan does not name it"
    if not channel.enabled.value:
        return "nothing: it is switched off"
    logger = str(channel.logger) if channel.logger is not None else "its own logger"
    return f"{logger} at {plan.scale.name(channel.level.value) if channel.level is not None else 'its own level'}"


def _lost(traffic: Traffic, plan: Plan, width: int) -> list[Line]:
    """Return what a reader should notice: more arrivals than events, and what arrives nowhere."""
    twice: dict[str, list[str]] = {}
    for cell in traffic.cells.values():
        for group in plan.at_one_place(cell.reached):
            name = group[0] if len(group) == 1 else f"{plan.appenders[group[0]].where} ({' and '.join(group)})"
            if sum(cell.reached[one] for one in group) > cell.events and cell.logger not in twice.setdefault(name, []):
                twice[name].append(cell.logger)
    grave = [cell for cell in traffic.cells.values() if not cell.reached and cell.severity >= WARN]
    silent = [name for name, one in traffic.appenders.items() if not one.reached]
    notes = [f"every message arrives more than once in {name}: {_some(who, width)}" for name, who in twice.items() if who]
    if grave:
        who = _some([f"{cell.logger} ({number(cell.events)} at {plan.scale.name(cell.severity)})" for cell in grave], width)
        notes.append(f"warnings or worse that arrive nowhere: {who}")
    if silent:
        notes.append(f"nothing reached: {_some(silent, width)}")
    if not notes:
        return []
    return [[], [Span("Worth a look", "title")], *(line for note in notes for line in _note(note, width))]


def _note(note: str, width: int) -> list[Line]:
    parts = wrapped(safe(note), width - 4)
    return [[Span("    " if at else "  - "), *part] for at, part in enumerate(parts)]


def _some(names: Sequence[str], width: int) -> str:
    """Return the first few names, and how many more there are."""
    shown = names[: most(width, 6)]
    more = f" and {len(names) - len(shown)} more" if len(names) > len(shown) else ""
    return ", ".join(shown) + more


def group_lines(groups: Sequence[Group], name: str, total: int, plan: Plan, width: int) -> list[Line]:
    """Return a table of the field's values, the most frequent first."""
    names = [one for one in plan.appenders if any(one in group.reached for group in groups)]
    heads = [Column(name, least=12), Column("events", right=True), Column("nowhere", right=True)]
    heads += [Column(one, right=True) for one in (names if whole(width) else distinct(names, 16))]
    rows = [
        [
            span(group.value),
            span(number(group.events)),
            span(number(group.unrouted) if group.unrouted else "·", "bad" if group.unrouted else "quiet"),
        ]
        + [
            span(number(group.reached[one]) if one in group.reached else "·", "" if one in group.reached else "quiet")
            for one in names
        ]
        for group in groups[: most(width, MOST_SHOWN)]
    ]
    lines: list[Line] = [
        [Span(counted(total, "event"), "title"), span(f" by the field {name}: {counted(len(groups), 'value')}")],
        [],
    ]
    lines += table(heads, rows, width, 2)
    if len(groups) > MOST_SHOWN and not whole(width):
        lines.append([Span(f"  … and {counted(len(groups) - MOST_SHOWN, 'value')} more (--wide, --json)", "quiet")])
    return lines
