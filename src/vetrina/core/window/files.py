"""A file's policy as plain data that needs no clock and no zone: its periods and names worked out for one recording."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, tzinfo

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.plan.file_names import NamePattern
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.rolling.periods import Period, period_of
from vetrina.core.routing.measuring import ending_of, to_bytes

MOST_PERIODS = 20_000
"""Periods of a file that a page holds."""
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)
_NUMBERS = 1000


class Names(Struct):
    """How files are named: by period (one for all where none is in it), with a number besides where ``numbered``."""

    by_period: list[str]
    numbered: bool


class Policy(Struct):
    """A policy that is played on a page. Times and spans are microseconds, since 1970; ``periods`` are the instants at which they begin."""

    path: Names
    header: int
    append: bool
    each_start: bool
    periods: list[int] | None = None
    at_size: int | None = None
    size_after: bool = False
    rename_to: Names | None = None
    newest_first: bool = False
    keep_files: int | None = None
    keep_age: int | None = None
    keep_disk: int | None = None
    packed: bool = False


def plays(plan: Plan) -> frozenset[str]:
    """Return the appenders whose files roll, and of which nothing depends on how well their content packs, or on a memory."""
    return frozenset(name for name, one in plan.appenders.items() if one.rolls and not reason(one))


def reason(one: Appender) -> str:
    """Return why an appender's files cannot be played on a page, nothing where they can (or do not roll)."""
    if not one.rolls:
        return ""
    if one.remembers:
        return "it has a limit, a recall or a queue, which look at what came before"
    roll = one.roll
    if roll.keep.disk is not None and roll.names.codec:
        return "it keeps so many bytes of packed files, and how small they become only packing tells"
    if not _tells_numbers(roll):
        return "numbers in its files' names are cut"
    return ""


def _tells_numbers(roll: Roll) -> bool:
    """Tell whether each number gives a name of its own, and none that of the open file."""
    patterns = [one for one in (roll.path, roll.rename_to) if one is not None and one.has_number]
    for pattern in patterns:
        names = {pattern.fill(_EPOCH, number) for number in range(1, _NUMBERS + 1)}
        if len(names) < _NUMBERS or (pattern is roll.rename_to and roll.path.fill(_EPOCH, 1) in names):
            return False
    return True


def policy_of(appender: Appender, zone: tzinfo, first: datetime | None, last: datetime | None) -> Policy | None:
    """Return an appender's policy for the time of a recording, None where its periods are too many."""
    roll = appender.roll
    periods: list[Period] | None = None
    if roll.every is not None and first is not None and last is not None:
        here = period_of(first, roll.every, zone)
        periods = [here]
        while here.end <= last:
            if len(periods) >= MOST_PERIODS:
                return None
            here = period_of(here.end, roll.every, zone)
            periods.append(here)
    keep = roll.keep
    return Policy(
        _names(roll.path, periods),
        len(to_bytes(appender.template.header(ending_of(appender)), appender.encoding)),
        roll.append,
        roll.each_start,
        None if periods is None else [clocks.micros(one.start) for one in periods],
        roll.at_size.value if roll.at_size else None,
        roll.size_after,
        None if roll.rename_to is None else _names(roll.rename_to, periods),
        roll.newest_first,
        None if keep.files is None else keep.files.value,
        None if keep.age is None else keep.age.value // _MICROSECOND,
        None if keep.disk is None else keep.disk.value,
        bool(roll.names.codec),
    )


def _names(pattern: NamePattern, periods: list[Period] | None) -> Names:
    number = 0 if pattern.has_number else 1
    walls = [one.wall for one in periods] if periods is not None and pattern.has_period else [_EPOCH]
    return Names([pattern.fill(wall, number) for wall in walls], pattern.has_number)
