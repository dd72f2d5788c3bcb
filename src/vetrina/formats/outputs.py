"""The documents that commands print with `--json`, as typed records: what `vetrina schema output` describes."""

from __future__ import annotations

from typing import Any, Literal

import msgspec

OriginKind = Literal["file", "stage", "layer", "option", "environment", "default"]
Gate = Literal["door", "level", "nowhere", "attachment", "once", "disabled", "floor", "ceiling", "rules"]
EarlyGate = Literal["door", "level", "nowhere"]


class Place(msgspec.Struct):
    """Where an effective value came from; file and line are null where no file holds it."""

    kind: OriginKind
    file: str | None
    line: int | None
    column: int | None = None
    label: str = ""


class ClosedWay(msgspec.Struct):
    """An attached appender that nothing can reach from a logger, and why."""

    appender: str
    why: str


class LevelEntry(msgspec.Struct):
    """One logger; `set` is null where its level is inherited; `closed` are the attachments at which nothing can pass."""

    logger: str
    set: str | None
    effective: str
    severity: int
    inherited_from: str | None
    origin: Place
    climb: bool
    enabled: bool
    delivers: list[str]
    closed: list[ClosedWay] = []
    changed_from: str = ""
    note: str = ""


class Levels(msgspec.Struct):
    """`levels --json`."""

    loggers: list[LevelEntry]


class EarlyStops(msgspec.Struct):
    """Events stopped before any appender was asked."""

    door: int
    level: int
    nowhere: int


class AppenderTraffic(msgspec.Struct):
    """What one appender got; `bytes` is null under --counts-only."""

    appender: str
    sink: str
    reached: int
    bytes: int | None
    stopped: dict[str, int]


class TrafficCell(msgspec.Struct):
    """The events of one logger and level, and how many deliveries each appender got of them."""

    logger: str
    level: str
    events: int
    reached: dict[str, int]


class Routes(msgspec.Struct):
    """`routes --json`; with --each the lines are described by `routes-each`.

    `further_loggers`: so many share cells, beyond the first 10,000 by name; left out where there are none.
    """

    events: int
    unreadable: int
    unfilled: int
    unrouted: int
    stopped: EarlyStops
    appenders: list[AppenderTraffic]
    cells: list[TrafficCell]
    further_loggers: int = 0


class Delivery(msgspec.Struct):
    """An arrival; `via` is the logger whose attachment it was."""

    appender: str
    via: str


class Stop(msgspec.Struct):
    """An arrival that did not happen, and the gate."""

    appender: str
    via: str
    gate: Gate


class FieldGroup(msgspec.Struct):
    """The events that share a field's value."""

    value: str
    events: int
    unrouted: int
    reached: dict[str, int]


class RoutesGrouped(msgspec.Struct):
    """`routes --group-by field NAME --json`."""

    field: str
    events: int
    unreadable: int
    groups: list[FieldGroup]


class RoutesEach(msgspec.Struct):
    """One line of `routes --each --json`."""

    line: int
    logger: str
    level: str
    stopped_at: EarlyGate | None
    deliveries: list[Delivery]
    stops: list[Stop]


class GateStep(msgspec.Struct):
    """One gate that was asked."""

    gate: Gate
    passed: bool
    compared: str
    appender: str | None
    via: str | None
    origin: Place | None


class Gain(msgspec.Struct):
    """What a change adds to one appender, for the given events."""

    events: int
    bytes: int


class OtherWay(msgspec.Struct):
    """What else goes elsewhere after a change; `events` are deliveries more over given events, null without any."""

    logger: str
    level: str
    events: int | None


class Way(msgspec.Struct):
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


class Asked(msgspec.Struct):
    """What becomes of the message at the appender that `--to` names."""

    appender: str
    arrives: bool
    verdict: str


class Why(msgspec.Struct):
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
    ways: list[Way] = []
    asked: Asked | None = None


class OriginOf(Place, kw_only=True):
    """The origin of one value of the plan in force, by its path."""

    path: str


