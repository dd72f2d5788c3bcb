"""Traffic that no event file holds: busier, with a stream more, or drawn again from its own hourly rates."""

from __future__ import annotations

import random
import re
from collections.abc import Callable, Iterable, Iterator
from datetime import datetime, timedelta
from heapq import heappop, heappush
from typing import TYPE_CHECKING, Any

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.events import Event
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.levels import Scale
from vetrina.core.base.logger_names import event_name
from vetrina.core.rolling.simulation import FileSimulation

if TYPE_CHECKING:
    from vetrina.core.rolling.lanes import RollingAppender

_COPIES = 60
MOST_COPIES = 10_000
"""Copies of one line that are drawn where each is decided by itself; beyond, they stand for several."""
MOST_STEPS = 5_000_000
_MOST_DRAWN = 200_000
_UNITS = {"second": 1, "minute": 60, "hour": 3600, "day": 86_400}
MOST_A_SECOND = 1_000_000
MOST_MADE = 50_000_000
_RATE = re.compile(r"(\S+)\s+(\S+)\s+([0-9]{1,15}(?:\.[0-9]{1,9})?)/(second|minute|hour|day)(?:\s+([0-9]{1,12}))?\s*\Z")


def scaled(events: Iterable[Event], factor: float, seed: int, most: int = _COPIES) -> Iterator[Event]:
    """Yield events ``factor`` times as many: expected counts, each copy drawn within its own minute, in order of time.

    An event becomes at most so many copies; beyond, they stand for several.
    """
    chance = random.Random(seed)  # noqa: S311  (a simulation)
    minute: datetime | None = None
    waiting: list[Event] = []
    for event in events:
        own = event.time.replace(second=0, microsecond=0)
        if minute is not None and own != minute:
            yield from sorted(waiting, key=lambda one: one.time)
            waiting = []
        minute = own
        wanted = factor * (event.count or 1)
        count = int(wanted) + (chance.random() < wanted - int(wanted))
        copies = min(count, most)
        for turn in range(copies):
            share = count // copies + (turn < count % copies)
            time = event.time if not turn else own + timedelta(microseconds=chance.randrange(60_000_000))
            waiting.append(replace(event, time=time, count=share, mark=event.mark if not turn else None))
    yield from sorted(waiting, key=lambda one: one.time)


class Stream(Struct, frozen=True):
    """A stream that no event file has: so many events a second of one logger and level, of a size (None: the level's mean)."""

    logger: str
    severity: int
    each_second: float
    size: int | None


def stream_of(text: str, scale: Scale) -> Stream:
    """Return the stream of `LOGGER LEVEL N/second|minute|hour|day [BYTES]`; raise NotUnderstood for another text."""
    match = _RATE.match(text.strip())
    if match is None:
        raise NotUnderstood("write 'LOGGER LEVEL N/second|minute|hour|day [BYTES]'")
    logger, level, number, unit, size = match.groups()
    severity = scale.severity(level)
    if severity is None:
        raise NotUnderstood(f'level "{level[:40]}" is not known{scale.hint(level)}')
    if float(number) / _UNITS[unit] > MOST_A_SECOND:
        raise NotUnderstood(f"write a rate of at most {MOST_A_SECOND:,} a second")
    return Stream(event_name(logger), severity, float(number) / _UNITS[unit], int(size) if size else None)


class StreamedEvent(Event):
    """An event of a stream of which only the rate is known; ``size`` are its bytes, None for the level's mean."""

    size: int | None = None


class StreamedEvents:
    """Puts the events of streams between others, evenly from the first of these to the last, in the order of time."""

    def __init__(self, streams: Iterable[Stream]) -> None:
        self._streams = [one for one in streams if one.each_second > 0]
        self._begun: datetime | None = None
        self._taken = [0] * len(self._streams)
        self._waiting: list[tuple[datetime, int]] = []

    def between(self, events: Iterable[Event]) -> Iterator[Event]:
        """Yield further events with those of the streams between them; raise Refused beyond 50,000,000 of these."""
        waiting = self._waiting
        for event in events:
            if self._begun is None:
                self._begun = event.time
                for at in range(len(self._streams)):
                    self._push(at)
            if waiting and waiting[0][0] <= event.time and self._due(event.time) > MOST_MADE:
                raise too_many_made("--rate")
            while waiting and waiting[0][0] <= event.time:
                time, at = heappop(waiting)
                one = self._streams[at]
                yield StreamedEvent(time, one.severity, one.logger, "", size=one.size)
                self._push(at)
            yield event

    def _due(self, time: datetime) -> float:
        """Return how many events of streams come up to a time, all in all."""
        return (time - (self._begun or time)).total_seconds() * sum(one.each_second for one in self._streams)

    def _push(self, at: int) -> None:
        assert self._begun is not None  # noqa: S101  (set with the first event)
        self._taken[at] += 1
        heappush(self._waiting, (self._begun + timedelta(seconds=self._taken[at] / self._streams[at].each_second), at))


