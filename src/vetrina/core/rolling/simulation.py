"""The simulation of one rolling file: events in, files over time out. No file is touched.

Here: when a file rolls, what it is then called, what is removed. Sizes come from outside. Memory grows with files,
never with events.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from datetime import UTC, datetime, tzinfo
from typing import Literal, Protocol

from msgspec import Struct

from vetrina.core.base.faults import Refused, refuse
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.rolling.periods import Period, period_of
from vetrina.core.rolling.tapes import Tape, TapeReader

MOST_FILES = 100_000
MOST_PACKED = 1 << 30  # bytes of one event written again and again, whose packed size is measured
_NO_PERIOD = datetime(1970, 1, 1, tzinfo=UTC)
_END = datetime.max.replace(tzinfo=UTC)
_UNBOUNDED = 1 << 200


class Packer(Protocol):
    """Measures how small a file's content becomes."""

    def feed(self, data: bytes, times: int) -> None:
        """Take the same content ``times`` times."""

    def size(self) -> int:
        """Return the packed size of everything that was fed; nothing is fed afterwards."""


class FileRecord(Struct):
    """One file: when it was opened and closed and why, what was in it, and what became of it.

    ``events`` and ``bytes`` are what it held at last; ``lost`` counts events that were overwritten or emptied out of
    it. Times are instants; ``reason`` and ``closed`` are None while it is open.
    """

    name: str
    opened: datetime
    closed: datetime | None = None
    reason: Literal["time", "size", "start"] | None = None
    events: int = 0
    bytes: int = 0
    disk_bytes: int = 0
    removed: datetime | None = None
    removed_by: Literal["age", "files", "disk", "overwritten"] | None = None
    lost: int = 0
    least: datetime | None = None
    greatest: datetime | None = None
    base: str = ""
    number: int = 0
    content: Packer | None = None


