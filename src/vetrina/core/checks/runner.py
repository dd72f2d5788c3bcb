"""Running the checks: findings in the order of their places, waivers heard, stages joined.

Here: from hits and faults to findings. Not here: any single check (checks/), how findings look (views/, formats/).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event, has_error
from vetrina.core.base.faults import Fault, Place, Refused, nearest
from vetrina.core.base.logger_names import tree_name
from vetrina.core.checks import load
from vetrina.core.checks.context import (
    ERROR,
    SEVERITIES,
    WARN,
    Check,
    CheckContext,
    HostFacts,
    LoggerSeen,
    PathFacts,
    RushSeen,
    Severity,
)
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan, Waiver
from vetrina.core.pressure.playing import Pressure
from vetrina.core.rolling.playing import Rolling
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.core.routing.cache import RowNames
from vetrina.core.routing.counting import ChannelCount
from vetrina.core.routing.router import Route, Router
from vetrina.core.survey.statements import Statement

_MOST_CHANNELS = 1000


class Finding(Struct, frozen=True):
    """One result of a check; ``stages`` are those under which alone it holds, ``swap`` mends the text at its place."""

    code: str
    severity: Severity
    message: str
    why: str = ""
    remedy: str = ""
    place: Place | None = None
    where: str = ""
    subject: str = "plan"
    edit: str = ""
    swap: tuple[str, str] | None = None
    related: tuple[tuple[Place, str], ...] = ()
    stages: tuple[str, ...] = ()

    def order(self) -> tuple[str, int, int, int, str, str]:
        """Sort key: by place, the gravest first."""
        place = self.place or Place(self.where or "~", 0, 0)
        return (place.file, place.line, place.column, SEVERITIES.index(self.severity), self.code, self.message)


class Circumstances(Struct, frozen=True):
    """What checks may know besides the plan: events seen, this machine, the network, thresholds.

    ``document`` tells whether the plan was read from a document in another format; ``statements`` are those of the program;
    ``elsewhere`` are the places that other plans of the call write to, with who does.
    """

    seen: dict[str, LoggerSeen] | None = None
    paths: dict[str, PathFacts] | None = None
    hosts: dict[str, HostFacts] | None = None
    rolled: dict[str, FileSimulation] | None = None
    limits: dict[str, dict[str, float]] = {}
    rush: RushSeen | None = None
    document: bool = False
    statements: tuple[Statement, ...] | None = None
    elsewhere: dict[str, str] = {}

    def needs(self) -> set[str]:
        """Return which kinds of check can be run."""
        known = {"plan", "fault"}
        given = (
            ("events", self.seen),
            ("source", self.statements),
            ("probe", self.paths),
            ("network", self.hosts),
            ("document", self.document or None),
        )
        return known | {need for need, there in given if there is not None}


class Looking:
    """What the events of each logger are like, by the name of its row (`RowNames`); it is fed as a `Counter` is."""

    def __init__(self, router: Router) -> None:
        self._router = router
        self._seen: dict[str, LoggerSeen] = {}
        late = [name for name, one in router.plan.appenders.items() if one.remembers and one.enabled.value]
        self._pressure = Pressure(router, late, with_bytes=False)
        self._channels: dict[str, ChannelCount] = {}
        self._names = RowNames(router.places, router.plan.separator, self._regroup)

    def feed(self, events: Iterable[Event]) -> None:
        """Look at events; each must have a level that the plan knows."""
        for event in events:
            route = self._pressure.plain(event)
            if route is not None:
                self._see(event, route)
                continue
            taken = self._pressure.take(event)
            if event.channel:
                count, round_ = event.count or 1, taken.passage.route().stopped_at == "round"
                self._see_channel(event.channel, ChannelCount(count, count if round_ else 0))
            for one in taken.settled:
                self._see(one.event, one.route())

    def _see(self, event: Event, route: Route) -> None:
        """Look at an event of which all is known; one that goes round the configuration is none of its loggers'."""
        if route.stopped_at == "round":
            return
        name = self._names.of(tree_name(event.logger))
        one = self._seen.get(name)
        if one is None:
            one = self._seen[name] = LoggerSeen()
        count = event.count or 1
        one.events += count
        one.delivered += count * len(route.deliveries)
        severity = self._router.severities[event.level]
        if has_error(event):
            one.mild_errors += count if severity < WARN else 0
        elif severity >= ERROR:
            one.bare_errors += count

    def _see_channel(self, name: str, seen: ChannelCount) -> None:
        if name not in self._channels and len(self._channels) >= _MOST_CHANNELS and name not in self._router.plan.channels:
            name = ""
        known = self._channels.setdefault(name, ChannelCount())
        known.events += seen.events
        known.round += seen.round

    def _regroup(self) -> None:
        found: dict[str, LoggerSeen] = {}
        for name, one in self._seen.items():
            known = found.setdefault(self._names.of(name), one)
            if known is not one:
                known.add(one)
        self._seen = found

    def sums(self) -> tuple[dict[str, LoggerSeen], set[int], dict[str, ChannelCount]]:
        """Return what was seen so far, for another one of the same plan."""
        return self._seen, self._names.others, self._channels

    def add(self, sums: tuple[dict[str, LoggerSeen], set[int], dict[str, ChannelCount]]) -> None:
        """See what another one has seen; their order does not matter."""
        seen, others, channels = sums
        for name, count in channels.items():
            self._see_channel(name, count)
        self._names.add_others(others)
        for name, one in seen.items():
            row = self._names.of(name)  # first: it may move what is in seen
            self._seen.setdefault(row, LoggerSeen()).add(one)

    def result(self) -> dict[str, LoggerSeen]:
        """Return what the events of each logger were like; nothing is fed afterwards."""
        for one in self._pressure.left():
            self._see(one.event, one.route())
        self._names.settle()
        return dict(sorted(self._seen.items()))

    def rush(self) -> RushSeen:
        """Return what came by channels, and what limits, recalls and queues did; nothing is fed afterwards."""
        return RushSeen(self._channels, {one.appender: one for one in self._pressure.finish()})


