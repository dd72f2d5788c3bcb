"""One event and every gate that it met."""

from __future__ import annotations

from typing import Any

from vetrina.core.events import Event, filled
from vetrina.core.explaining import Explanation, Step
from vetrina.core.plan import Plan
from vetrina.views.levels import origin_json
from vetrina.views.screen import Line, Span, columns, level_style, pad, safe, shorten, span, wrapped

PASSED, STOPPED = "passes", "STOPS"


def as_json(found: Explanation, event: Event, plan: Plan) -> dict[str, Any]:
    """Return the document of `why --json`."""
    return {
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
