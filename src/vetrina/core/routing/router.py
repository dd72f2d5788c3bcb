"""Which messages reach which appender: a plan compiled once into decisions.

Here: the gates, in their order. What a decision depends on is found once per (logger, level); only rules that look
at message, field or error are asked per event. Not here: why (explaining.py), how a line looks (templates/).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.levels import Severities
from vetrina.core.base.logger_names import event_name, tree_name
from vetrina.core.plan.conditions import All, Answer, Condition, LoggerIs, holds, logger_names, reduce
from vetrina.core.plan.loggers import EffectiveLevel, Places, Tree
from vetrina.core.plan.model import Appender, Attachment, Plan, Rule

EarlyGate = Literal["round", "door", "level", "nowhere"]
LateGate = Literal["limit", "recall", "queue"]
Gate = EarlyGate | Literal["attachment", "once", "disabled", "floor", "ceiling", "rules"] | LateGate
EARLY_GATES: tuple[EarlyGate, ...] = ("round", "door", "level", "nowhere")
LATE_GATES: tuple[LateGate, ...] = ("limit", "recall", "queue")
"""Gates with a memory: what they decide depends on the events before (passages.py)."""
GATES: tuple[Gate, ...] = (*EARLY_GATES, "attachment", "once", "disabled", "floor", "ceiling", "rules", *LATE_GATES)
_CACHE = 4096


class Delivery(NamedTuple):
    """An event that reached an appender, through the attachment of logger ``via``."""

    appender: str
    via: str


class Stop(NamedTuple):
    """An event that was stopped on the way to one appender, at ``gate``."""

    appender: str
    via: str
    gate: Gate


class Route(Struct, frozen=True):
    """Where one event goes: ``stopped_at`` is one of the early gates, else None."""

    stopped_at: EarlyGate | None
    deliveries: tuple[Delivery, ...] = ()
    stops: tuple[Stop, ...] = ()


class ResidualRule(NamedTuple):
    """A rule reduced to what is left to ask; its condition is True where it always holds."""

    verdict: str
    condition: Condition | bool


class AttachmentGates(Struct, frozen=True):
    """One attachment on the climb: the gate that stops all there, or the rules that are left to ask."""

    appender: str
    via: str
    attachment_gate: bool | tuple[ResidualRule, ...]
    appender_gate: Gate | None
    appender_rules: bool | tuple[ResidualRule, ...]
    otherwise: bool

    @property
    def open(self) -> bool:
        """Tell whether an event may pass here."""
        return self.attachment_gate is not False and self.appender_gate is None and self.appender_rules is not False


class Decision(Struct, frozen=True):
    """What holds for one (logger, level): a route that is settled, else what is left to ask of each event.

    ``remembers`` tells that such events may come to an appender with a limit, a recall or a queue: `follow` gives their
    route before these, and `Passages` what becomes of them.
    """

    route: Route | None
    door: tuple[ResidualRule, ...] = ()
    level_passes: bool = True
    lanes: tuple[AttachmentGates, ...] = ()
    once: bool = False
    remembers: bool = False

    def follow(self, event: Event, answer: Answer | None = None) -> Route:
        """Return the route of an event of this logger and level; ``answer`` answers questions in the event's place."""
        if self.route is not None:
            return self.route
        verdict = first_verdict(self.door, event, answer)
        if verdict == "drop":
            return DROPPED
        if not self.level_passes and verdict != "lift":
            return BELOW
        return _through_lanes(self.lanes, event, answer, once=self.once)

    def gates(self, event: Event, answer: Answer | None = None) -> Route | list[Gate | None]:
        """Return which gate stops an event on each lane, None for one that it passes; its route where it is stopped early."""
        verdict = first_verdict(self.door, event, answer)
        if verdict == "drop":
            return DROPPED
        if not self.level_passes and verdict != "lift":
            return BELOW
        return _lane_gates(self.lanes, event, answer, once=self.once) if self.lanes else NOWHERE


ROUND = Route("round")
DROPPED = Route("door")
BELOW = Route("level")
NOWHERE = Route("nowhere")


def first_verdict(rules: tuple[ResidualRule, ...], event: Event, answer: Answer | None = None) -> str | None:
    """Return the verdict of the first rule that holds, None where none does."""
    for rule in rules:
        if rule.condition is True or holds(rule.condition, event, answer):
            return rule.verdict
    return None


