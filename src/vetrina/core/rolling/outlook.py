"""Looking ahead: the names that the next rolls give, and which limits would meet a wish."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta, tzinfo

from msgspec import Struct

from vetrina.core.base.quantities import exact_size, exact_span, show_size
from vetrina.core.base.wording import plural
from vetrina.core.config.edits import Edit, put, step
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.rolling.periods import period_of
from vetrina.core.rolling.simulation import FileRecord, FileSimulation


def shortest_history(found: FileSimulation) -> tuple[timedelta, datetime] | None:
    """Return how far back the history reached when it was shortest after a deletion, and when; None without deletions."""
    removals = sorted({one.removed for one in found.files if one.removed is not None})
    alive = iter(sorted((one for one in found.files if one.least is not None), key=lambda one: one.opened))
    there: list[FileRecord] = []
    coming = next(alive, None)
    best: tuple[timedelta, datetime] | None = None
    for moment in removals:
        while coming is not None and coming.opened <= moment:
            there.append(coming)
            coming = next(alive, None)
        there = [one for one in there if one.removed is None or one.removed > moment]
        if there:
            # what a start emptied later was there then, and is nowhere noted: a file's least time may be later than this
            span = max(timedelta(0), moment - min(one.least for one in there if one.least is not None))
            best = min(best, (span, moment)) if best else (span, moment)
    return best


def measured_ratio(simulation: FileSimulation) -> float:
    """Return how small the closed files of a traffic became, all together; before one is closed, how small the open one would.

    1 where nothing was packed. Nothing is written afterwards.
    """
    closed = [one for one in simulation.files if one.closed is not None]
    whole = sum(one.bytes for one in closed)
    return sum(one.disk_bytes for one in closed) / whole if whole else simulation.open_ratio()


def kept_history(found: FileSimulation) -> timedelta:
    """Return the history at its shortest after a deletion; without deletions, what there is at the end."""
    shortest = shortest_history(found)
    oldest, newest = found.history()
    whole = newest - oldest if oldest is not None and newest is not None else timedelta(0)
    return whole if shortest is None else shortest[0]


def coming_names(roll: Roll, now: datetime, zone: tzinfo) -> Iterator[tuple[str, str]]:
    """Yield (which roll, name) for today, tomorrow, over the next month end and over the clock's next changes."""
    local = now.astimezone(zone)
    month_end = (local.replace(day=1) + timedelta(days=32)).replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    moments = [
        ("today", now),
        ("tomorrow", now + timedelta(days=1)),
        ("before the month ends", month_end - timedelta(hours=1)),
        ("after it", month_end + timedelta(hours=1)),
    ]
    for change in clock_changes(now, zone):
        moments += [("before the clock changes", change - timedelta(minutes=30)), ("after it", change + timedelta(minutes=30))]
    pattern = roll.names
    for words, moment in moments:
        wall = period_of(moment, roll.every, zone).wall if roll.every else moment.astimezone(zone)
        when = f"{words}, {moment.astimezone(zone):%Y-%m-%d %H:%M}"
        yield when, pattern.fill(wall, 1)
        yield f"{when}, once more", pattern.fill(wall, 2)


def clock_changes(now: datetime, zone: tzinfo) -> Iterator[datetime]:
    """Yield the clock's changes within a year."""
    moment = now.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
    offset = moment.astimezone(zone).utcoffset()
    for _ in range(366 * 24):
        moment += timedelta(hours=1)
        here = moment.astimezone(zone).utcoffset()
        if here != offset:
            yield moment
            offset = here


class Advice(Struct, frozen=True):
    """Limits that meet a wish on this traffic, verified by simulating them; without edits, how near they come.

    ``untold``: they keep all of it, and it is shorter than the history that was wished for, so that it cannot tell.
    """

    appender: str
    edits: tuple[Edit, ...]
    peak: int
    history: timedelta
    met: bool
    untold: bool = False


def advise(
    appender: str,
    roll: Roll,
    disk: int | None,
    history: timedelta | None,
    play: Callable[[tuple[Edit, ...]], FileSimulation | None],
) -> Advice:
    """Return the limits for one file that keep its disk below ``disk`` and its history at least ``history`` long.

    The largest files that do are preferred. ``play`` simulates the plan with edits.
    """
    best: Advice | None = None
    for edits in _candidates(appender, roll, disk, history):
        found = play(edits)
        if found is None:
            continue
        kept, peak = kept_history(found), found.peak
        fits, reaches = disk is None or peak <= disk, history is None or kept >= history
        untold = fits and not reaches and not any(one.removed for one in found.files)
        one = Advice(appender, edits, peak, kept, fits and reaches, untold)
        if one.met:
            return one
        if best is None or _nearer(one, best, disk):
            best = one
    return best or Advice(appender, (), 0, timedelta(0), met=False)


def _nearer(one: Advice, best: Advice, disk: int | None) -> bool:
    """Tell whether limits come nearer to a wish than the best so far."""
    if one.untold != best.untold:
        return one.untold
    if disk is not None and best.peak > disk >= one.peak:
        return True
    return (disk is None or one.peak <= disk) and one.history > best.history


def _candidates(appender: str, roll: Roll, disk: int | None, history: timedelta | None) -> Iterator[tuple[Edit, ...]]:
    base = f"appenders{step(appender)}.roll"
    age = None if history is None else _days_or_less(timedelta(hours=-(-int(history.total_seconds()) // 3600) + 24))
    rename = (
        []
        if roll.rename_to or roll.path.has_number
        else [put(f"{base}.rename-to", roll.path.text + ".{n}.gz", "number rolled files")]
    )
    if disk is None:
        yield (put(f"{base}.keep", {"age": age, **dict.fromkeys(_given(roll, "files", "disk"))}, f"keep {age}"),)
        return
    for part in (4, 8, 16, 32, 64):
        size = max(1, disk // part)
        keep: dict[str, object] = {"disk": exact_size(disk - size), **dict.fromkeys(_given(roll, "files", "age"))}
        if age is not None:
            keep["age"] = age
        yield (
            *rename,
            put(f"{base}.at-size", exact_size(size), f"roll at {show_size(size)}"),
            put(f"{base}.keep", keep, f"keep {show_size(disk - size)}"),
        )


def _days_or_less(span: timedelta) -> str:
    return exact_span(span) if span % timedelta(days=1) else f"{span.days} {plural(span.days, 'day')}"


def _given(roll: Roll, *names: str) -> list[str]:
    """Return which limits a policy has: a change has to take them away by name."""
    return [name for name in names if getattr(roll.keep, name) is not None]
