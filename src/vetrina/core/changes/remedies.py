"""The way to let a message through: the smallest edits after which it arrives, each verified by routing with it.

Here: the search over real edits, and their ranking by how much else they let in. Not here: laying edits over a plan
(edits.py).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct

from vetrina.core.base.events import Event, JsonObject
from vetrina.core.base.levels import NAMES
from vetrina.core.base.logger_names import tree_name
from vetrina.core.config.edits import Edit, differing, lines_of, put, step, tune, with_edits
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.conditions import meets
from vetrina.core.plan.model import Attachment, Plan, Rule
from vetrina.core.routing.counting import Traffic
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


def ways_to(found: ResolvedPlan, event: Event, appender: str, most: int = 6, traffic: Measure | None = None) -> list[Remedy]:
    """Return the ways to let ``event`` through to ``appender``, the fewest edits and the least else first."""

    def arrives(route: Route) -> bool:
        return any(one.appender == appender for one in route.deliveries)

    def grow(router: Router) -> Iterator[Edit]:
        return _openings(router, event, appender)

    return _search(found, event, arrives, grow, most, traffic)


def ways_to_once(found: ResolvedPlan, event: Event, most: int = 6, traffic: Measure | None = None) -> list[Remedy]:
    """Return the ways after which ``event`` arrives once, at every place at which it arrives now."""
    appenders = found.plan.appenders
    before = {appenders[one.appender].place for one in Router(found.plan).route(event).deliveries}

    def once(route: Route) -> bool:
        places = [appenders[one.appender].place for one in route.deliveries]
        return len(places) == len(set(places)) and set(places) == before

    return _search(found, event, once, lambda router: _closings(router, event), most, traffic)


def _search(
    found: ResolvedPlan,
    event: Event,
    wanted: Callable[[Route], bool],
    grow: Callable[[Router], Iterator[Edit]],
    most: int,
    traffic: Measure | None,
) -> list[Remedy]:
    """Search breadth first: edits that are enough by themselves before pairs, pairs before triples."""
    waiting: list[tuple[tuple[Edit, ...], ResolvedPlan]] = [((), found)]
    seen: set[frozenset[str]] = {frozenset()}
    good: list[tuple[tuple[Edit, ...], ResolvedPlan]] = []
    tries = 0
    for _ in range(_LONGEST):
        longer: list[tuple[tuple[Edit, ...], ResolvedPlan]] = []
        for edits, plan in waiting:
            for edit in grow(Router(plan.plan)):
                key = frozenset([*(str(one) for one in edits), str(edit)])
                if key in seen or tries >= _TRIES:
                    continue
                seen.add(key)
                tries += 1
                after = with_edits(found, [*edits, edit])
                if after is None:
                    continue
                (good if wanted(Router(after.plan).route(event)) else longer).append(((*edits, edit), after))
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
        Other(shown, severity)
        for name, shown in names.items()
        for severity in sorted({*NAMES.values(), own_severity})
        if _shape(first, name, severity, event) != _shape(second, name, severity, event)
    ]
    others = tuple(one for one in different if (one.logger, one.severity) != (own, own_severity))
    return others, len(names) * len({*NAMES.values(), own_severity}) - 1


def _shape(router: Router, logger: str, severity: int, event: Event) -> tuple[Delivery, ...]:
    decision = router.compile(logger, severity)
    if decision.route is not None:
        return decision.route.deliveries
    bare = Event(event.time, severity, logger, "", None)
    return decision.follow(bare).deliveries


def _openings(router: Router, event: Event, appender: str) -> Iterator[Edit]:
    """Yield the edits that move what stops the event on its way to the appender."""
    plan, own = router.plan, tree_name(event.logger)
    severity = router.severities[event.level]
    level = plan.scale.name(severity)
    route = router.route(event)
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
    deliveries = router.route(event).deliveries
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
