"""`whatif --json`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base.levels import Scale
from vetrina.core.changes.effects import Effects
from vetrina.core.changes.effects import Tally as Sum
from vetrina.core.changes.outcome import Kept, Outcome, verdict
from vetrina.core.checks.runner import Finding
from vetrina.core.foresight.lessons import Ends
from vetrina.core.foresight.wording import told_words
from vetrina.views.documents import foresight as fore
from vetrina.views.documents.foresight import Estimate, Learned, first_of, learned
from vetrina.views.whatif import loud


class Amount(Struct):
    """So many events and bytes."""

    events: int
    bytes: int


class Tally(Struct):
    """So many events and bytes; `estimated` is there where some are (--learn)."""

    events: int
    bytes: int
    estimated: Estimate[Amount] | UnsetType = UNSET


class DayAmounts(Struct):
    """Bytes in a day."""

    before: int | None
    after: int | None


class DayBytes(Struct):
    """Bytes in a day, worked out as `pace` says; null where the recording has no whole day and less than a minute."""

    before: int | None
    after: int | None
    estimated: Estimate[DayAmounts] | UnsetType = UNSET


class Changed(Struct):
    """Deliveries that a change brings and takes away."""

    gained: int
    lost: int


class AppenderChange(Struct):
    """One appender before and after a change; `gained` and `lost` count events, one by one.

    `estimated` is their range with --learn, else whether added streams (--rate) are in it.
    """

    appender: str
    before: Tally
    after: Tally
    gained: int
    lost: int
    a_day: DayBytes
    estimated: bool | Estimate[Changed]


class PaceOf(Struct, rename={"from_": "from"}):
    """What figures `a day` stand on: the average of the recording's whole `days`, or the recording's pace extrapolated.

    Of the events so many are of added streams, and so many estimated: nobody recorded them.
    """

    from_: Literal["whole-days", "extrapolated", "unknown"]
    recorded_seconds: float
    days: list[str]
    streamed_events: int
    estimated_events: int = 0


class LoggerChange(Struct):
    """What an appender gains and loses of one logger and level, the loudest gain first."""

    logger: str
    level: str
    appender: str
    gained: Tally
    lost: Tally


class DayChange(Struct):
    """One appender on one day of the plan's zone."""

    day: str
    appender: str
    before: Tally
    after: Tally
    whole: bool
    estimated: bool


class FilesRange(Struct):
    """Files, disk and history of one appender."""

    files: int
    peak_disk_bytes: int
    reaches_back_seconds: float


class KeptFiles(Struct):
    """Files, disk and history of one appender; the history is at its shortest, null where no limit acted within the recording.

    `reaches_back_seconds` is how far back the files reach then, limited or not.
    """

    files: int
    peak_disk_bytes: int
    history_seconds: float | None
    reaches_back_seconds: float
    limit: Literal["acts", "not yet", "none"]
    removed: int
    estimated: Estimate[FilesRange] | UnsetType = UNSET


class FilesChange(Struct):
    """The rolling files of one appender before and after; null where it does not roll."""

    appender: str
    before: KeptFiles | None
    after: KeptFiles | None


class TwiceChange(Struct):
    """Events that arrive more than once at a sink after the change, and did not before."""

    logger: str
    sink: str
    events: int
    estimated: Estimate[int] | UnsetType = UNSET


class LevelCount(Struct):
    """Events of one logger and level."""

    logger: str
    level: str
    events: int
    estimated: Estimate[int] | UnsetType = UNSET


class UnheardLevels(Struct, rename={"from_": "from"}):
    """Levels that the change lets through and of which the recording holds nothing."""

    logger: str
    from_: str
    to: str
    below: bool


class FindingBrief(Struct):
    """A finding that appears or vanishes."""

    code: str
    severity: Literal["error", "warning", "hint"]
    message: str
    subject: str


class FindingsChange(Struct):
    """Findings of `check` that a change brings and takes away."""

    appeared: list[FindingBrief]
    vanished: list[FindingBrief]


class Candidate(Struct):
    """One of several changes; `shows` are the appenders that --must-show arrives in, null without it.

    `bytes_a_day` is what files on disk get more, `bytes_a_day_apart` what other kinds of sink do; null without a length.
    """

    change: list[str]
    gained: int
    lost: int
    bytes_a_day: int | None
    bytes_a_day_apart: dict[str, int | None]
    shows: list[str] | None
    estimated: Estimate[Changed] | UnsetType = UNSET


