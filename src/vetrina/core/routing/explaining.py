"""Why a message arrives or does not: every gate in order, what was compared with what, and on which line.

Here: facts, as data, worked out slowly and in full for one event. `Router` must always agree (a test holds it so).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.levels import Scale
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.origins import Origin
from vetrina.core.base.wording import counted
from vetrina.core.plan.conditions import meets
from vetrina.core.plan.loggers import EffectiveLevel
from vetrina.core.plan.model import Appender, Attachment, Plan, Rule
from vetrina.core.routing.router import EarlyGate, Gate, Router
from vetrina.core.routing.stories import Story, by_itself

_Say = Callable[[Gate, bool, str, Origin | None], bool]


class GateAnswer(Struct, frozen=True):
    """One gate that was asked: whether the event passed, what was compared, and the line that decided."""

    gate: Gate
    passed: bool
    compared: str
    origin: Origin | None = None
    appender: str | None = None
    via: str | None = None


class Explanation(Struct, frozen=True):
    """All gates of one event; ``verdict`` says in one plain sentence what became of it."""

    logger: str
    severity: int
    steps: tuple[GateAnswer, ...]
    deliveries: tuple[tuple[str, str], ...]
    stopped_at: EarlyGate | None
    verdict: str


def explain(router: Router, event: Event, story: Story | None = None) -> Explanation:
    """Return every gate that ``event`` meets; raise KeyError for a level that the plan does not know.

    ``story`` is what became of it at limits, recalls and queues after all that came before it; without one it is taken by itself.
    """
    plan = router.plan
    story = story or by_itself(router, event)
    steps = []
    if event.channel:
        steps.append(_round(plan, event.channel))
        if not steps[0].passed:
            words = f"goes round the configuration: {steps[0].compared}{_at(steps[0].origin)}"
            return _end(tree_name(event.logger), router.severities[event.level], steps, "round", words)
        event = story.passage.event
    logger = tree_name(event.logger)
    severity = router.severities[event.level]
    level = plan.scale.name(severity)
    door, verdict = _door(plan, event, logger, severity)
    steps.append(door)
    if verdict == "drop":
        return _end(logger, severity, steps, "door", f"stopped at the door: {door.compared}{_at(door.origin)}")
    standing = router.standing(logger)
    level_step = _level(plan, standing, severity, lifted=verdict == "lift")
    steps.append(level_step)
    if not level_step.passed:
        sentence = f"stopped at the level gate: {holds_level(plan, standing)}{_at(standing.origin)}; {level} is below it"
        return _end(logger, severity, steps, "level", sentence)
    lanes = list(router.tree.attachments(logger))
    if not lanes:
        return _nowhere(router, logger, severity, steps)
    steps.append(GateAnswer("nowhere", passed=True, compared=f"{counted(len(lanes), 'attachment')} met on the climb"))
    deliveries: list[tuple[str, str]] = []
    met: set[str] = set()
    for at, (via, attachment) in enumerate(lanes):
        lane = _lane(plan, via, attachment, event, severity, met)
        if lane[-1].passed:
            own = (attachment.appender, via)
            lane += [GateAnswer(one.gate, one.passed, one.compared, one.origin, *own) for one in story.answers.get(at, ())]
        steps += lane
        if lane[-1].passed:
            deliveries.append((attachment.appender, via))
    return Explanation(logger, severity, tuple(steps), tuple(deliveries), None, _verdict(plan, steps, deliveries))


def _end(logger: str, severity: int, steps: list[GateAnswer], gate: EarlyGate, verdict: str) -> Explanation:
    return Explanation(logger, severity, tuple(steps), (), gate, verdict)


def _round(plan: Plan, name: str) -> GateAnswer:
    """Return whether a channel is brought in, and as what."""
    channel = plan.channels.get(name)
    if channel is None:
        return GateAnswer("round", passed=False, compared=f"it comes by the channel {name}, which the plan does not name")
    if not channel.enabled.value:
        return GateAnswer("round", False, f"it comes by the channel {name}, which is switched off", channel.enabled.origin)
    logger = f"of {channel.logger}" if channel.logger is not None else "of its own logger"
    level = f"at {plan.scale.name(channel.level.value)}" if channel.level is not None else "at its own level"
    words = f"it comes by the channel {name}, which is brought in: it counts as one {logger} {level}"
    return GateAnswer("round", passed=True, compared=words, origin=channel.origin)


def _at(origin: Origin | None) -> str:
    brief = origin.brief() if origin else ""
    return f" ({brief})" if brief else ""


def _door(plan: Plan, event: Event, logger: str, severity: int) -> tuple[GateAnswer, str | None]:
    for number, rule in enumerate(plan.rules):
        if meets(rule.condition, event, logger, severity):
            words = {"drop": "drops it", "keep": "keeps it", "lift": "lifts it past the level gate"}[rule.verdict]
            note = f" ({rule.note})" if rule.note else ""
            return GateAnswer("door", rule.verdict != "drop", f"rule {number} {words}{note}", rule.origin), rule.verdict
    none = f"none of {counted(len(plan.rules), 'rule')} matches" if plan.rules else "the plan has no rules at the door"
    return GateAnswer("door", passed=True, compared=none), None


def holds_level(plan: Plan, standing: EffectiveLevel) -> str:
    """Return which level a logger has and from whom, as the start of a sentence."""
    name = plan.scale.name(standing.severity)
    if standing.inherited_from is None:
        return f"{standing.name} is set to {name}"
    if standing.name == "root" or (standing.inherited_from == "root" and standing.origin == plan.assume.origin):
        return f"{standing.name} has {name}, which is assumed for root"
    return f"{standing.name} inherits {name} from {standing.inherited_from}"


def _level(plan: Plan, standing: EffectiveLevel, severity: int, *, lifted: bool) -> GateAnswer:
    level = plan.scale.name(severity)
    if lifted:
        return GateAnswer("level", passed=True, compared=f"not asked: lifted at the door ({holds_level(plan, standing)})",
                    origin=standing.origin)  # fmt: skip
    passed = severity >= standing.severity
    relation = "at or above it" if passed else "below it"
    return GateAnswer("level", passed, f"{holds_level(plan, standing)}; {level} is {relation}", standing.origin)


def _nowhere(router: Router, logger: str, severity: int, steps: list[GateAnswer]) -> Explanation:
    climbed = [(via, entry) for via, entry in router.tree.climb(logger)]
    last = climbed[-1] if climbed else None
    if last and not last[1].climb.value:
        why = f"{last[0]} does not climb{_at(last[1].climb.origin)} and nothing is attached to it"
        origin = last[1].climb.origin
        if len(climbed) > 1:
            why = f"the climb ends at {last[0]}, which does not climb{_at(origin)}, and nothing is attached on it"
        steps.append(GateAnswer("nowhere", passed=False, compared=why, origin=origin))
    else:
        why = f"nothing is attached to {logger} or any of its ancestors"
        steps.append(GateAnswer("nowhere", passed=False, compared=why))
    return _end(logger, severity, steps, "nowhere", f"goes nowhere: {why}")


def _lane(plan: Plan, via: str, attachment: Attachment, event: Event, severity: int, met: set[str]) -> list[GateAnswer]:
    appender = plan.appenders[attachment.appender]
    logger = tree_name(event.logger)
    scale = plan.scale
    steps: list[GateAnswer] = []

    def say(gate: Gate, passed: bool, compared: str, origin: Origin | None) -> bool:  # noqa: FBT001
        steps.append(GateAnswer(gate, passed, compared, origin, appender.name, via))
        return passed

    low, high = attachment.floor, attachment.ceiling
    level = scale.name(severity)
    passed, words = True, ""
    origin: Origin | None = low.origin
    if severity < low.value:
        passed, words = False, f"{level} is below the attachment's floor, {scale.name(low.value)}"
    elif severity > high.value:
        passed, words, origin = False, f"{level} is above the attachment's ceiling, {scale.name(high.value)}", high.origin
    else:
        passed, words, found = _rules(attachment.rules, event, logger, severity, otherwise=True, owner="the attachment")
        origin = found or attachment.origin
    if not say("attachment", passed, words or f"attached at {via}", origin):
        return steps
    if plan.once.value:
        first = appender.name not in met
        met.add(appender.name)
        words = "first time on this climb" if first else "already met on this climb, and the plan says deliver: once"
        if not say("once", first, words, plan.once.origin):
            return steps
    on = appender.enabled.value
    if not say("disabled", on, "enabled" if on else "switched off", appender.origin if on else appender.enabled.origin):
        return steps
    if not _bound(say, "floor", appender, severity, scale) or not _bound(say, "ceiling", appender, severity, scale):
        return steps
    keep = appender.otherwise.value == "keep"
    passed, words, by = _rules(appender.rules, event, logger, severity, otherwise=keep, owner=appender.name)
    say("rules", passed, words or "no rules", by or (appender.otherwise.origin if appender.rules else None))
    return steps


def _bound(say: _Say, gate: Literal["floor", "ceiling"], appender: Appender, severity: int, scale: Scale) -> bool:
    bound = appender.floor if gate == "floor" else appender.ceiling
    passed = severity >= bound.value if gate == "floor" else severity <= bound.value
    if bound.origin.kind == "default":
        return say(gate, passed, f"no {gate}", None)
    relation = {
        ("floor", True): "at or above",
        ("floor", False): "below",
        ("ceiling", True): "at or below",
        ("ceiling", False): "above",
    }[gate, passed]
    words = f"{scale.name(severity)} is {relation} the appender's {gate}, {scale.name(bound.value)}"
    return say(gate, passed, words, bound.origin)


def _rules(
    rules: tuple[Rule, ...], event: Event, logger: str, severity: int, *, otherwise: bool, owner: str
) -> tuple[bool, str, Origin | None]:
    for number, rule in enumerate(rules):
        if meets(rule.condition, event, logger, severity):
            verb = "keeps it" if rule.verdict == "keep" else "drops it"
            note = f" ({rule.note})" if rule.note else ""
            return rule.verdict == "keep", f"rule {number} of {owner} {verb}{note}", rule.origin
    if not rules:
        return otherwise, ("" if otherwise else f"{owner} has no rules and otherwise drops"), None
    words = "keeps" if otherwise else "drops"
    return otherwise, f"none of {counted(len(rules), 'rule')} matches, and {owner} {words} the rest", None


def verdict_on(found: Explanation, appender: str) -> str:
    """Return in one sentence what becomes of the event at one appender."""
    vias = [via for name, via in found.deliveries if name == appender]
    if vias:
        return f"arrives in {appender}" + (f" {len(vias)} times" if len(vias) > 1 else "") + f" (through {' and '.join(vias)})"
    stops = [step for step in found.steps if step.appender == appender and not step.passed]
    if stops:
        told = "; ".join(f"stopped at the {step.gate} gate: {step.compared}{_at(step.origin)}" for step in stops)
        return f"does not arrive in {appender}: {told}"
    if found.stopped_at is not None:
        return f"does not arrive in {appender}: {found.verdict}"
    return f"does not arrive in {appender}: it is attached nowhere on the climb from {found.logger}"


def _verdict(plan: Plan, steps: list[GateAnswer], deliveries: list[tuple[str, str]]) -> str:
    if not deliveries:
        last = [step for step in steps if not step.passed]
        told = "; ".join(f"{step.appender}: {step.compared}{_at(step.origin)}" for step in last)
        return f"reaches no appender: {told}"
    names: dict[str, list[str]] = {}
    for appender, via in deliveries:
        names.setdefault(appender, []).append(via)
    parts = []
    for appender, vias in names.items():
        times = "" if len(vias) == 1 else f" {len(vias)} times"
        parts.append(f"{appender}{times} (through {' and '.join(vias)})")
    meet = [
        f"{' and '.join(both)} write to one place, {plan.appenders[both[0]].where}: it stands there {len(group)} times"
        for group in plan.at_one_place(name for name, _ in deliveries)
        if len(both := list(dict.fromkeys(group))) > 1
    ]
    return "; ".join(["reaches " + ", ".join(parts), *meet])