class Resolve(msgspec.Struct):
    """`resolve --json`: the plan, every value's origin, the names of values shown as `***`."""

    plan: dict[str, Any]
    origins: list[OriginOf]
    hidden: list[str]


class Saying(msgspec.Struct):
    """What one layer said about a value."""

    kind: Literal["file", "stage", "layer", "option"]
    label: str
    file: str | None
    line: int | None
    column: int | None
    text: str
    fate: str


class Placeholder(msgspec.Struct):
    """A placeholder that was filled, and those inside its value."""

    name: str
    source: Literal["option", "env-file", "value", "environment", "default"]
    where: str
    file: str | None
    line: int | None
    text: str
    secret: bool
    placeholders: list[Placeholder]


class Origin(msgspec.Struct):
    """`origin PLAN PATH --json`; with --unused the document is described by `origin-unused`."""

    path: str
    value: str
    remark: str
    history: list[Saying]
    placeholders: list[Placeholder]


class ReadSource(msgspec.Struct):
    """A source that was read: how many values it set, and how many of them are in force."""

    kind: str
    name: str
    set: int
    in_force: int
    remark: str


class UnusedEntry(msgspec.Struct):
    """Something that no value in force uses."""

    kind: str
    name: str
    file: str | None
    line: int | None
    column: int | None
    remark: str


class OriginUnused(msgspec.Struct):
    """`origin PLAN --unused --json`."""

    sources: list[ReadSource]
    unused: list[UnusedEntry]


class Preview(msgspec.Struct):
    """One line of `preview --json`: what an appender's sink receives of one event, ending included."""

    line: int
    appender: str
    output: str


class Misfit(msgspec.Struct):
    """A line that is part of no event, and why."""

    file: str
    line: int
    reason: str


class ReadSummary(msgspec.Struct):
    """`read --json`, on standard error: what became of the lines; `stopped` by `--first`, after which nothing was read.

    The events themselves are printed as JSON Lines on standard output, with or without `--json` (`schema events`).
    """

    events: int
    shown: int
    stopped: bool
    joined_lines: int
    joined_events: int
    blank: int
    misfits: int
    first_misfits: list[Misfit]


class RolledFile(msgspec.Struct):
    """One file over time; `reason` is why it closed (null: still open), `name` the last one it bore."""

    name: str
    opened: str
    closed: str | None
    reason: Literal["time", "size", "start"] | None
    events: int
    bytes: int
    disk_bytes: int
    removed: str | None
    removed_by: Literal["age", "files", "disk", "overwritten"] | None
    lost: int


class HistoryKept(msgspec.Struct, rename={"from_": "from"}):
    """The least and the greatest event time that are still on disk."""

    from_: str | None
    to: str | None


class StandingFile(msgspec.Struct):
    """A file that stands in the folder at the moment of `--on`; `bytes` is null for the open one."""

    name: str
    bytes: int | None
    changed: str


class RollingFiles(msgspec.Struct):
    """One line of `rolling --json`: the files of one appender, in the order of opening; `folder` is there with `--on`.

    `history_limited` tells whether a limit acted, so that the history is one that is kept; `estimated`, that added streams
    (`--rate`) are in it.
    """

    appender: str
    files: list[RolledFile]
    peak_disk_bytes: int
    history: HistoryKept
    history_limited: bool
    estimated: bool
    folder: list[StandingFile] = []


class FindingEntry(msgspec.Struct):
    """One finding; `edit` is a ready option that mends it, `stages` those under which alone it holds."""

    code: str
    severity: Literal["error", "warning", "hint"]
    message: str
    why: str
    remedy: str
    file: str | None
    line: int | None
    column: int | None
    subject: str
    edit: str
    stages: list[str]


class CheckResult(msgspec.Struct):
    """`check --json`."""

    findings: list[FindingEntry]


class CheckPage(msgspec.Struct):
    """One check, as `check --explain CODE --json` prints it; `needs` is what it looks at besides the plan."""

    code: str
    severity: Literal["error", "warning", "hint"]
    title: str
    needs: Literal["plan", "events", "probe", "network", "fault"]
    limits: dict[str, float]
    page: str


