"""Files of expected deliveries: `vetrina-expect: 1`, read with every fault and its place, and written from what holds.

The keys are one table, which serves reading, the faults and the schema, as a plan's do.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import msgspec

from vetrina.core.base.events import ErrorDetail, Event, SourcePosition
from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.base.faults import Fault, Refused, offer, refuse
from vetrina.core.base.levels import LevelRange, Scale
from vetrina.core.base.logger_names import event_name, tree_name
from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.changes.expecting import Case, LineTest, Recorded, named, sink_names
from vetrina.core.config.dump import yaml_text
from vetrina.core.config.edits import flow
from vetrina.core.config.merging import merge
from vetrina.core.config.placeholders import typed
from vetrina.core.plan.model import Plan
from vetrina.core.plan.samples import START
from vetrina.core.schema.containers import Key, ListOf, MapOf, Record, Section
from vetrina.core.schema.held import Layer, MergedNode
from vetrina.core.schema.kinds import PLACEHOLDER, Anything, DurationKind, RangeKind, Read, Schema, Text, Whole, definitions
from vetrina.core.schema.nodes import Mapping, Scalar, Source
from vetrina.formats.documents import decode, read_bytes, read_document

VERSION = 1


class EventKeys(Section, frozen=True):
    """The event of a case, or many by several loggers and levels."""

    logger: tuple[Sourced[str], ...] | None = None
    level: tuple[Sourced[LevelRange], ...] | None = None
    message: Sourced[str] | None = None
    time: Sourced[str] | None = None
    fields: dict[str, Sourced[Any]] | None = None
    error: Sourced[Any] | None = None
    thread: Sourced[Any] | None = None
    process: Sourced[Any] | None = None
    host: Sourced[str] | None = None
    channel: Sourced[str] | None = None
    source: Sourced[Any] | None = None


class LineKeys(Section, frozen=True):
    """What a line must look like."""

    text: Sourced[str] | None = None
    holds: Sourced[str] | None = None
    matches: Sourced[str] | None = None
    members: dict[str, Sourced[Any]] | None = None


class BesideKeys(EventKeys, frozen=True):
    """An event that comes before or after the case's own."""

    times: Sourced[int] | None = None
    apart: Sourced[timedelta] | None = None


class CaseKeys(Section, frozen=True):
    """One case."""

    say: Sourced[str] | None = None
    event: EventKeys | None = None
    earlier: tuple[BesideKeys, ...] | None = None
    later: tuple[BesideKeys, ...] | None = None
    reaches: tuple[Sourced[str], ...] | None = None
    avoids: tuple[Sourced[str], ...] | None = None
    only: tuple[Sourced[str], ...] | None = None
    times: dict[str, Sourced[int]] | None = None
    line: dict[str, LineKeys] | None = None
    stages: tuple[Sourced[str], ...] | None = None


class CaseFile(Section, frozen=True):
    """A file of cases."""

    title: Sourced[str] | None = None
    cases: tuple[CaseKeys, ...] | None = None


