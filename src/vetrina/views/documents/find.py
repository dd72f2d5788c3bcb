"""`find --json`: events where they stand, and what they add up to."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import msgspec
from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base.events import ErrorDetail, JsonObject, SourcePosition, filled
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.base.memo import Memo
from vetrina.core.finding.blocks import Blocks
from vetrina.core.finding.counts import Counts, Period
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.folds import Folded
from vetrina.core.finding.journeys import Journey


class FoundEvent(Struct, omit_defaults=True, rename={"from_": "from"}, gc=False):
    """An event as it is read, where it stands, and `text`: its message with the holes filled.

    `from` is the source, `line` its first line there; `hit` is false for an event that only stands near a hit (`--around`).
    """

    from_: str
    line: int
    time: datetime
    level: str
    logger: str
    message: str
    text: str
    fields: JsonObject | None = None
    error: str | ErrorDetail | None = None
    thread: str | int | None = None
    source: SourcePosition | None = None
    process: str | int | None = None
    host: str | None = None
    count: int | None = None
    mark: str | None = None
    channel: str | None = None
    hit: bool | UnsetType = UNSET


class FoundEvents:
    """Makes the records of entries."""

    def __init__(self, sources: Sequence[str], scale: Scale) -> None:
        severities = Severities(scale)
        self._sources = sources
        self._level: Memo[object, str] = Memo(lambda level: scale.name(severities[level]))

    def records(self, entries: Sequence[Entry]) -> list[FoundEvent]:
        """Return the records of entries."""
        sources, levels = self._sources, self._level
        return [
            FoundEvent(
                sources[entry.source], entry.line, event.time, levels[event.level], event.logger, event.message,
                filled(event) if "{" in event.message else event.message, event.fields, event.error, event.thread, event.source,
                event.process, event.host, event.count, event.mark, event.channel, UNSET if entry.hit else False,
            )
            for entry in entries
            for event in (entry.event,)
        ]  # fmt: skip


class FileThere(Struct):
    """A file of an appender that is there: its bytes on the disk, the times of its first and last event (null: none is read)."""

    appender: str
    path: str
    size: int
    from_: datetime | None = msgspec.field(name="from")
    to: datetime | None


class NoFile(Struct):
    """An appender of which no file is there, and the path where it would be."""

    appender: str
    path: str


class FindWhere(Struct):
    """`find --where --json`."""

    files: list[FileThere]
    missing: list[NoFile]


class CountGroup(Struct):
    """The events of one value; with two `--count-by` it is a list of two. A period's value is its beginning."""

    value: Any
    events: int
    errors: int


class FindCounts(Struct):
    """`find --count-by --json`: hits by what they share; `count` weighs, `errors` carry an error."""

    total: int
    groups: list[CountGroup]


def counts_document(counts: Counts) -> FindCounts:
    """Return counted hits."""

    def plain(value: Any) -> Any:
        return value.text if isinstance(value, Period) else value

    groups = []
    for one in counts.groups():
        values = [plain(value) for value in one.values]
        groups.append(CountGroup(values[0] if len(values) == 1 else values, one.events, one.errors))
    return FindCounts(counts.total, groups)


class JourneyGap(Struct):
    """The longest time between two events that follow one another, and their messages, holes filled."""

    seconds: float
    after: str
    before: str


class FoundJourney(Struct):
    """The events that share a value: `from` are their sources in the order in which it came to them."""

    value: str
    events: int
    from_: list[str] = msgspec.field(name="from")
    first: datetime
    last: datetime
    seconds: float
    worst: str
    gap: JourneyGap | None


class FindJourneys(Struct):
    """`find --journey NAME --json`: the slowest first."""

    journeys: list[FoundJourney]


def journeys_document(journeys: Sequence[Journey], sources: Sequence[str], scale: Scale) -> FindJourneys:
    """Return journeys."""
    return FindJourneys([
        FoundJourney(
            one.value, one.events, [sources[at] for at in one.sources], one.first, one.last, one.seconds, scale.name(one.worst),
            None if one.gap is None else JourneyGap(one.gap.seconds, one.gap.after, one.gap.before),
        )
        for one in journeys
    ])  # fmt: skip


class TimedBlock(Struct):
    """The blocks of one name, in seconds: all together, without inner ones, in the middle, at 95 % by nearest rank, the longest."""

    name: str
    count: int
    seconds: float
    own_seconds: float
    median: float
    p95: float
    longest: float


class BrokenBlock(Struct):
    """What does not nest: `no-begin`, `no-end` or `crossing`, and where it stands."""

    kind: str
    from_: str = msgspec.field(name="from")
    line: int


class FindBlocks(Struct):
    """`find --blocks --json`: the most time first."""

    blocks: list[TimedBlock]
    broken: list[BrokenBlock]


def blocks_document(blocks: Blocks, sources: Sequence[str]) -> FindBlocks:
    """Return timed blocks."""
    timed = sorted(blocks.timed.values(), key=lambda one: (-one.total, one.name))
    return FindBlocks(
        [
            TimedBlock(
                one.name, len(one.lengths), one.total, one.own.total_seconds(), one.median, one.rank(0.95), max(one.lengths)
            )
            for one in timed
        ],
        [BrokenBlock(one.kind, sources[one.spot.source], one.spot.line) for one in blocks.broken],
    )


class FoldedMessage(Struct):
    """A message as written that came so often, first and last; `from` and `line` are where it came first."""

    level: str
    logger: str
    message: str
    events: int
    first: datetime
    last: datetime
    from_: str = msgspec.field(name="from")
    line: int


class FindFolded(Struct):
    """`find --fold --json`: in the order in which each came first."""

    folded: list[FoldedMessage]


def folded_document(folded: Sequence[Folded], sources: Sequence[str], scale: Scale) -> FindFolded:
    """Return folded messages."""
    return FindFolded([
        FoldedMessage(
            scale.name(one.severity), one.logger or "root", one.message, one.events, one.first, one.last,
            sources[one.entry.source], one.entry.line,
        )
        for one in folded
    ])  # fmt: skip
