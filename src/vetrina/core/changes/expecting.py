"""Expected deliveries, held against a plan: which cases hold, and for those that do not, the gate that decided.

Here: a case and its verdict. Not here: the file of cases (formats/cases.py), how a run looks (views/).
"""

from __future__ import annotations

import json
from collections import Counter as Multiset
from collections.abc import Iterable, Iterator
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.expressions import Expression
from vetrina.core.base.faults import Place
from vetrina.core.base.logger_names import tree_name
from vetrina.core.changes.remedies import ways_to
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.conditions import json_equal
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.routing.explaining import explain
from vetrina.core.routing.measuring import ending_of
from vetrina.core.routing.passages import Passages, alone
from vetrina.core.routing.router import Route, Router
from vetrina.core.routing.stories import Replay
from vetrina.core.sink_kinds import KINDS
from vetrina.core.sink_kinds.kind import full_path


class LineTest(Struct, frozen=True):
    """What a line must look like: exactly this text, holding a text, matching an expression, or with JSON members."""

    text: str | None = None
    holds: str | None = None
    matches: Expression | None = None
    members: dict[str, Any] | None = None


class Case(Struct, frozen=True):
    """One expectation: events (one for each logger and level), and where they must and must not arrive.

    ``earlier`` and ``later`` are the events that come before and after it, for limits, recalls and queues.
    ``only`` is None where other arrivals are no matter. Names are appenders, or sinks as `file logs/drive.log`.
    ``stages`` are the stages under each of which the case must hold; without any, as the call says.
    """

    say: str
    place: Place
    events: tuple[Event, ...]
    earlier: tuple[Event, ...] = ()
    later: tuple[Event, ...] = ()
    reaches: tuple[str, ...] = ()
    avoids: tuple[str, ...] = ()
    only: tuple[str, ...] | None = None
    times: tuple[tuple[str, int], ...] = ()
    lines: tuple[tuple[str, LineTest], ...] = ()
    stages: tuple[str, ...] = ()


class Failure(Struct, frozen=True):
    """One way in which a case does not hold: for which event and stage, what was wanted, who decided, the nearest way."""

    event: Event
    stage: str
    what: str
    why: str = ""
    remedy: str = ""


class Verdict(Struct, frozen=True):
    """A case with all its failures; ``tried`` are the events it was tried with, over all stages."""

    case: Case
    failures: tuple[Failure, ...]
    tried: int


def expect(cases: Iterable[Case], plans: dict[str, ResolvedPlan]) -> list[Verdict]:
    """Return the verdict on every case. ``plans`` are the plans in force by stage; the one as the call says is under ""."""
    routers = {stage: Router(found.plan) for stage, found in plans.items()}
    verdicts = []
    for case in cases:
        failures: list[Failure] = []
        stages = case.stages or ("",)
        for stage in stages:
            for event in case.events:
                failures += (replace(one, stage=stage) for one in _try(case, event, plans[stage], routers[stage]))
        verdicts.append(Verdict(case, tuple(failures), len(stages) * len(case.events)))
    return verdicts


def _try(case: Case, event: Event, found: ResolvedPlan, router: Router) -> Iterator[Failure]:
    passages = Passages(router)
    for number, one in enumerate(case.earlier, start=1):
        passages.take(one, number)
    passage = passages.take(event, len(case.earlier) + 1).passage
    for number, one in enumerate(case.later, start=passage.number + 1):
        passages.take(one, number)
    event, route = passage.event, passage.route()
    arrived = Multiset(one.appender for one in route.deliveries)
    missing = [name for name in dict.fromkeys([*case.reaches, *(case.only or ())]) if not _count(arrived, name, found.plan)]
    for name in missing:
        yield _missing(name, case, event, found, router, route)
    yield from _unwanted(case, event, found.plan, route, arrived)
    for name, wanted in case.times:
        count = _count(arrived, name, found.plan)
        if count != wanted and name not in missing:
            yield Failure(
                event, "", f"it arrives {_times(count)} in {name}, not {_times(wanted)}", _via(route, name, found.plan)
            )
    for name, test in case.lines:
        for appender in (one for one in named(name, found.plan) if arrived[one]):
            wrong = line_fault(found.plan.appenders[appender], event, test)
            if wrong:
                yield Failure(event, "", f"its line in {appender} {wrong[0]}", wrong[1])


def _unwanted(case: Case, event: Event, plan: Plan, route: Route, arrived: Multiset[str]) -> Iterator[Failure]:
    for name in case.avoids:
        if _count(arrived, name, plan):
            yield Failure(event, "", f"it arrives in {name}, and must not", _via(route, name, plan))
    if case.only is not None:
        known = {appender for name in case.only for appender in named(name, plan)}
        for appender in arrived:
            if appender not in known:
                yield Failure(event, "", f"it arrives in {appender} as well, and must not", _via(route, appender, plan))


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count} times"


