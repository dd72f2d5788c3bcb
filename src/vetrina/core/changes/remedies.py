"""The way to let a message through: the smallest edits after which it arrives, each verified by routing with it.

Here: the search over real edits, and their ranking by how much else they let in. Not here: laying edits over a plan
(edits.py).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import chain

from msgspec import Struct

from vetrina.core.base.events import Event, JsonObject
from vetrina.core.base.levels import NAMES
from vetrina.core.base.logger_names import event_name, tree_name
from vetrina.core.config.edits import Edit, differing, lines_of, put, step, tune, with_edits
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.conditions import meets
from vetrina.core.plan.model import Attachment, Plan, Rule
from vetrina.core.routing.counting import Traffic
from vetrina.core.routing.passages import alone
from vetrina.core.routing.router import Delivery, Route, Router, Stop

_LONGEST = 4
_TRIES = 80
_SAMPLED = 2000
Measure = Callable[[ResolvedPlan], Traffic]
"""From a plan in force to what becomes of a given traffic."""


class Other(Struct, frozen=True):
    """What else goes elsewhere after a change: a logger (or words for those without an entry) at a severity.

    ``events`` are the deliveries more over given events, None where none were given.
    """

    logger: str
    severity: int
    events: int | None = None


class Remedy(Struct, frozen=True):
    """Edits after which the message arrives; ``opened`` is how much else they let in, ``others`` names it.

    Over given events ``opened`` counts deliveries and ``sinks`` has (events, bytes) more for each appender; else it
    counts (logger, level) pairs of the tree that go elsewhere than before, of ``sampled`` that were tried.
    """

    edits: tuple[Edit, ...]
    opened: int
    sampled: int
    lines: tuple[str, ...]
    sinks: dict[str, tuple[int, int]] = {}
    others: tuple[Other, ...] = ()


Fate = Callable[[Plan], Route]
"""From a plan to where the message goes by it."""


def ways_to(
    found: ResolvedPlan,
    event: Event,
    appender: str,
    most: int = 6,
    traffic: Measure | None = None,
    fate: Fate | None = None,
) -> list[Remedy]:
    """Return the ways to let ``event`` through to ``appender``, the fewest edits and the least else first.

    ``fate`` tells where it goes by a plan, after all that came before it; without one it is taken by itself.
    """
    goes = fate or (lambda plan: alone(Router(plan), event))

    def arrives(route: Route) -> bool:
        return any(one.appender == appender for one in route.deliveries)

    def grow(changed: ResolvedPlan) -> Iterator[Edit]:
        router, route = Router(changed.plan), goes(changed.plan)
        return chain(_openings(router, route, event, appender), _widenings(changed, route, appender, arrives, goes))

    return _search(found, event, arrives, grow, most, traffic, goes)


def ways_to_once(found: ResolvedPlan, event: Event, most: int = 6, traffic: Measure | None = None) -> list[Remedy]:
    """Return the ways after which ``event`` arrives once, at every place at which it arrives now."""
    appenders = found.plan.appenders
    before = {appenders[one.appender].place for one in alone(Router(found.plan), event).deliveries}

    def once(route: Route) -> bool:
        places = [appenders[one.appender].place for one in route.deliveries]
        return len(places) == len(set(places)) and set(places) == before

    def goes(plan: Plan) -> Route:
        return alone(Router(plan), event)

    return _search(found, event, once, lambda changed: _closings(Router(changed.plan), event), most, traffic, goes)


def _search(
    found: ResolvedPlan,
    event: Event,
    wanted: Callable[[Route], bool],
    grow: Callable[[ResolvedPlan], Iterator[Edit]],
    most: int,
    traffic: Measure | None,
    goes: Fate,
) -> list[Remedy]:
    """Search breadth first: edits that are enough by themselves before pairs, pairs before triples."""
    waiting: list[tuple[tuple[Edit, ...], ResolvedPlan]] = [((), found)]
    seen: set[frozenset[str]] = {frozenset()}
    good: list[tuple[tuple[Edit, ...], ResolvedPlan]] = []
    tries = 0
    for _ in range(_LONGEST):
        longer: list[tuple[tuple[Edit, ...], ResolvedPlan]] = []
        for edits, plan in waiting:
            for edit in grow(plan):
                key = frozenset([*(str(one) for one in edits), str(edit)])
                if key in seen or tries >= _TRIES:
                    continue
                seen.add(key)
                tries += 1
                after = with_edits(found, [*edits, edit])
                if after is None:
                    continue
                (good if wanted(goes(after.plan)) else longer).append(((*edits, edit), after))
        if len(good) >= most or not longer:
            break
        waiting = longer
    own = lines_of(found) if good else {}
    ranked = _least([_weigh(found, own, event, edits, after, traffic) for edits, after in good])
    return sorted(
        ranked,
        key=lambda one: (
            one.opened,
            len(one.edits),
            sum(edit.option != "--tune" for edit in one.edits),
            [str(edit) for edit in one.edits],
        ),
    )[:most]


def _least(ways: list[Remedy]) -> list[Remedy]:
    """Return the ways that are not another one and something more."""
    said = [(frozenset(map(str, one.edits)), frozenset(one.lines)) for one in ways]
    return [
        one
        for one, (edits, lines) in zip(ways, said, strict=True)
        if not any(other < edits or (changed < lines and changed) for other, changed in said)
    ]


def _weigh(
    found: ResolvedPlan,
    own: dict[str, str],
    event: Event,
    edits: tuple[Edit, ...],
    after: ResolvedPlan,
    traffic: Measure | None,
) -> Remedy:
    lines = tuple(differing(own, lines_of(after)))
    if traffic is not None:
        before, now = traffic(found), traffic(after)
        sinks = {
            name: (one.reached - before.appenders[name].reached, one.bytes - before.appenders[name].bytes)
            for name, one in now.appenders.items()
            if (one.reached, one.bytes) != (before.appenders[name].reached, before.appenders[name].bytes)
        }
        others = tuple(_elsewhere(before, now))
        return Remedy(edits, sum(abs(count) for count, _ in sinks.values()), 0, lines, sinks, others)
    others, sampled = _difference(found.plan, after.plan, event)
    return Remedy(edits, len(others), sampled, lines, {}, others)


def _elsewhere(before: Traffic, now: Traffic) -> Iterator[Other]:
    """Yield the rows whose events go elsewhere than before; the further loggers' rows may differ, as their places do."""
    for logger, severity in dict.fromkeys([*before.cells, *now.cells]):
        was, is_ = (one.cells.get((logger, severity)) for one in (before, now))
        old, new = (one.reached if one is not None else {} for one in (was, is_))
        if old != new:
            yield Other(logger, severity, sum(new.values()) - sum(old.values()))