_NAMES = ListOf(Text(), single=True)
EVENT = Record(
    name="an event",
    into=EventKeys,
    keys={
        "logger": Key(
            ListOf(Text(), single=True, least=1),
            "its logger, or several",
            required=True,
            example="[ropeway.gate, ropeway.fare]",
        ),
        "level": Key(
            ListOf(RangeKind(), single=True, least=1),
            "its level, a range (each named level in it), or several",
            "info",
            example="[debug, warn..]",
        ),
        "message": Key(Text(), "its message", "a message", example="gate 4 opened"),
        "time": Key(Text(as_written=True), "RFC 3339; a moment of its own without it", example="'2026-11-02T08:00:00+01:00'"),
        "fields": Key(MapOf(Anything()), "its fields", example="{gate: 4}"),
        "error": Key(Anything(), "a text, or {type, message, stack}", example="{type: OverSpeed, message: 6.2 m/s}"),
        "thread": Key(Anything(), "its thread", example="worker-2"),
        "process": Key(Anything(), "its process", example="811"),
        "host": Key(Text(), "its host", example="valley"),
        "channel": Key(Text(), "the channel that it comes by", example="access"),
        "source": Key(Anything(), "{file, line, function}", example="{file: gate.py, line: 40}"),
    },
)
BESIDE = Record(
    name="an event beside",
    into=BesideKeys,
    keys={
        **EVENT.keys,
        "times": Key(Whole(low=1, high=10_000), "how often it comes", "1", example="5"),
        "apart": Key(DurationKind(), "how far from the case's own event; at the same moment without it", example="30 seconds"),
    },
)
LINE = Record(
    name="a line's test",
    into=LineKeys,
    keys={
        "text": Key(Text(), "the whole line, without its ending", example="08:00:00 INFO gate 4 opened"),
        "holds": Key(Text(), "a text within it", example="gate 4"),
        "matches": Key(Text(), "an RE2 expression, searched in it", example="'^[0-9:]+ INFO '"),
        "members": Key(MapOf(Anything()), "members of the JSON object that it is", example="{level: info}"),
    },
    short="holds",
)
CASE = Record(
    name="a case",
    into=CaseKeys,
    keys={
        "say": Key(
            Text(empty=False),
            "one sentence: what is expected",
            required=True,
            example="the scanner's debug messages stay out of the daybook",
        ),
        "event": Key(
            EVENT,
            "the event, or many by several loggers and levels",
            required=True,
            example="{logger: ropeway.gate, level: debug}",
        ),
        "earlier": Key(
            ListOf(BESIDE),
            "events that come before it, in order: limits, recalls and queues depend on them",
            example="[{logger: ropeway.drive, level: error, times: 5, apart: 30 seconds}]",
        ),
        "later": Key(
            ListOf(BESIDE),
            "events that come after it: a recall depends on them",
            example="[{logger: ropeway.drive, level: error, apart: 2 seconds}]",
        ),
        "reaches": Key(_NAMES, "appenders or sinks it must arrive in", example="[daybook]"),
        "avoids": Key(_NAMES, "appenders or sinks it must not arrive in", example="[desk]"),
        "only": Key(_NAMES, "exactly where it must arrive; [] is nowhere", example="[daybook]"),
        "times": Key(MapOf(Whole(low=0, high=1000)), "how often it arrives in an appender or sink", example="{daybook: 1}"),
        "line": Key(MapOf(LINE), "what its line in an appender must look like", example="{daybook: {holds: gate 4}}"),
        "stages": Key(_NAMES, "stages under each of which it must hold; as the call says without any", example="[live]"),
    },
)
CASES = Record(
    name="a file of cases",
    into=CaseFile,
    keys={
        "vetrina-expect": Key(Whole(), "version of the format", required=True, example="1"),
        "title": Key(Text(), "what the cases are about", example="who gets what"),
        "cases": Key(
            ListOf(CASE, least=1),
            "the cases",
            required=True,
            example="[{say: it arrives, event: {logger: ropeway, level: info}, reaches: [daybook]}]",
        ),
    },
)


def cases_schema() -> Schema:
    """Return the JSON Schema of a file of cases, without its dialect."""
    found = CASES.as_object()
    properties = {**found["properties"], "vetrina-expect": {"const": VERSION, "description": "version of the format"}}
    return {"title": "Vetrina cases", **found, "properties": properties, "required": ["vetrina-expect", "cases"],
            "$defs": definitions(*CASES.parts()) | {"placeholder": PLACEHOLDER}}  # fmt: skip


