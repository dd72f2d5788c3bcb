"""One event and every gate that it met."""

from __future__ import annotations

from vetrina.core.base.events import Event, compact_json, error_text, filled, has_error
from vetrina.core.base.levels import NAMES
from vetrina.core.base.quantities import show_size
from vetrina.core.base.wording import counted
from vetrina.core.changes.remedies import Other, Remedy
from vetrina.core.plan.model import Plan
from vetrina.core.routing.explaining import Explanation, GateAnswer, verdict_on
from vetrina.views.screen import Line, Span, columns, level_style, number, pad, safe, shorten, span, whole, wrapped

PASSED, STOPPED = "passes", "STOPS"


def way_lines(ways: list[Remedy], found: Explanation, plan: Plan, to: str | None, width: int) -> list[Line]:
    """Return the changes, the one that lets the least else in first; each was tried by routing the message with it."""
    if to is not None:
        heading, none = f"To let it through to {to}", f"It arrives in {to} already."
        if not any(appender == to for appender, _ in found.deliveries):
            none = f"No change of up to four edits was found that would let it through to {to}."
    else:
        heading, none = "To let it arrive once", "It arrives nowhere more than once."
        if any(len(group) > 1 for group in plan.at_one_place(appender for appender, _ in found.deliveries)):
            none = "No change of up to four edits was found after which it arrives once."
    if not ways:
        return [[], [Span(none, "changed")]]
    lines: list[Line] = [[], [span(heading, "title"), Span("  (each was tried: with it, the message goes as wanted)", "quiet")]]
    for turn, one in enumerate(ways, start=1):
        words = safe("; then ".join(edit.words for edit in one.edits))
        lines.append([])
        for at, part in enumerate(wrapped(words[0].upper() + words[1:], width - 4)):
            lines.append([Span(f"{turn:>2}. " if not at else "    "), *part])
        lines.append([Span("    "), span(" ".join(str(edit) for edit in one.edits), "command")])
        lines += [[Span("      "), span(text, "good" if text.startswith("+") else "bad")] for text in one.lines]
        for at, part in enumerate(wrapped(safe(_cost(one, plan, wide=whole(width))), width - 6, 0, "quiet")):
            lines.append([Span("      " if at else "    "), *part])
    return lines


_NAMED = 6


def _cost(one: Remedy, plan: Plan, *, wide: bool) -> str:
    """Return what else a change opens, by logger and level; all of it with ``wide``."""
    if one.sampled:
        if not one.others:
            return f"opens nothing else (of {number(one.sampled)} pairs of logger and level that were tried)"
        return f"also changes the way of {_others(one, plan, wide=wide)}"
    if not one.sinks:
        return "changes nothing for the given events"
    parts = [
        f"{name} {'+' if events >= 0 else '-'}{counted(abs(events), 'event')}, {'+' if size >= 0 else '-'}{show_size(abs(size))}"
        for name, (events, size) in one.sinks.items()
    ]
    return f"for the given events: {'; '.join(parts)}. From {_others(one, plan, wide=wide)}"


def _others(one: Remedy, plan: Plan, *, wide: bool) -> str:
    """Return loggers with their levels, neighbouring levels that were tried as a range."""
    loggers: dict[str, list[Other]] = {}
    for other in one.others:
        loggers.setdefault(other.logger, []).append(other)
    said = []
    for logger, found in loggers.items():
        if found[0].events is not None:
            said.append(f"{logger} ({', '.join(f'{plan.scale.name(other.severity)} {other.events:+}' for other in found)})")
        else:
            said.append(f"{logger} at {_levels([other.severity for other in found], plan)}")
    kept = said if wide else said[:_NAMED]
    more = len(said) - len(kept)
    return ", ".join(kept) + (f" and {counted(more, 'more logger')} (--wide, --json)" if more else "")


def _levels(severities: list[int], plan: Plan) -> str:
    tried = sorted({*NAMES.values(), *severities})
    runs: list[list[int]] = []
    for severity in severities:
        if runs and tried.index(severity) == tried.index(runs[-1][-1]) + 1:
            runs[-1].append(severity)
        else:
            runs.append([severity])
    name = plan.scale.name
    return ", ".join(name(run[0]) if len(run) == 1 else f"{name(run[0])}..{name(run[-1])}" for run in runs)