def _difference(before: Plan, after: Plan, event: Event) -> tuple[tuple[Other, ...], int]:
    """Return the (logger, level) pairs of the tree, of the message's own logger and below it that go elsewhere than before."""
    own = tree_name(event.logger)
    names = {own: own, **({f"{own}{before.separator}below": f"anything else below {own}"} if own != "root" else {})}
    names |= {name: name for name in list(before.loggers)[:_SAMPLED]} | {"elsewhere": "loggers without an entry"}
    first, second = Router(before), Router(after)
    own_severity = first.severities[event.level]
    different = [
        Other(f"{shown} by {event.channel}" if event.channel else shown, severity)
        for name, shown in names.items()
        for severity in sorted({*NAMES.values(), own_severity})
        if _shape(first, name, severity, event) != _shape(second, name, severity, event)
    ]
    itself = f"{own} by {event.channel}" if event.channel else own
    others = tuple(one for one in different if (one.logger, one.severity) != (itself, own_severity))
    return others, len(names) * len({*NAMES.values(), own_severity}) - 1


def _shape(router: Router, logger: str, severity: int, event: Event) -> tuple[Delivery, ...]:
    bare = Event(event.time, severity, event_name(logger), "", None, channel=event.channel)
    if event.channel:
        return alone(router, bare).deliveries
    decision = router.compile(logger, severity)
    if decision.route is not None:
        return decision.route.deliveries
    return alone(router, bare).deliveries if decision.remembers else decision.follow(bare).deliveries


