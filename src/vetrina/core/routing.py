"""Which messages reach which appender: a plan compiled once into decisions.

Here: the gates, in their order. What a decision depends on is found once per (logger, level); only rules that look
at message, field or error are asked per event. Not here: why (explaining.py), how a line looks (templates/).
"""

from __future__ import annotations

from typing import NamedTuple

from msgspec import Struct

from vetrina.core.conditions import Condition, holds, reduce
from vetrina.core.events import Event
from vetrina.core.levels import Severities
from vetrina.core.loggers import Standing, Tree
from vetrina.core.plan import Appender, Attachment, Plan, Rule

GATES = ("door", "level", "nowhere", "attachment", "once", "disabled", "floor", "ceiling", "rules")
EARLY_GATES = GATES[:3]
_CACHE = 65_536


class Delivery(NamedTuple):
    """An event that reached an appender, through the attachment of logger ``via``."""

    appender: str
    via: str


class Stop(NamedTuple):
    """An event that was stopped on the way to one appender, at ``gate``."""

    appender: str
    via: str
    gate: str


class Route(Struct, frozen=True):
    """Where one event goes: ``stopped_at`` is one of the first three gates, else None."""

    stopped_at: str | None
    deliveries: tuple[Delivery, ...] = ()
    stops: tuple[Stop, ...] = ()


class LeftRule(NamedTuple):
    """A rule reduced to what is left to ask; its condition is True where it always holds."""

    verdict: str
    condition: Condition | bool


class Lane(Struct, frozen=True):
    """One attachment on the climb: the gate that stops all there, or the rules that are left to ask."""

    appender: str
    via: str
    attachment_gate: bool | tuple[LeftRule, ...]
    appender_gate: str | None
    appender_rules: bool | tuple[LeftRule, ...]
    otherwise: bool


class Decision(Struct, frozen=True):
    """What holds for one (logger, level): a route that is settled, else what is left to ask of each event."""

    route: Route | None
    door: tuple[LeftRule, ...] = ()
    level_passes: bool = True
    lanes: tuple[Lane, ...] = ()
    once: bool = False

    def follow(self, event: Event) -> Route:
        """Return the route of an event of this logger and level."""
        if self.route is not None:
            return self.route
        verdict = first_verdict(self.door, event)
        if verdict == "drop":
            return DROPPED
        if not self.level_passes and verdict != "lift":
            return BELOW
        return _through_lanes(self.lanes, event, once=self.once)


DROPPED = Route("door")
BELOW = Route("level")
NOWHERE = Route("nowhere")


def first_verdict(rules: tuple[LeftRule, ...], event: Event) -> str | None:
    """Return the verdict of the first rule that holds, None where none does."""
    for rule in rules:
        if rule.condition is True or holds(rule.condition, event):
            return rule.verdict
    return None


def _through_lanes(lanes: tuple[Lane, ...], event: Event | None, *, once: bool) -> Route:
    if not lanes:
        return NOWHERE
    deliveries: list[Delivery] = []
    stops: list[Stop] = []
    met: set[str] = set()
    for lane in lanes:
        gate = _lane_gate(lane, event, met if once else None)
        if gate is None:
            deliveries.append(Delivery(lane.appender, lane.via))
        else:
            stops.append(Stop(lane.appender, lane.via, gate))
    return Route(None, tuple(deliveries), tuple(stops))


def _lane_gate(lane: Lane, event: Event | None, met: set[str] | None) -> str | None:
    """Return the gate that stops the event on this lane; ``met`` holds the appenders met under `deliver: once`."""
    if not _passes(lane.attachment_gate, event, otherwise=True):
        return "attachment"
    if met is not None:
        if lane.appender in met:
            return "once"
        met.add(lane.appender)
    if lane.appender_gate:
        return lane.appender_gate
    if not _passes(lane.appender_rules, event, otherwise=lane.otherwise):
        return "rules"
    return None