def _through_lanes(
    lanes: tuple[AttachmentGates, ...], event: Event | None, answer: Answer | None = None, *, once: bool
) -> Route:
    if not lanes:
        return NOWHERE
    deliveries: list[Delivery] = []
    stops: list[Stop] = []
    met: set[str] | None = set() if once else None
    for lane in lanes:
        gate = _lane_gate(lane, event, met, answer)
        if gate is None:
            deliveries.append(Delivery(lane.appender, lane.via))
        else:
            stops.append(Stop(lane.appender, lane.via, gate))
    return Route(None, tuple(deliveries), tuple(stops))


def _lane_gates(
    lanes: tuple[AttachmentGates, ...], event: Event | None, answer: Answer | None = None, *, once: bool
) -> list[Gate | None]:
    met: set[str] = set()
    return [_lane_gate(lane, event, met if once else None, answer) for lane in lanes]


def route_of(lanes: Sequence[AttachmentGates], gates: Sequence[Gate | None]) -> Route:
    """Return the route of an event that each of these gates stops on its lane (None: it passes)."""
    deliveries: list[Delivery] = []
    stops: list[Stop] = []
    for lane, gate in zip(lanes, gates, strict=True):
        if gate is None:
            deliveries.append(Delivery(lane.appender, lane.via))
        else:
            stops.append(Stop(lane.appender, lane.via, gate))
    return Route(None, tuple(deliveries), tuple(stops))


def _lane_gate(lane: AttachmentGates, event: Event | None, met: set[str] | None, answer: Answer | None) -> Gate | None:
    """Return the gate that stops the event on this lane; ``met`` holds the appenders met under `deliver: once`."""
    if not _passes(lane.attachment_gate, event, answer, otherwise=True):
        return "attachment"
    if met is not None:
        if lane.appender in met:
            return "once"
        met.add(lane.appender)
    if lane.appender_gate:
        return lane.appender_gate
    if not _passes(lane.appender_rules, event, answer, otherwise=lane.otherwise):
        return "rules"
    return None


def _passes(gate: bool | tuple[ResidualRule, ...], event: Event | None, answer: Answer | None, *, otherwise: bool) -> bool:  # noqa: FBT001
    if isinstance(gate, bool):
        return gate
    assert event is not None  # noqa: S101  (settled routes have no rules left)
    verdict = first_verdict(gate, event, answer)
    return otherwise if verdict is None else verdict == "keep"


class Router:
    """A compiled plan. ``route`` answers for one event; ``decide`` for all of one logger and level."""

    def __init__(self, plan: Plan) -> None:
        """Build the tree; decisions are worked out when they are first asked for.

        Loggers that stand at one place among all names of the plan (``names``) share theirs, so that their number is the plan's.
        """
        self.plan = plan
        self.tree = Tree(plan)
        self.severities = Severities(plan.scale)
        self.names = frozenset({*self.tree.entries, *_named_in_rules(plan)})
        self.places = self.places_with()
        self._quick: dict[tuple[str, int | str], Decision] = {}
        self._decisions: dict[tuple[tuple[str, bool], int], Decision] = {}
        self._door = RuleIndex(plan.rules, plan.separator)
        self._late = {name for name, one in plan.appenders.items() if one.remembers}
        self._rules = {name: RuleIndex(one.rules, plan.separator) for name, one in plan.appenders.items() if one.rules}

    def places_with(self, *names: str) -> Places:
        """Return where loggers stand among all names of the plan and some more."""
        return Places([*self.names, *names], self.plan.separator)

    def route(self, event: Event) -> Route:
        """Return where ``event`` goes, before limits, recalls and queues; raise KeyError for a level that the plan does not know."""
        if not event.channel:
            return self.decide(event.logger, event.level).follow(event)
        entered = self.enter(event)
        return ROUND if entered is None else self.decide(entered.logger, entered.level).follow(entered)

    def enter(self, event: Event) -> Event | None:
        """Return an event that came by a channel as what it counts as, None where it goes round the configuration."""
        channel = self.plan.channels.get(event.channel or "")
        if channel is None or not channel.enabled.value:
            return None
        if channel.logger is None and channel.level is None:
            return event
        logger = event.logger if channel.logger is None else event_name(channel.logger.value)
        return replace(event, logger=logger, level=event.level if channel.level is None else channel.level.value)

    def decide(self, logger: str, level: int | str) -> Decision:
        """Return what holds for a logger's events of a level; raise KeyError for a level that is not known."""
        known = self._quick.get((logger, level))
        if known is not None:
            return known
        severity = self.severities[level]
        place = self.places.of(logger)
        known = self._decisions.get((place, severity))
        if known is None:
            known = self._decisions[place, severity] = self.compile(tree_name(logger), severity)
        if len(self._quick) < _CACHE:
            self._quick[logger, level] = known
        return known

    def compile(self, logger: str, severity: int) -> Decision:
        """Work the decision for a logger and a severity out."""
        door = left_rules(self._door.of(logger), logger, severity)
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
                route = _through_lanes(lanes, None, once=once)
                if not any(one.appender in self._late for one in route.deliveries):
                    return Decision(route)
                return Decision(None, (), level_passes=True, lanes=lanes, once=once, remembers=True)
        return Decision(None, door, level_passes, lanes, once, any(one.appender in self._late and one.open for one in lanes))

    def standing(self, logger: str) -> EffectiveLevel:
        """Return the effective level of a logger and where it comes from."""
        return self.tree.standing(logger)

    def _lane(self, via: str, attachment: Attachment, logger: str, severity: int) -> AttachmentGates:
        appender = self.plan.appenders[attachment.appender]
        index = self._rules.get(appender.name)
        rules = index.of(logger) if index is not None else ()
        return AttachmentGates(
            appender.name,
            via,
            _window(attachment, severity) and _settle(left_rules(attachment.rules, logger, severity), otherwise=True),
            appender_gate(appender, severity),
            _settle(left_rules(rules, logger, severity), otherwise=appender.otherwise.value == "keep"),
            appender.otherwise.value == "keep",
        )