def _openings(router: Router, route: Route, event: Event, appender: str) -> Iterator[Edit]:
    """Yield the edits that move what stops the event on its way to the appender."""
    plan = router.plan
    if route.stopped_at == "round":
        yield from _brought_in(plan, event)
        return
    entered = router.enter(event) if event.channel else event
    event = entered or event
    own, severity = tree_name(event.logger), router.severities[event.level]
    level = plan.scale.name(severity)
    if route.stopped_at == "door":
        yield from _past_rules(plan.rules, event, own, severity, "rules", "at the door")
        return
    if route.stopped_at == "level":
        yield from _past_level(router, event, own, level)
        return
    met = [(via, one) for via, one in router.tree.attachments(own) if one.appender == appender]
    if not met:
        yield from _onto_climb(router, own, appender)
        return
    for stop in route.stops:
        if stop.appender == appender:
            yield from _past_lane(router, event, own, stop)


def _brought_in(plan: Plan, event: Event) -> Iterator[Edit]:
    """Yield the edits that bring the event's channel in."""
    name = event.channel or ""
    if name in plan.channels:
        yield put(f"channels{step(name)}.enabled", True, f"bring the channel {name} in: switch its entry on")
    else:
        yield put(f"channels{step(name)}", {"enabled": True}, f"bring the channel {name} in")


def _widenings(
    found: ResolvedPlan, route: Route, appender: str, arrives: Callable[[Route], bool], goes: Fate
) -> Iterator[Edit]:
    """Yield the edits that widen a limit, a recall or a queue where it decides: the smallest number that is enough, or none at all."""
    one = found.plan.appenders[appender]
    late = {"limit": one.limit, "recall": one.recall, "queue": one.queue}
    for gate in dict.fromkeys(stop.gate for stop in route.stops if stop.appender == appender):
        policy = late.get(gate)
        if policy is None:
            continue
        base = f"appenders{step(appender)}.{gate}"
        words = {"limit": "pass", "recall": "be remembered", "queue": "stand in line"}[gate]
        enough = _smallest(found, f"{base}.events", policy.events, arrives, goes)
        if enough is not None:
            yield put(f"{base}.events", enough, f"let {enough:,} events {words} at {appender}, not {policy.events:,}")
        if gate == "queue":
            yield put(f"{base}.full", "wait", f"hold the application while the line of {appender} is full")
        yield put(base, None, f"take the {gate} of {appender} out")


def _smallest(found: ResolvedPlan, path: str, now: int, arrives: Callable[[Route], bool], goes: Fate) -> int | None:
    """Return the smallest number in place of ``now`` with which the message arrives, None where none up to 1,000 times as many does."""

    def enough(count: int) -> bool:
        after = with_edits(found, [put(path, count, "")])
        return after is not None and arrives(goes(after.plan))

    low, high = now, now
    while not enough(high):
        low, high = high, high * 2
        if high > now * 1000:
            return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if enough(middle) else (middle, high)
    return high


def _past_level(router: Router, event: Event, own: str, level: str) -> Iterator[Edit]:
    standing = router.standing(own)
    yield tune(own, level, f"lower {own} to {level}")
    above = standing.inherited_from
    if above is not None and above != own:
        yield tune(above, level, f"lower {above} to {level}, from which {own} inherits")
    condition: JsonObject = {"exactly": own, "level": level}
    field = next(((name, value) for name, value in (event.fields or {}).items() if isinstance(value, str | int)), None)
    if field is not None:
        name, value = field
        lift = {"lift": {**condition, "field": {name: value}}}
        yield put("rules", {"add": [lift]}, f"lift only messages of {own} with {name} {value} past the level gate")
    yield put("rules", {"add": [{"lift": condition}]}, f"lift {level} messages of {own} past the level gate")


def _onto_climb(router: Router, own: str, appender: str) -> Iterator[Edit]:
    tree, plan = router.tree, router.plan
    nearest = tree.nearest(own)
    climbed = list(tree.climb(own))
    if climbed and not climbed[-1][1].climb.value:
        end = climbed[-1][0]
        yield put(f"loggers{step(end)}.climb", True, f"let {end} climb on to its ancestors' appenders")
    entry = plan.loggers.get(own)
    if own not in tree.entries and entry is not None and not entry.enabled.value:
        yield put(f"loggers{step(own)}.enabled", True, f"switch the entry of {own} on")
    yield put(f"loggers{step(own)}.to", {"add": [appender]}, f"attach {appender} to {own}")
    if nearest not in {own, "root"}:
        yield put(f"loggers{step(nearest)}.to", {"add": [appender]}, f"attach {appender} to {nearest}")


