"""One event and every gate that it met."""

from __future__ import annotations

from typing import Any

from vetrina.core.changes.remedies import Remedy
from vetrina.core.events import Event, filled
from vetrina.core.explaining import Explanation, Step
from vetrina.core.plan import Plan
from vetrina.core.quantities import show_size
from vetrina.views.levels import origin_json
from vetrina.views.screen import Line, Span, columns, level_style, pad, safe, shorten, span, wrapped

PASSED, STOPPED = "passes", "STOPS"


def as_json(found: Explanation, event: Event, plan: Plan, ways: list[Remedy] | None = None) -> dict[str, Any]:
    """Return the document of `why --json`; ``ways`` are the changes that --to or --twice asked for."""
    asked: dict[str, Any] = {} if ways is None else {"ways": [_way_json(one) for one in ways]}
    return {
        **asked,
        "logger": found.logger,
        "level": plan.scale.name(found.severity),
        "severity": found.severity,
        "message": filled(event),
        "verdict": found.verdict,
        "stopped_at": found.stopped_at,
        "deliveries": [{"appender": appender, "via": via} for appender, via in found.deliveries],
        "gates": [
            {
                "gate": step.gate,
                "passed": step.passed,
                "compared": step.compared,
                "appender": step.appender,
                "via": step.via,
                "origin": origin_json(step.origin) if step.origin else None,
            }
            for step in found.steps
        ],
    }


def _way_json(one: Remedy) -> dict[str, Any]:
    return {
        "edits": [str(edit) for edit in one.edits],
        "words": [edit.words for edit in one.edits],
        "changed_lines": list(one.lines),
        "opened": one.opened,
        "sampled": one.sampled,
        "sinks": {name: {"events": events, "bytes": size} for name, (events, size) in one.sinks.items()},
    }


def way_lines(ways: list[Remedy], found: Explanation, to: str | None, width: int) -> list[Line]:
    """Return the changes, the one that lets the least else in first; each was tried by routing the message with it."""
    if to is not None:
        heading, none = f"To let it through to {to}", f"It arrives in {to} already."
        if not any(appender == to for appender, _ in found.deliveries):
            none = f"No change of up to four edits was found that would let it through to {to}."
    else:
        heading, none = "To let it arrive once", "It arrives nowhere more than once."
        if len(found.deliveries) != len({appender for appender, _ in found.deliveries}):
            none = "No change of up to four edits was found after which it arrives once."
    if not ways:
        return [[], [Span(none, "changed")]]
    lines: list[Line] = [[], [span(heading, "title"), Span("  (each was tried: with it, the message goes as wanted)", "quiet")]]
    for number, one in enumerate(ways, start=1):
        words = safe("; then ".join(edit.words for edit in one.edits))
        lines.append([])
        for at, part in enumerate(wrapped(words[0].upper() + words[1:], width - 4)):
            lines.append([Span(f"{number:>2}. " if not at else "    "), *part])
        lines.append([Span("    "), span(" ".join(str(edit) for edit in one.edits), "command")])
        lines += [[Span("      "), span(text, "good" if text.startswith("+") else "bad")] for text in one.lines]
        lines.append([Span("    "), Span(_cost(one), "quiet")])
    return lines


def _cost(one: Remedy) -> str:
    if one.sampled:
        return f"changes the way of {one.opened} of {one.sampled} pairs of logger and level that were tried"
    if not one.sinks:
        return "changes nothing else for the given events"
    parts = [
        f"{name} {events:+,} events, {'+' if size >= 0 else '-'}{show_size(abs(size))}"
        for name, (events, size) in one.sinks.items()
    ]
    return "for the given events: " + "; ".join(parts)


def why_lines(found: Explanation, event: Event, plan: Plan, width: int) -> list[Line]:
    """Return the verdict first, then every gate in order."""
    message = shorten(safe(filled(event)), max(20, width - 30)) or "(no message)"
    lines: list[Line] = [
        [
            span(plan.scale.name(found.severity), level_style(found.severity)),
            span(f"  {found.logger}", "title"),
            Span(f"  {message}"),
        ],
        [],
    ]
    style = "good" if found.deliveries else "bad"
    lines += wrapped(safe(found.verdict[0].upper() + found.verdict[1:] + "."), width, 0, style)
    lines.append([])
    early = [step for step in found.steps if step.appender is None]
    lines += _gates(early, width, 0)
    lanes: dict[tuple[str, str, int], list[Step]] = {}
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
                span(f"  {sink.kind} {sink.label}, attached at {via}: ", "quiet"),
                Span("arrives" if arrived else "does not arrive", "good" if arrived else "bad"),
            ],
        ]
        lines += _gates(steps, width, 2)
    return lines


def _gates(steps: list[Step], width: int, indent: int) -> list[Line]:
    lines: list[Line] = []
    for together in _joined(steps):
        step = together[0]
        text = safe("; ".join(one.compared for one in together))
        if len(together) == 1:
            lines += _gate_lines(step.gate, step.passed, text, safe(step.origin.brief()) if step.origin else "", width, indent)
        else:
            lines += _gate_lines(f"{step.gate} … {together[-1].gate}", True, text, "", width, indent)
    return lines


def _joined(steps: list[Step]) -> list[list[Step]]:
    """Return the gates in order, neighbours at which nothing is set in one group."""
    groups: list[list[Step]] = []
    for step in steps:
        if groups and _unset(step) and _unset(groups[-1][-1]):
            groups[-1].append(step)
        else:
            groups.append([step])
    return groups


def _unset(step: Step) -> bool:
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
