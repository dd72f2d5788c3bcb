"""`rolling --json`: the files over time; the coming names."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime, tzinfo
from typing import Literal

from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base import clocks
from vetrina.core.base.levels import Scale
from vetrina.core.foresight.lessons import Foretold
from vetrina.core.rolling.lanes import RollingAppender
from vetrina.core.rolling.outlook import Advice, kept_history
from vetrina.core.rolling.simulation import FileRecord, standing_at
from vetrina.core.rolling.streams import Forecast, Range
from vetrina.views.documents.foresight import Estimate, Learned, learned, names_of


class RolledFile(Struct):
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


class HistoryKept(Struct, rename={"from_": "from"}):
    """The least and the greatest event time that are still on disk."""

    from_: str | None
    to: str | None


class StandingFile(Struct):
    """A file that stands in the folder at the moment of `--on`; `bytes` is null for the open one."""

    name: str
    bytes: int | None
    changed: str


class Spread(Struct):
    """The 5th, 50th and 95th of a hundred."""

    p5: float
    p50: float
    p95: float


class Outlook(Struct):
    """What the files would be like if the traffic were drawn again, ``runs`` times."""

    runs: int
    bytes: Spread
    peak_disk_bytes: Spread
    files: Spread
    history_seconds: Spread


class AdvisedLimits(Struct):
    """Limits that meet a wish, tried on this traffic; `met` tells whether they do, `untold` that they may: it was too short to tell."""

    met: bool
    untold: bool
    edits: list[str]
    peak_disk_bytes: int
    history_seconds: float


class FilesTotal(Struct):
    """Events, bytes, files, peak disk and seconds of history of one appender."""

    events: int
    bytes: int
    files: int
    peak_disk_bytes: int
    history_seconds: float


class RollingFiles(Struct):
    """One line of `rolling --json`: the files of one appender, in the order of opening.

    `folder` is there with `--on`, `outlook` with `--runs`, `advice` with `--disk` or `--history`. `history_limited` tells whether a limit acted, so that the history is one that is kept; `estimated` is the range of
    its totals with `--learn`, of which `learned` tells (`files` are those of what is expected), else whether added streams
    (`--rate`) are in it.
    """

    appender: str
    files: list[RolledFile]
    peak_disk_bytes: int
    history: HistoryKept
    history_limited: bool
    estimated: bool | Estimate[FilesTotal]
    folder: list[StandingFile] | UnsetType = UNSET
    outlook: Outlook | UnsetType = UNSET
    advice: AdvisedLimits | UnsetType = UNSET
    learned: Learned | UnsetType = UNSET


class ComingName(Struct):
    """A roll to come, in words, and the name that it would give."""

    roll: str
    name: str


class RollingNames(Struct):
    """One line of `rolling --names --json`: the names that coming rolls of one appender would give."""

    appender: str
    names: list[ComingName]


def rolled_file(one: FileRecord, zone: tzinfo) -> RolledFile:
    """Return one file over time."""
    opened, closed, removed = (
        None if time is None else clocks.iso(zone)(time) for time in (one.opened, one.closed, one.removed)
    )
    return RolledFile(
        one.name, opened or "", closed, one.reason, one.events, one.bytes, one.disk_bytes, removed, one.removed_by, one.lost
    )  # fmt: skip


def document(
    name: str,
    lane: RollingAppender,
    zone: tzinfo,
    moment: datetime | None,
    forecast: Forecast | None,
    advice: Advice | None,
    foretold: Foretold | None,
    scale: Scale,
) -> RollingFiles:
    """Return one appender's files as a document, with what was asked besides."""
    found, show = lane.simulation, clocks.iso(zone)

    def shown(time: datetime | None) -> str | None:
        return None if time is None else show(time)

    files = [rolled_file(one, zone) for one in found.files]
    return RollingFiles(
        name,
        files,
        found.peak,
        HistoryKept(*map(shown, found.history())),
        any(one.removed is not None for one in found.files),
        _estimated(lane, scale) or lane.streamed,
        UNSET if moment is None else _folder(lane, moment, zone),
        UNSET if forecast is None else _outlook(forecast),
        UNSET if advice is None else _advice(advice),
        UNSET
        if foretold is None
        else learned(foretold.lessons, foretold.totals, foretold.draws, scale, played=foretold.played),
    )


def _estimated(lane: RollingAppender, scale: Scale) -> Estimate[FilesTotal] | None:
    """Return the ranges of a file's totals, None where nothing of it is estimated."""
    found = lane.foreseen
    if found is None:
        return None
    all_ = (found.events, found.bytes, found.files, found.peak, found.history)
    low, high = (FilesTotal(*(getattr(one, side) for one in all_)) for side in ("low", "high"))
    files = lane.simulation.files
    history = kept_history(lane.simulation).total_seconds()
    sums = sum(one.events for one in files), sum(one.bytes for one in files)
    middle = FilesTotal(*sums, len(files), lane.simulation.peak, history)
    return Estimate(low, middle, high, names_of(found.files.lessons, scale), found.files.weak)


def _folder(lane: RollingAppender, moment: datetime, zone: tzinfo) -> list[StandingFile]:
    """Return the folder as it would stand at a moment."""
    show = clocks.iso(zone)
    found = []
    for one in standing_at(lane.simulation, moment):
        closed = one.closed is not None and one.closed <= moment
        changed = show(one.closed if closed and one.closed else one.opened)
        path = lane.appender.roll.path.text
        found.append(StandingFile(one.name if closed else path, one.disk_bytes if closed else None, changed))
    return found


def _outlook(found: Forecast) -> Outlook:
    def spread(one: Range) -> Spread:
        return Spread(one.low, one.middle, one.high)

    return Outlook(found.runs, spread(found.bytes), spread(found.peak), spread(found.files), spread(found.history))


def _advice(found: Advice) -> AdvisedLimits:
    return AdvisedLimits(
        found.met, found.untold, [str(edit) for edit in found.edits], found.peak, found.history.total_seconds()
    )


def names_document(name: str, rows: Iterable[tuple[str, str]]) -> RollingNames:
    """Return the names that coming rolls would give as a document."""
    return RollingNames(name, [ComingName(words, text) for words, text in rows])