class _CaseReader:
    """Reads values as they are written: a file of cases has no placeholders."""

    def __init__(self, scale: Scale, faults: list[Fault]) -> None:
        self.scale, self._faults = scale, faults

    def scalar(self, held: MergedNode) -> Read | None:
        """Return a typed scalar, None for nothing."""
        node = held.node
        if not isinstance(node, Scalar):
            return None
        value = typed(node.text) if node.plain else node.text
        return None if value is None else Read(value, node.text, node.text, Origin("file", node.place))

    def report(self, fault: Fault) -> None:
        """Take a fault."""
        self._faults.append(fault)


def read_cases(path: Path, plan: Plan, stages: Iterable[str]) -> list[Case]:
    """Return the cases of a file; raise Refused with every fault. Names must be the plan's, stages among ``stages``."""
    name = str(path)
    faults: list[Fault] = []
    text = decode(read_bytes(path, name), name)
    document = read_document(text, Source(name, "file", text), faults.append)
    if not isinstance(document, Mapping):
        raise refuse("this is no file of cases", fix=f"begin with vetrina-expect: {VERSION}", where=name)
    version = document.get("vetrina-expect")
    if version is None or not isinstance(version, Scalar) or version.text != str(VERSION):
        raise refuse(
            "this is no file of cases of a known version",
            fix=f"begin with vetrina-expect: {VERSION}",
            place=(version or document).place,
        )
    shaped = CASES.shape(document, faults.append, layered=False)
    reader = _CaseReader(plan.scale, faults)
    if shaped is None:
        raise Refused(faults)
    found: CaseFile = CASES.read(merge(CASES, None, Layer("file", name), shaped), reader)
    if faults:
        raise Refused(faults)
    cases = [case for one in found.cases or () if (case := _case(one, plan, tuple(stages), faults)) is not None]
    if faults:
        raise Refused(faults)
    if not cases:
        raise refuse(
            "there are no cases in it", "nothing to check is no success", "add cases:, or record some with --record", where=name
        )
    return cases


def _case(section: CaseKeys, plan: Plan, stages: tuple[str, ...], faults: list[Fault]) -> Case | None:
    known = [*plan.appenders, *(name for one in plan.appenders.values() for name in sink_names(one))]

    def names(given: tuple[Sourced[str], ...] | None) -> tuple[str, ...]:
        return tuple(_known(one, plan, known, faults) for one in given or ())

    for one in section.stages or ():
        if one.value not in stages:
            fix = offer(one.value, stages) if stages else "the plan has no stages"
            faults.append(Fault("unknown-stage", f'no stage is called "{one.value[:60]}"', fix=fix, place=one.origin.place))
    expected = (section.reaches, section.avoids, section.only, section.times, section.line)
    if all(one is None for one in expected):
        faults.append(Fault("missing-key", "this case expects nothing", why="it would hold whatever the plan says",
                            fix="say what it reaches, avoids, or only reaches", place=section.held.place))  # fmt: skip
    if section.say is None or section.event is None:
        return None  # told where it was read
    try:
        events = tuple(_events(section.event, plan))
        earlier, later = (
            tuple(_beside(given, plan, events, sign)) for given, sign in ((section.earlier, -1), (section.later, 1))
        )
    except (ValueError, TypeError) as error:
        faults.append(Fault("wrong-value", f"this is not an event: {error}", place=section.event.held.place))
        return None
    for key in ("times", "line"):
        held = section.held.get(key)
        for name, child in held.living() if held is not None else ():
            _known(Sourced(name, Origin("file", child.key_place)), plan, known, faults)
    return Case(
        say=section.say.value,
        place=section.held.place,
        events=events,
        earlier=earlier,
        later=later,
        reaches=names(section.reaches),
        avoids=names(section.avoids),
        only=names(section.only) if section.only is not None else None,
        times=tuple((name, one.value) for name, one in (section.times or {}).items()),
        lines=tuple((name, _line(one, faults)) for name, one in (section.line or {}).items()),
        stages=tuple(one.value for one in section.stages or ()),
    )


