"""One of two plans that are compared: what holds for a class of messages, by whatever channel they come."""

from __future__ import annotations

from collections import Counter as Multiset

from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.levels import LOWEST
from vetrina.core.base.logger_names import tree_name
from vetrina.core.plan.conditions import by_channel
from vetrina.core.plan.model import Plan
from vetrina.core.routing.router import ROUND, Decision, ResidualRule, Route, Router


class ComparedSide:
    """One plan, and what its arrivals are told apart by."""

    def __init__(self, plan: Plan, *, by_appender: bool) -> None:
        self.router = Router(plan)
        self.names = {name: name if by_appender else one.sink.title for name, one in plan.appenders.items()}
        self.keys = {name: name if by_appender else f"{one.sink.kind} {one.sink.place}" for name, one in plan.appenders.items()}
        self.shown = {self.keys[name]: self.names[name] for name in plan.appenders}
        self._cuts: dict[tuple[int, ...], frozenset[int]] = {}

    def arrivals(self, route: Route) -> Multiset[str]:
        """Return where a route arrives, and how often."""
        return Multiset(self.keys[one.appender] for one in route.deliveries)

    def brings_in(self, channel: str) -> bool:
        """Tell whether messages that come by a channel do not go round."""
        return not channel or ((known := self.router.plan.channels.get(channel)) is not None and known.enabled.value)

    def needs_names(self, channel: str) -> bool:
        """Tell whether it matters which logger a message that comes by a channel has."""
        return self.brings_in(channel) and (not channel or self.router.plan.channels[channel].logger is None)

    def decide(self, logger: str, severity: int, channel: str) -> Decision:
        """Return what holds for messages of a logger and severity that come by a channel (nothing for none)."""
        if not self.brings_in(channel):
            return Decision(ROUND)
        known = self.router.plan.channels.get(channel)
        if known is not None:
            logger = logger if known.logger is None else known.logger.value
            severity = severity if known.level is None else known.level.value
        return _by_channel(_without_via(self.router.compile(logger, severity)), channel)

    def cuts(self, logger: str, channel: str) -> set[int]:
        """Return the severities at which a message of ``logger`` may begin to go another way."""
        plan, known = self.router.plan, self.router.plan.channels.get(channel)
        if not self.brings_in(channel) or (known is not None and known.level is not None):
            return set()
        logger = logger if known is None or known.logger is None else known.logger.value
        found = {self.router.standing(logger).severity}
        for _, one in self.router.tree.attachments(logger):
            appender = plan.appenders[one.appender]
            found |= {one.floor.value, one.ceiling.value + 1, appender.floor.value, appender.ceiling.value + 1}
        return found


def route_at(router: Router, event: Event, level: int | str) -> Route:
    """Return where an event goes at a level, before limits, recalls and queues."""
    severity = router.plan.scale.severity(level)
    known = LOWEST if severity is None else severity
    entered = router.enter(replace(event, level=known)) if event.channel else replace(event, level=known)
    return (
        ROUND
        if entered is None
        else router.compile(tree_name(entered.logger), router.severities[entered.level]).follow(entered)
    )


def _without_via(decision: Decision) -> Decision:
    """Return a decision without the loggers that attachments hang on: they do not matter to where a message arrives."""
    if decision.route is not None:
        route = decision.route
        return Decision(Route(None, tuple(one._replace(via="") for one in route.deliveries)))
    lanes = tuple(
        type(lane)(lane.appender, "", lane.attachment_gate, lane.appender_gate, lane.appender_rules, lane.otherwise)
        for lane in decision.lanes
    )
    return Decision(None, decision.door, decision.level_passes, lanes, decision.once)


def _by_channel(decision: Decision, channel: str) -> Decision:
    """Return a decision in which all questions about the channel are answered."""

    def answered(rules: tuple[ResidualRule, ...]) -> tuple[ResidualRule, ...]:
        return tuple(ResidualRule(one.verdict, by_channel(one.condition, channel)) for one in rules)

    def gate(rules: bool | tuple[ResidualRule, ...]) -> bool | tuple[ResidualRule, ...]:  # noqa: FBT001  (a gate may be settled)
        return rules if isinstance(rules, bool) else answered(rules)

    if decision.route is not None:
        return decision
    lanes = tuple(
        replace(lane, attachment_gate=gate(lane.attachment_gate), appender_rules=gate(lane.appender_rules))
        for lane in decision.lanes
    )
    return Decision(None, answered(decision.door), decision.level_passes, lanes, decision.once)