class CheckList(msgspec.Struct):
    """`check --list --json`."""

    checks: list[CheckPage]


class Tally(msgspec.Struct):
    """So many events and bytes."""

    events: int
    bytes: int


class AppenderChange(msgspec.Struct):
    """One appender before and after a change; `gained` and `lost` count events, one by one."""

    appender: str
    before: Tally
    after: Tally
    gained: int
    lost: int
    a_day: DayBytes
    estimated: bool


class DayBytes(msgspec.Struct):
    """Bytes in a day, worked out as `pace` says; null where the recording has no length."""

    before: int | None
    after: int | None


class PaceOf(msgspec.Struct, rename={"from_": "from"}):
    """What figures `a day` stand on: the average of the recording's whole `days`, or the recording's pace extrapolated."""

    from_: Literal["whole-days", "extrapolated", "unknown"]
    recorded_seconds: float
    days: list[str]
    streamed_events: int


class LoggerChange(msgspec.Struct):
    """What an appender gains and loses of one logger and level, the loudest gain first."""

    logger: str
    level: str
    appender: str
    gained: Tally
    lost: Tally


class DayChange(msgspec.Struct):
    """One appender on one day of the plan's zone."""

    day: str
    appender: str
    before: Tally
    after: Tally
    whole: bool
    estimated: bool


class KeptFiles(msgspec.Struct):
    """Files, disk and history of one appender; the history is at its shortest, null where no limit acted within the recording.

    `reaches_back_seconds` is how far back the files reach then, limited or not.
    """

    files: int
    peak_disk_bytes: int
    history_seconds: float | None
    reaches_back_seconds: float
    limit: Literal["acts", "not yet", "none"]
    removed: int


class FilesChange(msgspec.Struct):
    """The rolling files of one appender before and after; null where it does not roll."""

    appender: str
    before: KeptFiles | None
    after: KeptFiles | None


class TwiceChange(msgspec.Struct):
    """Events that arrive more than once at a sink after the change, and did not before."""

    logger: str
    sink: str
    events: int


class LevelCount(msgspec.Struct):
    """Events of one logger and level."""

    logger: str
    level: str
    events: int


class UnheardLevels(msgspec.Struct, rename={"from_": "from"}):
    """Levels that the change lets through and of which the recording holds nothing."""

    logger: str
    from_: str
    to: str
    below: bool


class FindingBrief(msgspec.Struct):
    """A finding that appears or vanishes."""

    code: str
    severity: Literal["error", "warning", "hint"]
    message: str
    subject: str


class FindingsChange(msgspec.Struct):
    """Findings of `check` that a change brings and takes away."""

    appeared: list[FindingBrief]
    vanished: list[FindingBrief]


class Candidate(msgspec.Struct):
    """One of several changes; `shows` are the appenders that --must-show arrives in, null without it.

    `bytes_a_day` is what files on disk get more, `bytes_a_day_apart` what other kinds of sink do; null without a length.
    """

    change: list[str]
    gained: int
    lost: int
    bytes_a_day: int | None
    bytes_a_day_apart: dict[str, int | None]
    shows: list[str] | None


class WhatIf(msgspec.Struct):
    """`whatif --json`: the first candidate in full, and all of them in `candidates`.

    `further_loggers`: so many share rows, beyond the first 10,000 by name; left out where there are none.
    """

    events: int
    unreadable: int
    change: list[str]
    verdict: list[str]
    appenders: list[AppenderChange]
    pace: PaceOf
    loggers: list[LoggerChange]
    days: list[DayChange]
    files: list[FilesChange]
    twice: list[TwiceChange]
    silenced: list[LevelCount]
    newly_seen: list[LevelCount]
    unheard: list[UnheardLevels]
    findings: FindingsChange
    candidates: list[Candidate]
    further_loggers: int = 0