def named(name: str, plan: Plan) -> list[str]:
    """Return the appenders that a name means: the appender, or all that write to a sink, however it is written."""
    if name in plan.appenders:
        return [name]
    kind, _, rest = name.partition(" ")
    places = {one.place for one in plan.appenders.values() if name in sink_names(one)}
    if kind in KINDS and KINDS[kind].traits.rolls:
        places.add(f"{kind} {full_path(rest, plan.folder)}")
    return [one.name for one in plan.appenders.values() if one.place in places]


def sink_names(one: Appender) -> tuple[str, ...]:
    """Return what a sink may be called in a case."""
    return (one.where, one.sink.place)


def _count(arrived: Multiset[str], name: str, plan: Plan) -> int:
    return sum(arrived[one] for one in named(name, plan))


def _via(route: Route, name: str, plan: Plan) -> str:
    names = named(name, plan)
    vias = dict.fromkeys(one.via for one in route.deliveries if one.appender in names)
    return f"attached at {', '.join(vias)}" if vias else ""


def _missing(name: str, case: Case, event: Event, found: ResolvedPlan, router: Router, route: Route) -> Failure:
    appenders = named(name, found.plan)
    replay = Replay(router, len(case.earlier) + 1)
    replay.feed(enumerate((*case.earlier, event, *case.later), start=1))
    steps = explain(router, event, replay.finish() if case.earlier or case.later else None).steps
    stops = [one for one in steps if not one.passed and (route.stopped_at or one.appender in appenders)]
    if stops:
        one = stops[0]
        why = f"stopped at {one.gate}: {one.compared}" + (f", {one.origin}" if one.origin else "")
    else:
        why = f"{name} is attached nowhere on the climb from {event.logger or 'root'}"
    ways = ways_to(found, event, appenders[0], most=1) if appenders else []
    return Failure(
        event, "", f"it does not arrive in {name}", why, " ".join(str(edit) for edit in ways[0].edits) if ways else ""
    )


def line_fault(appender: Appender, event: Event, test: LineTest) -> tuple[str, str] | None:
    """Return what is wrong with an event's line and the line itself, None where it is as wanted."""
    ending = ending_of(appender)
    line = appender.template.compile(ending)(event, 1).removesuffix(ending)
    if test.text is not None and line != test.text:
        return "is not as wanted", f"wanted {test.text!r}, and it is {line!r}"
    if test.holds is not None and test.holds not in line:
        return f"does not hold {test.holds!r}", f"it is {line!r}"
    if test.matches is not None and not test.matches.found_in(line):
        return f"does not match {test.matches.text!r}", f"it is {line!r}"
    if test.members is not None:
        try:
            document = json.loads(line)
        except ValueError:
            return "is not JSON", f"it is {line!r}"
        for name, value in test.members.items():
            there = isinstance(document, dict) and name in document
            if not there or not json_equal(document[name], value):
                return (
                    f"has not the member {name} as wanted",
                    f"wanted {value!r}, and it is {document[name] if there else 'not there'!r}",
                )
    return None


class Recorded(Struct):
    """A class of events met: where they arrive, an example, how many; ``asks`` where rules look at the event itself."""

    event: Event
    arrivals: tuple[str, ...]
    asks: bool
    events: int


_Class = tuple[str, str, int, tuple[str, ...]]
"""A channel (nothing for none), a logger, a severity, and where such events arrive."""


class Recorder:
    """One recorded class for every channel, logger, level and set of arrivals met; it is fed as a `Counter` is.

    What a limit, a recall or a queue does is recorded as it is for an event before which none came, as a case is tried.
    """

    def __init__(self, router: Router) -> None:
        self._router = router
        self._passages = Passages(router)
        self._classes: dict[_Class, Recorded] = {}

    def feed(self, events: Iterable[Event]) -> None:
        """Record events; each must have a level that the plan knows."""
        router, classes = self._router, self._classes
        for event in events:
            plain = self._passages.plain(event)
            route = alone(router, event) if plain is None else plain
            arrivals = tuple(one.appender for one in route.deliveries)
            key = (event.channel or "", tree_name(event.logger), router.severities[event.level], arrivals)
            known = classes.get(key)
            if known is None:
                asks = router.decide(event.logger, event.level).route is None
                classes[key] = Recorded(event, arrivals, asks, event.count or 1)
            else:
                known.events += event.count or 1

    def sums(self) -> dict[_Class, Recorded]:
        """Return what was recorded so far, for another recorder of the same plan."""
        return self._classes

    def add(self, sums: dict[_Class, Recorded]) -> None:
        """Record what another one has recorded, of events that come after those recorded here."""
        for key, one in sums.items():
            known = self._classes.setdefault(key, one)
            if known is not one:
                known.events += one.events

    def result(self) -> list[Recorded]:
        """Return the classes, in the order of loggers and levels."""
        return [self._classes[key] for key in sorted(self._classes)]