def _passes(gate: bool | tuple[LeftRule, ...], event: Event | None, *, otherwise: bool) -> bool:  # noqa: FBT001
    if isinstance(gate, bool):
        return gate
    assert event is not None  # noqa: S101  (settled routes have no rules left)
    verdict = first_verdict(gate, event)
    return otherwise if verdict is None else verdict == "keep"


class Router:
    """A compiled plan. ``route`` answers for one event; ``decide`` for all of one logger and level."""

    def __init__(self, plan: Plan) -> None:
        """Build the tree; decisions are worked out when they are first asked for, and a bounded number is kept."""
        self.plan = plan
        self.tree = Tree(plan)
        self.severities = Severities(plan.scale)
        self._decisions: dict[tuple[str, int | str], Decision] = {}

    def route(self, event: Event) -> Route:
        """Return where ``event`` goes; raise KeyError for a level that the plan does not know."""
        return self.decide(event.logger, event.level).follow(event)

    def decide(self, logger: str, level: int | str) -> Decision:
        """Return what holds for a logger's events of a level; raise KeyError for a level that is not known."""
        key = (logger, level)
        known = self._decisions.get(key)
        if known is None:
            known = self.compile(logger or "root", self.severities[level])
            if len(self._decisions) >= _CACHE:
                self._decisions.clear()
            self._decisions[key] = known
        return known

    def compile(self, logger: str, severity: int) -> Decision:
        """Work the decision for a logger and a severity out."""
        door = left_rules(self.plan.rules, logger, severity)
        standing = self.tree.standing(logger)
        level_passes = severity >= standing.severity
        settled = door[0].verdict if door and door[0].condition is True else None
        if settled == "drop":
            return Decision(DROPPED)
        if not level_passes and not any(rule.verdict == "lift" for rule in door):
            drops = [rule for rule in door if rule.verdict == "drop"]
            return Decision(BELOW) if not drops else Decision(None, door, level_passes=False)
        lanes = tuple(self._lane(via, one, logger, severity) for via, one in self.tree.attachments(logger))
        once = self.plan.once.value
        if settled or not door:
            lanes_open = any(isinstance(gate, tuple) for lane in lanes for gate in (lane.attachment_gate, lane.appender_rules))
            if not lanes_open:
                return Decision(_through_lanes(lanes, None, once=once))
        return Decision(None, door, level_passes, lanes, once)

    def standing(self, logger: str) -> Standing:
        """Return the effective level of a logger and where it comes from."""
        return self.tree.standing(logger)

    def _lane(self, via: str, attachment: Attachment, logger: str, severity: int) -> Lane:
        appender = self.plan.appenders[attachment.appender]
        return Lane(
            appender.name,
            via,
            _window(attachment, severity) and _settle(left_rules(attachment.rules, logger, severity), otherwise=True),
            appender_gate(appender, severity),
            _settle(left_rules(appender.rules, logger, severity), otherwise=appender.otherwise.value == "keep"),
            appender.otherwise.value == "keep",
        )


def _window(attachment: Attachment, severity: int) -> bool:
    return attachment.floor.value <= severity <= attachment.ceiling.value


def appender_gate(appender: Appender, severity: int) -> str | None:
    """Return which of gates 6 to 8 stops a severity at an appender, None where it passes."""
    if not appender.enabled.value:
        return "disabled"
    if severity < appender.floor.value:
        return "floor"
    if severity > appender.ceiling.value:
        return "ceiling"
    return None


def left_rules(rules: tuple[Rule, ...], logger: str, severity: int) -> tuple[LeftRule, ...]:
    """Return the rules that can still matter for a logger and severity, up to the first that always holds."""
    left: list[LeftRule] = []
    for rule in rules:
        condition = reduce(rule.condition, logger, severity)
        if condition is False:
            continue
        left.append(LeftRule(rule.verdict, condition))
        if condition is True:
            break
    return tuple(left)


def _settle(rules: tuple[LeftRule, ...], *, otherwise: bool) -> bool | tuple[LeftRule, ...]:
    """Return whether an event passes, where the rules leave no question; else the rules."""
    if not rules:
        return otherwise
    if rules[0].condition is True:
        return rules[0].verdict == "keep"
    return rules