class MessageClass(msgspec.Struct):
    """Messages that two plans treat differently; `scope`: the logger exactly, what is not named below it, both, or all below.

    `when` are the answers to the rules' questions. `example` was routed through both plans; null where it is undecided.
    """

    logger: str
    scope: Literal["exactly", "below", "both", "all"]
    level: str
    when: list[str]
    only_in_first: list[str]
    only_in_second: list[str]
    example: dict[str, Any] | None


class SinkDifference(msgspec.Struct):
    """Two matched appenders that do something else with the same events; undecided where no sample shows it."""

    first: str
    second: str
    kind: Literal["moved", "lines", "groups", "files", "sink"]
    decided: bool
    what: list[str]
    example: dict[str, Any] | None
    outputs: list[str] | None


class Compare(msgspec.Struct):
    """`compare --json`; `bounded` are loggers at which the rules' questions multiplied too far to follow all."""

    equal: bool
    classes: int
    differences: list[MessageClass]
    undecided: list[MessageClass]
    bounded: list[str]
    sinks: list[SinkDifference]


class FileDiff(msgspec.Struct):
    """A file with the lines of its unified diff."""

    file: str
    diff: list[str]


class Apply(msgspec.Struct):
    """`apply --json`; `made_in` are the layers in which the values are decided."""

    applied: bool
    files: list[FileDiff]
    made_in: list[str]


class AppliedChange(msgspec.Struct):
    """A change on record: when it was written, by which options, in which files."""

    time: str
    words: list[str]
    files: list[str]


class Undo(msgspec.Struct):
    """`undo --json`."""

    undone: bool
    files: list[FileDiff]
    changes: list[AppliedChange]


class UndoList(msgspec.Struct):
    """`undo --list --json`, the oldest first."""

    changes: list[AppliedChange]


class CaseFailure(msgspec.Struct):
    """One way in which a case does not hold; `remedy` is the nearest change that would let the event arrive."""

    stage: str | None
    event: dict[str, Any]
    what: str
    why: str
    remedy: str


class CaseVerdict(msgspec.Struct):
    """One case; `tried` counts its events over all its stages."""

    say: str
    file: str
    line: int
    holds: bool
    tried: int
    failures: list[CaseFailure]


class Expect(msgspec.Struct):
    """`expect --json`."""

    cases: list[CaseVerdict]
    failed: int


class RehearsedAppender(msgspec.Struct):
    """What one appender did: `waited` were in its buffer at the end; `lost` and `failed` (deliveries) by reason."""

    appender: str
    sink: str
    reached: int
    delivered: int
    groups: int
    median_late_seconds: float
    longest_late_seconds: float
    waited: int
    lost: dict[str, int]
    failed: dict[str, int]


class RehearsedFile(msgspec.Struct):
    """A file below the folder."""

    path: str
    bytes: int


class Verified(msgspec.Struct):
    """Whether simulation and rehearsal agree; the first few differences."""

    agrees: bool
    differences: list[str]


class Rehearse(msgspec.Struct):
    """`rehearse --json`; `mapping` and `dialled` say where the plan's paths and hosts were put instead."""

    events: int
    unreadable: int
    folder: str
    appenders: list[RehearsedAppender]
    files: list[RehearsedFile]
    mapping: dict[str, str]
    dialled: dict[str, str]
    verified: Verified | None


class Receive(msgspec.Struct):
    """`receive --json`, printed when it listens."""

    host: str
    ports: dict[str, int]
    into: str


OUTPUTS: dict[str, Any] = {
    "levels": Levels,
    "resolve": Resolve,
    "origin": Origin,
    "origin-unused": OriginUnused,
    "routes": Routes,
    "routes-each": RoutesEach,
    "routes-grouped": RoutesGrouped,
    "why": Why,
    "check": CheckResult,
    "check-list": CheckList,
    "check-explain": CheckPage,
    "preview": Preview,
    "read": ReadSummary,
    "rolling": RollingFiles,
    "whatif": WhatIf,
    "compare": Compare,
    "apply": Apply,
    "undo": Undo,
    "undo-list": UndoList,
    "expect": Expect,
    "rehearse": Rehearse,
    "receive": Receive,
}