def _named_in_rules(plan: Plan) -> set[str]:
    """Return every logger that a rule of the plan names."""
    rules = [*plan.rules]
    for appender in plan.appenders.values():
        rules += appender.rules
    for logger in plan.loggers.values():
        for attachment in logger.to:
            rules += attachment.rules
    return {name for rule in rules for name in logger_names(rule.condition)}


def _window(attachment: Attachment, severity: int) -> bool:
    return attachment.floor.value <= severity <= attachment.ceiling.value


def appender_gate(appender: Appender, severity: int) -> Gate | None:
    """Return which of gates 6 to 8 stops a severity at an appender, None where it passes."""
    if not appender.enabled.value:
        return "disabled"
    if severity < appender.floor.value:
        return "floor"
    if severity > appender.ceiling.value:
        return "ceiling"
    return None


class RuleIndex:
    """Rules found by the loggers they name, so that a thousand rules cost a logger only those that may concern it."""

    def __init__(self, rules: tuple[Rule, ...], separator: str) -> None:
        self._rules, self._separator = rules, separator
        self._any: list[int] = []
        self._exactly: dict[str, list[int]] = {}
        self._below: dict[str, list[int]] = {}
        for at, rule in enumerate(rules):
            named = bound_loggers(rule.condition)
            if named is None:
                self._any.append(at)
                continue
            kept = self._exactly if named.exact else self._below
            for name in dict.fromkeys(named.names):
                kept.setdefault(tree_name(name), []).append(at)

    def of(self, logger: str) -> Sequence[Rule]:
        """Return, in order, the rules whose named loggers ``logger`` belongs to, and those that name none."""
        if len(self._any) == len(self._rules):
            return self._rules
        return [self._rules[at] for at in sorted(self.positions(logger))]

    def positions(self, logger: str) -> set[int]:
        """Return the positions of what `of` returns."""
        found = {*self._any, *self._exactly.get(logger, ()), *self._below.get("root", ()), *self._below.get(logger, ())}
        end = logger.find(self._separator)
        while self._below and end >= 0:
            found.update(self._below.get(logger[:end], ()))
            end = logger.find(self._separator, end + 1)
        return found


def bound_loggers(condition: Condition) -> LoggerIs | None:
    """Return the loggers that a condition is bound to, None where it is bound to none in plain sight."""
    parts = condition.parts if isinstance(condition, All) else (condition,)
    return next((one for one in parts if isinstance(one, LoggerIs)), None)


def left_rules(rules: Sequence[Rule], logger: str, severity: int) -> tuple[ResidualRule, ...]:
    """Return the rules that can still matter for a logger and severity, up to the first that always holds."""
    left: list[ResidualRule] = []
    for rule in rules:
        condition = reduce(rule.condition, logger, severity)
        if condition is False:
            continue
        left.append(ResidualRule(rule.verdict, condition))
        if condition is True:
            break
    return tuple(left)


def _settle(rules: tuple[ResidualRule, ...], *, otherwise: bool) -> bool | tuple[ResidualRule, ...]:
    """Return whether an event passes, where the rules leave no question; else the rules."""
    if not rules:
        return otherwise
    if rules[0].condition is True:
        return rules[0].verdict == "keep"
    return rules