class FileSimulation:
    """A file under its policy. ``write`` and ``start`` take events in stream order; ``finish`` ends the input."""

    def __init__(
        self,
        roll: Roll,
        zone: tzinfo,
        *,
        header: bytes = b"",
        ratio: float | None = None,
        packer: Callable[[str], Packer] | None = None,
        every_file: bool = False,
    ) -> None:
        """Begin with an empty folder. ``header`` is what a new file begins with.

        ``packer`` makes what the content of compressed files goes through, with ``every_file`` that of all; it is then
        kept as the record's ``content``.
        """
        self.files: list[FileRecord] = []
        self.peak = 0
        self.overwritten = 0
        self._roll, self._zone, self._header, self._ratio = roll, zone, len(header), ratio
        self._header_data, self._every_file = header, every_file
        self._make_packer = packer
        self._packer: Packer | None = None
        self._packed_open: int | None = None
        self._clock: datetime | None = None
        self._open: FileRecord | None = None
        self._period: Period | None = None
        self._closed: deque[FileRecord] = deque()
        self._closed_bytes = 0
        self._at: dict[str, FileRecord] = {}
        self._numbers: dict[str, list[int]] = {}
        self._shifts: dict[str, int] = {}
        self._names: dict[int, Callable[[], str]] = {}
        self._opened_in: tuple[datetime | None, int] = (None, 0)
        self._limit = roll.at_size.value if roll.at_size else None
        self._most = _UNBOUNDED if self._limit is None else self._limit - 1 if roll.size_after else self._limit
        self._until = _END

    def start(self, time: datetime) -> None:
        """Take an event that is marked `start`, whether or not it reaches this file; call it before writing that event."""
        if self._roll.each_start:
            self._tick(time)
            if self._open is not None:
                if self._is_over():
                    self._close("time")
                else:
                    self._close("start")
        elif not self._roll.append and self._open is not None:
            one = self._open
            one.lost += one.events
            one.events, one.bytes, one.least, one.greatest = 0, self._header, None, None
            self._begin_packing()

    def write(self, time: datetime, size: int, times: int = 1, data: bytes = b"") -> None:
        """Take an event that reaches this file and is written ``times`` times, ``size`` bytes each."""
        one = self._open
        if one is None or not one.events or time >= self._until or one.bytes + size * times > self._most:
            self._write(time, size, times, data)
            return
        one.events += times
        whole = one.bytes = one.bytes + size * times
        if time > one.greatest:  # type: ignore[operator]
            one.greatest = time
        elif time < one.least:  # type: ignore[operator]
            one.least = time
        if self._packer is not None:
            self._packer.feed(data, times)
        if (disk := self._closed_bytes + whole) > self.peak:
            self.peak = disk

    def play(self, tape: Tape) -> None:
        """Take all that a tape has, as if each write and start were taken by itself."""
        reader, at = TapeReader(tape), 0
        for place, stop in tape.stops():
            self._play(reader, at, place)
            at = place
            if isinstance(stop, int):
                self.write(tape.time(tape.times[at]), tape.sizes[at], stop, tape.content(at))
                at += 1
            else:
                self.start(stop)
        self._play(reader, at, len(tape.sizes))

    def _play(self, reader: TapeReader, at: int, end: int) -> None:
        """Take writes, those that go into the open file together."""
        tape = reader.tape
        while at < end:
            one, last = self._open, at
            if one is not None and one.events and one.least is not None and one.greatest is not None:
                last = reader.until(at, end, self._until, self._most - one.bytes)
            if one is None or last == at:
                self.write(tape.time(tape.times[at]), tape.sizes[at], 1, tape.content(at))
                at += 1
                continue
            one.events += last - at
            one.bytes += reader.bytes(at, last)
            least, greatest = reader.span(at, last)
            one.least, one.greatest = min(one.least or least, least), max(one.greatest or greatest, greatest)
            if self._packer is not None:
                self._packer.feed(b"".join(tape.data[at:last]), 1)
            self.peak = max(self.peak, self._closed_bytes + one.bytes)
            at = last

    def _write(self, time: datetime, size: int, times: int, data: bytes) -> None:
        """Take an event that may open a file or roll one."""
        self._tick(time)
        if self._open is not None and self._is_over():
            self._close("time")
        if (
            data
            and times > 1
            and size * times > MOST_PACKED
            and self._ratio is None
            and (self._every_file or self._roll.names.codec)
        ):
            raise refuse(
                f"one event stands for {times:,}, {size * times:,} bytes that would be packed to measure them",
                f"at most {MOST_PACKED:,} bytes of one event are packed",
                "give --ratio, which says how small packed files become, or a smaller count",
                where=self._roll.path.text,
            )
        left = times
        while left > 0:
            if self._open is None:
                self._begin()
            one = self._open
            assert one is not None  # noqa: S101  (opened two lines above)
            count = self._room(one, size, left)
            if not count:
                self._close("size")
                continue
            one.events += count
            one.bytes += size * count
            one.least = time if one.least is None or time < one.least else one.least
            one.greatest = time if one.greatest is None or time > one.greatest else one.greatest
            if self._packer is not None:
                self._packer.feed(data, count)
            self.peak = max(self.peak, self._closed_bytes + one.bytes)
            left -= count
            if self._roll.size_after and self._limit is not None and one.bytes >= self._limit:
                self._close("size")

    def _room(self, one: FileRecord, size: int, left: int) -> int:
        """Return how many of ``left`` writes go into the open file before it must roll."""
        if self._limit is None or size <= 0:
            return left
        if self._roll.size_after:
            return min(left, max(1, -(-(self._limit - one.bytes) // size)))
        fits = (self._limit - one.bytes) // size
        if fits >= 1:
            return min(left, fits)
        return 0 if one.events else 1

    def _tick(self, time: datetime) -> None:
        """Let the clock go to a time, and to the latest one in the open file, but never back."""
        latest = self._open.greatest if self._open is not None else None
        if latest is not None and latest > time:
            time = latest
        if self._clock is None or time > self._clock:
            self._clock = time

    def _is_over(self) -> bool:
        return self._period is not None and self._clock is not None and self._clock >= self._period.end

    def _begin(self) -> None:
        clock = self._now()
        if self._roll.every and (self._period is None or not self._period.start <= clock < self._period.end):
            self._period = period_of(clock, self._roll.every, self._zone)
        self._until = self._period.end if self._period else _END
        path = self._roll.path
        name = path.text
        if path.has_period or path.has_number:
            begun = self._period.start if self._period else None
            known, count = self._opened_in
            count = count + 1 if known == begun and self.files else 1
            self._opened_in = (begun, count)
            name = path.fill(self._wall(), count)
        else:
            name = path.fill(self._wall(), 1)
        self._overwrite(name)
        if len(self.files) >= MOST_FILES:
            raise self._too_many(name)
        self._open = FileRecord(name, clock, bytes=self._header)
        self.files.append(self._open)
        self._begin_packing()

    def _too_many(self, name: str) -> Refused:
        first = [self._names.get(id(one), lambda one=one: one.name)() for one in self.files[:3]]
        return refuse(
            f"this policy makes more than {MOST_FILES:,} files of this traffic",
            f"the first are {', '.join(first)}; all were made by {self._now():%Y-%m-%d %H:%M:%S} UTC",
            "give a larger at-size, a longer period or less traffic",
            where=name,
        )

    def _begin_packing(self) -> None:
        codec = self._roll.names.codec
        wanted = (codec or self._every_file) and self._ratio is None
        self._packer = self._make_packer(codec) if wanted and self._make_packer else None
        if self._packer is not None:
            self._packer.feed(self._header_data, 1)
            if self._every_file and self._open is not None:
                self._open.content = self._packer

    def _wall(self) -> datetime:
        return self._period.wall if self._period else _NO_PERIOD

    def _now(self) -> datetime:
        assert self._clock is not None  # noqa: S101  (an event has been taken)
        return self._clock

    def _close(self, reason: Literal["time", "size", "start"]) -> None:
        one, clock = self._open, self._now()
        assert one is not None  # noqa: S101  (callers ask for an open file)
        one.closed, one.reason = clock, reason
        one.disk_bytes = self._packed(one)
        if self._roll.rename_to is not None:
            self._rename(one)
        self._open, self._packer = None, None
        if not (self._roll.rename_to is not None and self._roll.newest_first and self._roll.rename_to.has_number):
            self._at[one.name] = one
        self._closed.append(one)
        self._closed_bytes += one.disk_bytes
        self._prune(clock)

    def _packed(self, one: FileRecord) -> int:
        codec = self._roll.names.codec
        if not codec:
            return one.bytes
        if self._ratio is not None:
            return int(one.bytes * self._ratio + 0.5)
        return self._packer.size() if self._packer is not None else one.bytes

    def open_ratio(self) -> float:
        """Return how small the open file would become if it were packed now, 1 where that was not measured; nothing is written afterwards."""
        one = self._open
        if one is None or not one.bytes or self._packer is None or not self._roll.names.codec:
            return 1.0
        if self._packed_open is None:
            self._packed_open = self._packer.size()
        return self._packed_open / one.bytes

    def _rename(self, one: FileRecord) -> None:
        pattern = self._roll.rename_to
        assert pattern is not None  # noqa: S101  (asked before)
        wall = self._wall()
        if not pattern.has_number:
            one.name = pattern.fill(wall, 1)
            self._overwrite(one.name)
            return
        one.base = pattern.fill(wall, 0)
        if self._roll.newest_first:
            self._shifts[one.base] = self._shifts.get(one.base, 0) + 1
            one.number = self._shifts[one.base]
            self._period_of_base(one, wall)
            return
        numbers = self._numbers.setdefault(one.base, [])
        one.number = (numbers[-1] if numbers else 0) + 1
        numbers.append(one.number)
        one.name = pattern.fill(wall, one.number)
        self._overwrite(one.name)

    def _period_of_base(self, one: FileRecord, wall: datetime) -> None:
        """Remember what a file's name is made of: under `newest: first` it changes with every roll."""
        pattern = self._roll.rename_to
        assert pattern is not None  # noqa: S101  (asked before)
        self._names[id(one)] = lambda: pattern.fill(wall, self._shifts[one.base] - one.number + 1)
        one.name = pattern.fill(wall, 1)

    def _settle_name(self, one: FileRecord) -> None:
        name = self._names.pop(id(one), None)
        if name is not None:
            one.name = name()

    def _overwrite(self, name: str) -> None:
        """Note that a file takes the place of an existing one, whose events are lost."""
        old = self._at.pop(name, None)
        if old is None or old.removed is not None:
            return
        old.removed, old.removed_by = self._now(), "overwritten"
        old.lost += old.events
        self.overwritten += old.events
        self._closed_bytes -= old.disk_bytes
        self._closed.remove(old)

    def _prune(self, clock: datetime) -> None:
        keep = self._roll.keep
        if keep.age is not None:
            while self._closed and clock - (self._closed[0].closed or clock) > keep.age.value:
                self._remove("age", clock)
        if keep.files is not None:
            while len(self._closed) > keep.files.value:
                self._remove("files", clock)
        if keep.disk is not None:
            while self._closed and self._closed_bytes > keep.disk.value:
                self._remove("disk", clock)

    def _remove(self, limit: Literal["age", "files", "disk"], clock: datetime) -> None:
        one = self._closed.popleft()
        self._settle_name(one)
        one.removed, one.removed_by = clock, limit
        self._closed_bytes -= one.disk_bytes
        if self._at.get(one.name) is one:
            del self._at[one.name]
        numbers = self._numbers.get(one.base)
        if numbers and one.number in numbers:
            numbers.remove(one.number)

    def finish(self) -> None:
        """End the input: names that still change are settled, the open file's size on disk is its size."""
        for one in self._closed:
            self._settle_name(one)
        if self._open is not None:
            self._open.disk_bytes = self._open.bytes

    def reach(self) -> tuple[datetime | None, datetime | None]:
        """Return the least and the greatest event time that was written, also to files that are gone."""
        times = [(one.least, one.greatest) for one in self.files if one.least is not None and one.greatest is not None]
        return (min(least for least, _ in times), max(greatest for _, greatest in times)) if times else (None, None)

    def history(self) -> tuple[datetime | None, datetime | None]:
        """Return the least and the greatest event time that is still on disk."""
        on_disk = [one for one in self.files if one.removed is None and one.least is not None and one.greatest is not None]
        if not on_disk:
            return None, None
        return min(one.least for one in on_disk if one.least), max(one.greatest for one in on_disk if one.greatest)


def standing_at(found: FileSimulation, moment: datetime) -> list[FileRecord]:
    """Return the files that stand in the folder at a moment, as far as the names are known that they bore last."""
    return [one for one in found.files if one.opened <= moment and (one.removed is None or one.removed > moment)]