def _past_lane(router: Router, event: Event, own: str, stop: Stop) -> Iterator[Edit]:
    plan = router.plan
    severity = router.severities[event.level]
    level = plan.scale.name(severity)
    appender = plan.appenders[stop.appender]
    base = f"appenders{step(appender.name)}"
    if stop.gate == "attachment":
        for at, one in enumerate(plan.loggers[stop.via].to):
            if one.appender == stop.appender:
                yield from _past_attachment(one, f"loggers{step(stop.via)}.to[{at}]", event, own, severity, level)
    elif stop.gate == "disabled":
        yield put(f"{base}.enabled", True, f"switch {appender.name} on")
    elif stop.gate == "floor":
        yield put(f"{base}.floor", level, f"lower the floor of {appender.name} to {level}")
    elif stop.gate == "ceiling":
        yield put(f"{base}.ceiling", level, f"raise the ceiling of {appender.name} to {level}")
    elif stop.gate == "recall" and appender.recall is not None:
        yield put(f"{base}.recall.below", level, f"let {appender.name} remember only what is below {level}")
        yield put(f"{base}.recall", None, f"let {appender.name} write at once what it remembers")
    elif stop.gate == "rules":
        matched = any(meets(rule.condition, event, own, severity) for rule in appender.rules)
        if matched:
            yield from _past_rules(appender.rules, event, own, severity, f"{base}.rules", f"of {appender.name}")
        else:
            keep: JsonObject = {"keep": {"exactly": own, "level": level}}
            yield put(f"{base}.rules", {"add": [keep]}, f"keep {level} messages of {own} in {appender.name}")
            yield put(f"{base}.otherwise", "keep", f"let {appender.name} keep what no rule matches")


def _past_attachment(one: Attachment, base: str, event: Event, own: str, severity: int, level: str) -> Iterator[Edit]:
    if severity < one.floor.value:
        yield put(f"{base}.floor", level, f"lower the attachment's floor to {level}")
    elif severity > one.ceiling.value:
        yield put(f"{base}.ceiling", level, f"raise the attachment's ceiling to {level}")
    else:
        yield from _past_rules(one.rules, event, own, severity, f"{base}.rules", "of the attachment")


def _past_rules(rules: tuple[Rule, ...], event: Event, own: str, severity: int, path: str, owner: str) -> Iterator[Edit]:
    """Yield edits of the rule that drops the event: spare this logger, or take the rule out."""
    for at, rule in enumerate(rules):
        if meets(rule.condition, event, own, severity):
            yield put(f"{path}[{at}].{rule.verdict}.not", {"exactly": own}, f"let rule {at} {owner} spare {own}")
            yield put(f"{path}[{at}]", None, f"take rule {at} {owner} out")
            return


def _closings(router: Router, event: Event) -> Iterator[Edit]:
    """Yield the edits that take one of several arrivals at one place away."""
    deliveries = alone(router, event).deliveries
    meeting = router.plan.at_one_place(one.appender for one in deliveries)
    for names in meeting:
        if len(names) < 2:
            continue
        met = [one for one in deliveries if one.appender in names]
        for appender, via in dict.fromkeys(met):
            times = met.count(Delivery(appender, via))
            change: JsonObject = {"remove": [appender]} if times == 1 else {"remove": [appender], "add": [appender]}
            words = f"detach {appender} from {via}" if times == 1 else f"name {appender} once under {via}"
            yield put(f"loggers{step(via)}.to", change, words)
        lowest = met[0].via
        if router.tree.entries[lowest].climb.value and len({one.via for one in met}) > 1:
            yield put(f"loggers{step(lowest)}.climb", False, f"end the climb at {lowest}")
    if not router.plan.once.value:
        yield put("deliver", "once", "let one appender deliver one message once, everywhere")