def rolled_files(rolling: Rolling) -> dict[str, FileSimulation]:
    """Return the files of a plan whose traffic has ended."""
    rolling.finish()
    return {name: lane.simulation for name, lane in rolling.lanes.items()}


def from_fault(fault: Fault) -> Finding:
    """Return a fault of meaning as a finding."""
    return Finding(
        fault.code, "error", fault.what, fault.why, fault.fix, fault.place, fault.where, swap=fault.swap, related=fault.related
    )


def check(found: ResolvedPlan, known: Circumstances, only: frozenset[str] = frozenset()) -> list[Finding]:
    """Return every finding on a plan in force, by place; ``only`` names the checks to run, all without any."""
    scene = CheckContext(
        found,
        seen=known.seen,
        paths=known.paths,
        hosts=known.hosts,
        rolled=known.rolled,
        limits=known.limits,
        rush=known.rush,
        statements=known.statements,
        elsewhere=known.elsewhere,
    )
    needs = replace(known, document=found.adoption is not None).needs()
    checks = [one for code, one in load().items() if one.needs in needs and (not only or code in only)]
    findings: list[Finding] = []
    silenced: set[tuple[str, Waiver]] = set()
    waivers = dict(_waivers(found.plan))
    for one in checks:
        for finding in _hits(one, scene):
            heard = [
                (subject, waiver) for subject, all_ in waivers.items() for waiver in all_ if _silences(subject, waiver, finding)
            ]
            if heard:
                silenced.update(heard)
            else:
                findings.append(finding)
    if not only or "unused-waiver" in only:
        findings += _unused_waivers(waivers, silenced, {one.code for one in checks})
    return sorted(findings, key=Finding.order)


def _hits(one: Check, scene: CheckContext) -> Iterable[Finding]:
    for hit in one.find(scene):
        origin = hit.origin
        yield Finding(
            one.code, hit.severity or one.severity, hit.what, hit.why, hit.fix, origin.place, "" if origin.place else str(origin),
            hit.subject, hit.edit,
        )  # fmt: skip


def _waivers(plan: Plan) -> Iterable[tuple[str, tuple[Waiver, ...]]]:
    if plan.waivers:
        yield "plan", plan.waivers
    for logger in plan.loggers.values():
        if logger.waivers:
            yield f"logger {logger.name}", logger.waivers
    for channel in plan.channels.values():
        if channel.waivers:
            yield f"channel {channel.name}", channel.waivers
    for appender in plan.appenders.values():
        if appender.waivers:
            yield f"appender {appender.name}", appender.waivers
    for name, waivers in plan.template_waivers.items():
        if waivers:
            yield f"template {name}", waivers


def _silences(subject: str, waiver: Waiver, finding: Finding) -> bool:
    return waiver.check == finding.code and (subject in ("plan", finding.subject))


def _unused_waivers(
    waivers: dict[str, tuple[Waiver, ...]], silenced: set[tuple[str, Waiver]], ran: set[str]
) -> Iterable[Finding]:
    known = load()
    for subject, all_ in waivers.items():
        for waiver in all_:
            if waiver.check not in known:
                close = nearest(waiver.check, known)
                yield Finding("unused-waiver", "warning", f'no check is called "{waiver.check}"', "the waiver silences nothing",
                              f'did you mean "{close[0]}"?' if close else "vetrina check --list names them", waiver.place, subject=subject)  # fmt: skip
            elif waiver.check in ran and (subject, waiver) not in silenced:
                yield Finding("unused-waiver", "warning", f"the waiver of {waiver.check} silences nothing here",
                              "it would silence the next finding unseen", "remove it", waiver.place, subject=subject)  # fmt: skip


def check_stages(
    bring: Callable[[str | None], ResolvedPlan], stages: Iterable[str], known: Circumstances, only: frozenset[str]
) -> list[Finding]:
    """Return the findings on the plan and under each stage by itself, each told once with the stages it holds for.

    ``bring`` returns the plan in force under a stage (None: as the call says).
    """
    by_key: dict[tuple[object, ...], Finding] = {}
    under: dict[tuple[object, ...], list[str]] = {}
    names = ["", *stages]
    for stage in names:
        try:
            findings = check(bring(stage or None), known, only)
        except Refused as refused:
            findings = [from_fault(fault) for fault in refused.faults]
        turns: dict[tuple[object, ...], int] = {}
        for finding in findings:
            spot = (finding.code, finding.place, finding.where, finding.subject)
            turns[spot] = turns.get(spot, 0) + 1
            key = (*spot, turns[spot])
            by_key.setdefault(key, finding)
            under.setdefault(key, []).append(stage)
    whole = len(names)
    told = [
        replace(one, stages=() if len(under[key]) == whole else tuple(name or "no stage" for name in under[key]))
        for key, one in by_key.items()
    ]
    return sorted(told, key=Finding.order)