def answer_lines(
    found: Explanation, event: Event, plan: Plan, width: int, ways: list[Remedy] | None, to: str | None
) -> list[Line]:
    """Return the verdict with every gate, and the changes where they were asked for."""
    lines = why_lines(found, event, plan, width, to)
    return lines if ways is None else [*lines, *way_lines(ways, found, plan, to, width)]


def why_lines(found: Explanation, event: Event, plan: Plan, width: int, to: str | None = None) -> list[Line]:
    """Return the verdict first (that about ``to`` before the others), then every gate in order."""
    text = safe(filled(event))
    message = (text if whole(width) else shorten(text, max(20, width - 30))) or "(no message)"
    lines: list[Line] = [
        [
            span(plan.scale.name(found.severity), level_style(found.severity)),
            span(f"  {found.logger}", "title"),
            Span(f"  {message}"),
        ],
        *_carried(event, width),
        [],
    ]
    if to is not None:
        arrives = any(appender == to for appender, _ in found.deliveries)
        lines += wrapped(safe(f"It {verdict_on(found, to)}."), width, 0, "good" if arrives else "bad")
        lines.append([])
    if to is None or found.stopped_at is None:
        style = "good" if found.deliveries else "bad"
        lines += wrapped(safe(found.verdict[0].upper() + found.verdict[1:] + "."), width, 0, style if to is None else "quiet")
        lines.append([])
    early = [step for step in found.steps if step.appender is None]
    lines += _gates(early, width, 0)
    lanes: dict[tuple[str, str, int], list[GateAnswer]] = {}
    turn = -1
    for step in found.steps:
        if step.appender is None:
            continue
        if step.gate == "attachment":
            turn += 1
        lanes.setdefault((step.appender, step.via or "", turn), []).append(step)
    for (appender, via, _), steps in lanes.items():
        arrived = steps[-1].passed
        sink = plan.appenders[appender].sink
        lines += [
            [],
            [
                span(f"to {appender}", "title"),
                span(f"  {sink.title}, attached at {via}: ", "quiet"),
                Span("arrives" if arrived else "does not arrive", "good" if arrived else "bad"),
            ],
        ]
        lines += _gates(steps, width, 2)
    return lines


def _carried(event: Event, width: int) -> list[Line]:
    """Return the channel, the fields and the error that the event carries, as rules may look at them."""
    parts = [f"came by the channel {event.channel}"] if event.channel else []
    parts += [f"fields {compact_json(event.fields)}"] if event.fields else []
    parts += [f"error {error_text(event)}"] if has_error(event) else []
    return [[Span("  "), span(part if whole(width) else shorten(safe(part), width - 2), "quiet")] for part in parts]


def _gates(steps: list[GateAnswer], width: int, indent: int) -> list[Line]:
    lines: list[Line] = []
    for together in _joined(steps):
        step = together[0]
        text = safe("; ".join(one.compared for one in together))
        if len(together) == 1:
            lines += _gate_lines(step.gate, step.passed, text, safe(step.origin.brief()) if step.origin else "", width, indent)
        else:
            lines += _gate_lines(f"{step.gate} … {together[-1].gate}", True, text, "", width, indent)
    return lines


def _joined(steps: list[GateAnswer]) -> list[list[GateAnswer]]:
    """Return the gates in order, neighbours at which nothing is set in one group."""
    groups: list[list[GateAnswer]] = []
    for step in steps:
        if groups and _unset(step) and _unset(groups[-1][-1]):
            groups[-1].append(step)
        else:
            groups.append([step])
    return groups


def _unset(step: GateAnswer) -> bool:
    return step.passed and step.compared in {"enabled", "no floor", "no ceiling", "no rules"}


def _gate_lines(gate: str, passed: bool, text: str, brief: str, width: int, indent: int) -> list[Line]:  # noqa: FBT001
    used = indent + 28
    lead: Line = [
        Span(" " * indent),
        span(pad(gate, 20), "quiet"),
        Span(pad(PASSED if passed else STOPPED, 8), "good" if passed else "bad"),
    ]
    room = max(20, width - used)
    if brief and columns(text) + columns(brief) + 2 <= room:
        return [[*lead, Span(text), Span(f"  {brief}", "place")]]
    parts = wrapped(text, room)
    lines: list[Line] = [[*lead, *parts[0]], *([Span(" " * used), *part] for part in parts[1:])]
    if brief:
        lines.append([Span(" " * used), Span(brief, "place")])
    return lines
