"""`why --json`."""

from __future__ import annotations

from typing import Any

from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base.events import Event, error_text, filled
from vetrina.core.changes.remedies import Remedy
from vetrina.core.plan.model import Plan
from vetrina.core.routing.explaining import Explanation, verdict_on
from vetrina.core.routing.router import EarlyGate, Gate
from vetrina.views.documents.shared import Delivery, OriginPlace, origin_place


class GateStep(Struct):
    """One gate that was asked."""

    gate: Gate
    passed: bool
    compared: str
    appender: str | None
    via: str | None
    origin: OriginPlace | None


class Gain(Struct):
    """What a change adds to one appender, for the given events."""

    events: int
    bytes: int


class OtherWay(Struct):
    """What else goes elsewhere after a change; `events` are deliveries more over given events, null without any."""

    logger: str
    level: str
    events: int | None


class Way(Struct):
    """A change after which the message goes as wanted: ready options, and how much else it lets in.

    `opened` counts deliveries over given events; else pairs of logger and level, of `sampled` that were tried.
    """

    edits: list[str]
    words: list[str]
    changed_lines: list[str]
    opened: int
    sampled: int
    others: list[OtherWay]
    sinks: dict[str, Gain]


class AskedArrival(Struct):
    """What becomes of the message at the appender that `--to` names."""

    appender: str
    arrives: bool
    verdict: str


class Why(Struct):
    """`why --json`; `ways` is there with --to and --twice, `asked` with --to."""

    logger: str
    level: str
    severity: int
    message: str
    fields: dict[str, Any] | None
    error: str | None
    verdict: str
    stopped_at: EarlyGate | None
    deliveries: list[Delivery]
    gates: list[GateStep]
    ways: list[Way] | UnsetType = UNSET
    asked: AskedArrival | UnsetType = UNSET


def document(found: Explanation, event: Event, plan: Plan, ways: list[Remedy] | None = None, to: str | None = None) -> Why:
    """Return one message's way as a document; ``ways`` are the changes that --to or --twice asked for."""
    asked = None if to is None else AskedArrival(to, any(name == to for name, _ in found.deliveries), verdict_on(found, to))
    gates = [
        GateStep(
            step.gate,
            step.passed,
            step.compared,
            step.appender,
            step.via,
            origin_place(step.origin) if step.origin else None,
        )
        for step in found.steps
    ]
    return Why(
        found.logger,
        plan.scale.name(found.severity),
        found.severity,
        filled(event),
        event.fields,
        error_text(event) or None,
        found.verdict,
        found.stopped_at,
        [Delivery(appender, via) for appender, via in found.deliveries],
        gates,
        UNSET if ways is None else [_way(one, plan) for one in ways],
        asked or UNSET,
    )


def _way(one: Remedy, plan: Plan) -> Way:
    return Way(
        [str(edit) for edit in one.edits],
        [edit.words for edit in one.edits],
        list(one.lines),
        one.opened,
        one.sampled,
        [OtherWay(other.logger, plan.scale.name(other.severity), other.events) for other in one.others],
        {name: Gain(events, size) for name, (events, size) in one.sinks.items()},
    )
