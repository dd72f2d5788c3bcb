"""`whatif --json`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

from msgspec import Struct

from vetrina.core.base.levels import Scale
from vetrina.core.changes.effects import Effects
from vetrina.core.changes.effects import Tally as Sum
from vetrina.core.changes.outcome import Kept, Outcome, verdict
from vetrina.core.checks.runner import Finding
from vetrina.views.whatif import loud


class Tally(Struct):
    """So many events and bytes."""

    events: int
    bytes: int


class DayBytes(Struct):
    """Bytes in a day, worked out as `pace` says; null where the recording has no length."""

    before: int | None
    after: int | None


class AppenderChange(Struct):
    """One appender before and after a change; `gained` and `lost` count events, one by one."""

    appender: str
    before: Tally
    after: Tally
    gained: int
    lost: int
    a_day: DayBytes
    estimated: bool


class PaceOf(Struct, rename={"from_": "from"}):
    """What figures `a day` stand on: the average of the recording's whole `days`, or the recording's pace extrapolated."""

    from_: Literal["whole-days", "extrapolated", "unknown"]
    recorded_seconds: float
    days: list[str]
    streamed_events: int


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


class LevelCount(Struct):
    """Events of one logger and level."""

    logger: str
    level: str
    events: int


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


class WhatIf(Struct, omit_defaults=True):
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


def document(outcomes: Sequence[Outcome], shown: Sequence[Sequence[str]], unreadable: int, scale: Scale) -> WhatIf:
    """Return the first candidate whole, and all in one table."""
    first, effects = outcomes[0], outcomes[0].effects
    return WhatIf(
        effects.events,
        unreadable,
        list(first.words),
        list(verdict(first)),
        _appenders(effects),
        _pace(effects),
        _loggers(effects, scale),
        _days(effects),
        [FilesChange(one.appender, _kept(one.before), _kept(one.after)) for one in first.rolled],
        [TwiceChange(logger, place, count) for (logger, place), count in effects.twice.items()],
        _by_level(effects.silenced, scale),
        _by_level(effects.seen, scale),
        [UnheardLevels(one.logger, scale.name(one.low), scale.name(one.high), one.below) for one in first.unheard],
        FindingsChange(_briefs(first.appeared), _briefs(first.vanished)),
        [_candidate(one, list(shown[at]) if shown else None) for at, one in enumerate(outcomes)],
        effects.further,
    )


def _appenders(effects: Effects) -> list[AppenderChange]:
    return [
        AppenderChange(
            name,
            _tally(change.before),
            _tally(change.after),
            change.gained.events,
            change.lost.events,
            DayBytes(*effects.a_day(name)),
            change.estimated,
        )
        for name, change in effects.appenders.items()
    ]


def _pace(effects: Effects) -> PaceOf:
    pace = effects.pace
    return PaceOf(
        "whole-days" if pace.days else "extrapolated" if pace.span else "unknown",
        pace.span.total_seconds(),
        [day.isoformat() for day in pace.days],
        effects.streamed,
    )


def _loggers(effects: Effects, scale: Scale) -> list[LoggerChange]:
    return [
        LoggerChange(logger, scale.name(severity), name, _tally(change.gained), _tally(change.lost))
        for (logger, severity, name), change in loud(effects)
    ]


def _days(effects: Effects) -> list[DayChange]:
    return [
        DayChange(
            day.isoformat(), name, _tally(change.before), _tally(change.after), day in effects.pace.days, change.estimated
        )
        for (day, name), change in effects.days.items()
    ]


def _tally(one: Sum) -> Tally:
    return Tally(one.events, one.bytes)


def _kept(one: Kept | None) -> KeptFiles | None:
    if one is None:
        return None
    seconds = one.history.total_seconds()
    limit: Literal["acts", "not yet", "none"] = "acts" if one.limited else "not yet" if one.bounded else "none"
    return KeptFiles(one.files, one.peak, seconds if one.limited else None, seconds, limit, one.removed)


def _by_level(counts: dict[tuple[str, int], int], scale: Scale) -> list[LevelCount]:
    return [LevelCount(logger, scale.name(severity), count) for (logger, severity), count in counts.items()]


def _briefs(findings: Iterable[Finding]) -> list[FindingBrief]:
    return [FindingBrief(one.code, one.severity, one.message, one.subject) for one in findings]


def _candidate(one: Outcome, shows: list[str] | None) -> Candidate:
    return Candidate(
        list(one.words),
        sum(change.gained.events for change in one.effects.appenders.values()),
        sum(change.lost.events for change in one.effects.appenders.values()),
        one.added_a_day["file"],
        {kind: more for kind, more in one.added_a_day.items() if kind != "file"},
        shows,
    )