def too_many_made(where: str) -> Refused:
    """Return what is said where more events would be made than are played."""
    return refuse(f"more than {MOST_MADE:,} events would be made", "each is played by itself",
                  "take events that span less time, or fewer", where=where)  # fmt: skip


def too_long(most: int) -> Refused:
    """Return what is said where a stream would be written more than ``most`` times."""
    return refuse("a stream over so long a time is too much to play", f"it would be written more than {most:,} times",
                  "take events that span less time", where="--rate")  # fmt: skip


class StreamFeeder:
    """Writes streams into one file's simulation as time goes on: minute by minute, or one by one when they are rare."""

    def __init__(self, lane: RollingAppender, streams: list[tuple[Stream, int, int]]) -> None:
        """Take (stream, times that each of its events is written, its size)."""
        self._lane, self._streams = lane, [one for one in streams if one[0].each_second > 0]
        self._steps = [timedelta(seconds=max(60.0, 1 / stream.each_second)) for stream, _, _ in self._streams]
        self._next: list[datetime] = []
        self._owed = [0.0] * len(self._streams)
        self._taken = 0
        self.begun = False

    def begin(self, time: datetime) -> None:
        """Begin with the first event of all."""
        self.begun, self._next = True, [time + step for step in self._steps]

    def until(self, time: datetime) -> None:
        """Write what the streams send up to ``time``."""
        for at, due in enumerate(self._next):
            if due <= time:
                self._write(at, due, time)

    def _write(self, at: int, due: datetime, time: datetime) -> None:
        stream, times, size = self._streams[at]
        step, lane = self._steps[at], self._lane
        self._taken += (time - due) // step
        if self._taken > MOST_STEPS:
            raise too_long(MOST_STEPS)
        while due <= time:
            self._owed[at] += stream.each_second * step.total_seconds()
            count = int(self._owed[at])
            self._owed[at] -= count
            if count:
                lane.simulation.write(due, size, count * times)
                hour = lane.hours.setdefault(due.replace(minute=0, second=0, microsecond=0), [0, 0])
                hour[0] += count * times
                hour[1] += count * times * size
            due += step
        self._next[at] = due


class Range(Struct, frozen=True):
    """From the 5th to the 95th of a hundred."""

    low: float
    middle: float
    high: float


class Forecast(Struct, frozen=True):
    """What redrawn traffic does to one file: bytes in all, peak disk, files, seconds of history at its shortest or at the end."""

    runs: int
    bytes: Range
    peak: Range
    files: Range
    history: Range


def redrawn(
    lane: RollingAppender,
    make: Callable[[], FileSimulation],
    runs: int,
    seed: int,
    shortest: Callable[[FileSimulation], timedelta],
) -> Forecast:
    """Draw the traffic of a file again ``runs`` times from its own hourly rates, and simulate each."""
    import numpy as np  # noqa: PLC0415  (only where it is used)

    hours = sorted(lane.hours.items())
    if runs * len(hours) > _MOST_DRAWN:
        raise refuse(f"{runs:,} runs of {len(hours):,} hours are more than {_MOST_DRAWN:,} hours to draw",
                     fix=f"give a number up to {_MOST_DRAWN // len(hours):,}", where=f"--runs {runs}")  # fmt: skip
    chance = np.random.default_rng(seed)
    rows: list[tuple[float, float, float, float]] = []
    for _ in range(runs):
        simulation = make()
        total = 0
        for hour, (count, size) in hours:
            drawn = int(chance.poisson(count))
            if not drawn:
                continue
            mean = max(1, round(size / count))
            shares: Any = chance.multinomial(drawn, [1 / 60] * 60)
            for minute, share in enumerate(shares.tolist()):
                if share:
                    simulation.write(hour + timedelta(minutes=minute), mean, share)
            total += drawn * mean
        simulation.finish()
        rows.append((total, simulation.peak, len(simulation.files), shortest(simulation).total_seconds()))
    columns = np.percentile(np.array(rows, dtype=float), [5, 50, 95], axis=0).T.tolist()
    found = [Range(*column) for column in columns]
    return Forecast(runs, found[0], found[1], found[2], found[3])