class WhatIf(Struct, omit_defaults=True):
    """`whatif --json`: the first candidate in full, and all of them in `candidates`.

    `learned` is there with --learn. `further_loggers`: so many share rows, beyond the first 10,000 by name; left out where there are none.
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
    learned: Learned | None = None


def document(outcomes: Sequence[Outcome], shown: Sequence[Sequence[str]], unreadable: int, scale: Scale) -> WhatIf:
    """Return the first candidate whole, and all in one table."""
    first, effects = outcomes[0], outcomes[0].effects
    foreseen = effects.foreseen
    return WhatIf(
        effects.events,
        unreadable,
        list(first.words),
        [*([told_words(foreseen.lessons, scale)] if foreseen else []), *verdict(first)],
        _appenders(effects, scale),
        _pace(effects),
        _loggers(effects, scale),
        _days(effects, scale),
        [FilesChange(one.appender, _kept(one.before, scale), _kept(one.after, scale)) for one in first.rolled],
        [
            TwiceChange(logger, place, count, _turned(effects, (logger, place), count, scale))
            for (logger, place), count in effects.twice.items()
        ],
        _by_level(effects, effects.silenced, scale),
        _by_level(effects, effects.seen, scale),
        [UnheardLevels(one.logger, scale.name(one.low), scale.name(one.high), one.below) for one in first.unheard],
        FindingsChange(_briefs(first.appeared), _briefs(first.vanished)),
        [_candidate(one, list(shown[at]) if shown else None, scale) for at, one in enumerate(outcomes)],
        effects.further,
        learned(foreseen.lessons, foreseen.totals, foreseen.draws, scale, played=foreseen.played) if foreseen else None,
    )


def _appenders(effects: Effects, scale: Scale) -> list[AppenderChange]:
    return [
        AppenderChange(
            name,
            _tally(change.before, scale),
            _tally(change.after, scale),
            change.gained.events,
            change.lost.events,
            _a_day(effects, name, scale),
            _changed(change.gained.events_ends, change.lost.events_ends, change.gained.events, change.lost.events, scale)
            or change.estimated,
        )
        for name, change in effects.appenders.items()
    ]


def _changed(gained: Ends | None, lost: Ends | None, more: int, less: int, scale: Scale) -> Estimate[Changed] | None:
    """Return the range of what is gained and lost, None where nothing of it is estimated."""
    ends = first_of(gained, lost)
    if ends is None:
        return None
    sides = [(one.low, one.high) if one is not None else (sure, sure) for one, sure in ((gained, more), (lost, less))]
    low, high = (Changed(sides[0][turn], sides[1][turn]) for turn in range(2))
    return Estimate(low, Changed(more, less), high, fore.names_of(ends.lessons, scale), ends.weak)


def _a_day(effects: Effects, name: str, scale: Scale) -> DayBytes:
    before, after = effects.a_day(name)
    ends = effects.foreseen.days.get(name, (None, None)) if effects.foreseen else (None, None)
    one = first_of(*ends)
    if one is None:
        return DayBytes(before, after)
    low, high = (
        DayAmounts(*(getattr(end, side) if end else sure for end, sure in zip(ends, (before, after), strict=True)))
        for side in ("low", "high")
    )
    return DayBytes(before, after, Estimate(low, DayAmounts(before, after), high, fore.names_of(one.lessons, scale), one.weak))


def _pace(effects: Effects) -> PaceOf:
    pace = effects.pace
    return PaceOf(
        "whole-days" if pace.days else "extrapolated" if pace.extrapolated else "unknown",
        pace.span.total_seconds(),
        [day.isoformat() for day in pace.days],
        effects.streamed,
        effects.foreseen.events if effects.foreseen else 0,
    )


def _loggers(effects: Effects, scale: Scale) -> list[LoggerChange]:
    return [
        LoggerChange(logger, scale.name(severity), name, _tally(change.gained, scale), _tally(change.lost, scale))
        for (logger, severity, name), change in loud(effects)
    ]


def _days(effects: Effects, scale: Scale) -> list[DayChange]:
    return [
        DayChange(
            day.isoformat(), name, _tally(change.before, scale), _tally(change.after, scale), day in effects.pace.days,
            change.estimated,
        )
        for (day, name), change in effects.days.items()
    ]  # fmt: skip


def _tally(one: Sum, scale: Scale) -> Tally:
    events, size = one.events_ends, one.bytes_ends
    ends = first_of(events, size)
    if ends is None:
        return Tally(one.events, one.bytes)
    low, high = (
        Amount(*(getattr(end, side) if end else sure for end, sure in ((events, one.events), (size, one.bytes))))
        for side in ("low", "high")
    )
    middle = Amount(one.events, one.bytes)
    return Tally(one.events, one.bytes, Estimate(low, middle, high, fore.names_of(ends.lessons, scale), ends.weak))


def _kept(one: Kept | None, scale: Scale) -> KeptFiles | None:
    if one is None:
        return None
    seconds = one.history.total_seconds()
    limit: Literal["acts", "not yet", "none"] = "acts" if one.limited else "not yet" if one.bounded else "none"
    kept = KeptFiles(one.files, one.peak, seconds if one.limited else None, seconds, limit, one.removed)
    found = one.foreseen
    if found is not None:
        low, high = (
            FilesRange(*(getattr(end, side) for end in (found.files, found.peak, found.history))) for side in ("low", "high")
        )
        names = fore.names_of(found.files.lessons, scale)
        kept.estimated = Estimate(low, FilesRange(one.files, one.peak, seconds), high, names, found.files.weak)
    return kept


def _turned(effects: Effects, key: tuple[str, int] | tuple[str, str], count: int, scale: Scale) -> Estimate[int] | UnsetType:
    ends = effects.foreseen.turned.get(key) if effects.foreseen else None
    return UNSET if ends is None else fore.estimate(ends, count, scale)


def _by_level(effects: Effects, counts: dict[tuple[str, int], int], scale: Scale) -> list[LevelCount]:
    return [
        LevelCount(logger, scale.name(severity), count, _turned(effects, (logger, severity), count, scale))
        for (logger, severity), count in counts.items()
    ]


def _briefs(findings: Iterable[Finding]) -> list[FindingBrief]:
    return [FindingBrief(one.code, one.severity, one.message, one.subject) for one in findings]


def _candidate(one: Outcome, shows: list[str] | None, scale: Scale) -> Candidate:
    gained, lost = (
        sum(getattr(change, part).events for change in one.effects.appenders.values()) for part in ("gained", "lost")
    )
    foreseen = one.effects.foreseen
    return Candidate(
        list(one.words),
        gained,
        lost,
        one.added_a_day["file"],
        {kind: more for kind, more in one.added_a_day.items() if kind != "file"},
        shows,
        (_changed(foreseen.gained, foreseen.lost, gained, lost, scale) if foreseen else None) or UNSET,
    )