def _known(name: Sourced[str], plan: Plan, known: list[str], faults: list[Fault]) -> str:
    if not named(name.value, plan):
        what = f'no appender or sink is called "{name.value[:60]}"'
        faults.append(Fault("unknown-appender", what, fix=offer(name.value, known), place=name.origin.place))
    return name.value


def _line(section: LineKeys, faults: list[Fault]) -> LineTest:
    matches = None
    if section.matches is not None:
        try:
            matches = Expression(section.matches.value)
        except BadExpression as bad:
            faults.append(Fault("bad-expression", f"this is no RE2 expression: {bad}", place=section.matches.origin.place))
    members = {name: one.value for name, one in section.members.items()} if section.members is not None else None
    holds, text = section.holds, section.text
    return LineTest(text.value if text else None, holds.value if holds else None, matches, members)


def _events(section: EventKeys, plan: Plan) -> Iterator[Event]:
    record: dict[str, Any] = {"time": START, "message": section.message.value if section.message else "a message"}
    if section.time is not None:
        record["time"] = section.time.value
    if section.fields is not None:
        record["fields"] = {name: one.value for name, one in section.fields.items()}
    further = {
        "error": section.error, "thread": section.thread, "process": section.process, "host": section.host,
        "source": section.source, "channel": section.channel,
    }  # fmt: skip
    record |= {name: one.value for name, one in further.items() if one is not None}
    loggers = [one.value for one in section.logger or ()]
    ranges = [one.value for one in section.level or ()] or [LevelRange(9, 9)]
    severities = [severity for one in ranges for severity in _named(one, plan.scale)]
    for logger in dict.fromkeys(loggers):
        for severity in dict.fromkeys(severities):
            whole = {**record, "logger": event_name(logger), "level": plan.scale.name(severity)}
            whole["level"] = severity if str(whole["level"]).isdigit() else whole["level"]
            yield msgspec.convert(whole, Event)


def _beside(sections: tuple[BesideKeys, ...] | None, plan: Plan, events: tuple[Event, ...], sign: int) -> Iterator[Event]:
    """Yield the events before (``sign`` -1) or after (1) a case's own, in their order."""
    for one in sections or ():
        for event in _events(one, plan):
            if one.time is None and events:
                event.time = events[0].time + sign * (one.apart.value if one.apart else timedelta(0))
            for _ in range(one.times.value if one.times else 1):
                yield event


def _named(one: LevelRange, scale: Scale) -> list[int]:
    """Return the severities of a range that have a name; one without any gives its lower end."""
    known = scale.named()
    return [severity for severity in known if one.holds(severity)] or [one.low]


def cases_text(recorded: Iterable[Recorded], title: str) -> str:
    """Return a file of cases that says what holds today, one case for each class."""
    lines = [f"vetrina-expect: {VERSION}", f"title: {yaml_text(title)}", "cases:"]
    for one in recorded:
        event, names = one.event, list(dict.fromkeys(one.arrivals))
        logger = tree_name(event.logger)
        where = f"arrives in {', '.join(names)}" if names else "arrives nowhere"
        given: dict[str, object] = {"logger": logger, "level": event.level, "message": event.message}
        if one.asks:
            given |= _asked(event)
        if event.channel:
            given["channel"] = event.channel
        lines += [
            f"  - say: {yaml_text(f'{logger} at {event.level} {where}')}",
            f"    event: {flow(given)}",
            f"    only: {flow(names)}",
        ]
        times = {name: one.arrivals.count(name) for name in names if one.arrivals.count(name) > 1}
        lines += [f"    times: {flow(times)}"] if times else []
    return "\n".join(lines) + "\n"


def _asked(event: Event) -> dict[str, object]:
    """Return what rules may look at beside logger, level and message."""
    found: dict[str, object] = {}
    if event.fields:
        found["fields"] = event.fields
    if event.error:
        found["error"] = (
            msgspec.to_builtins(event.error) if isinstance(event.error, ErrorDetail | SourcePosition) else event.error
        )
    return found
