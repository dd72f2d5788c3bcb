"""A file, rolled for real: opened, renamed, packed and removed below the rehearsal's folder.

This follows the design's meaning of rolling on real files, apart from the simulation, so that the two can be held
against each other. A roll delivers what waits for the file that is closed: nothing can be written to a closed file.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import IO

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.plan.model import Appender
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.rolling.periods import Period, period_of
from vetrina.core.routing.measuring import ending_of, to_bytes
from vetrina.core.sink_kinds.kind import full_path
from vetrina.rehearsal.block import Block
from vetrina.rehearsal.outlets.outlet import NotRead, RehearsalSite, RenderedEvent
from vetrina.rehearsal.packing import pack
from vetrina.rehearsal.sandbox import DiskFull, write_whole

_NO_PERIOD = datetime(1970, 1, 1, tzinfo=UTC)
_AT_ONCE = 100
"""Files of one name that all move up at each roll; more of them get their names at the end."""


class Closed(Struct):
    """A file that was closed: where it stands, since when, and the name it belongs to."""

    path: Path
    name: str
    closed: datetime
    events: int
    base: str = ""
    number: int = 0
    wall: datetime = _NO_PERIOD


class RolledFile(NotRead):
    """Writes one appender's file under its policy."""

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        self.roll: Roll = appender.roll
        self.place = place
        self.overwritten = 0
        self.dropped: dict[int, int] = {}
        self._zone = clocks.zone(place.plan.zone)
        self._header = to_bytes(appender.template.header(ending_of(appender)), appender.encoding)
        self._limit = self.roll.at_size.value if self.roll.at_size else None
        self._clock: datetime | None = None
        self._period: Period | None = None
        self._file: IO[bytes] | None = None
        self._path = Path()
        self._name = ""
        self._size = 0
        self._events = 0
        self._pending: list[tuple[int, bytes, int]] = []
        self._block = Block(self._write)
        self._closed: list[Closed] = []
        self._families: dict[str, list[Closed]] = {}
        self._waiting = 0
        self._opened: tuple[datetime | None, int] = (None, 0)
        self._ever = False

    def start(self, time: datetime) -> None:
        """Roll or empty the open file, as the policy has it for a start."""
        if self.roll.each_start:
            self._tick(time)
            if self._file is not None:
                self._close()
        elif not self.roll.append and self._file is not None:
            self._pending.clear()
            self._block.write()
            self._file.seek(0)
            self._file.truncate()
            self.place.sandbox.used -= self._size
            self._size, self._events = 0, 0
            self._write_header()

    def arrive(self, time: datetime, parcel: RenderedEvent, owner: int = 0) -> None:
        """Decide which file an event belongs to, rolling before it where that is due; its bytes wait.

        ``owner`` tells apart several appenders that write this file: each delivers its own.
        """
        self._admit(time, parcel.data, parcel.times, lambda data, times: self._pending.append((owner, data, times)))

    def write(self, time: datetime, data: bytes, times: int) -> None:
        """Take an event that waits for nothing: decide on its file and write it."""
        self._admit(time, data, times, self._block.put)

    def quick_block(self) -> list[str] | None:
        """Return where lines may be put without asking, None for a file whose size or starts matter or that is not open yet.

        They may be put there for times before ``quick_until``. Whoever does so calls ``settle_block`` before anything else
        happens to the file, and after some thousand lines.
        """
        return self._block.texts if self._limit is None and not self.roll.each_start and self._file is not None else None

    @property
    def quick_until(self) -> datetime | None:
        """Return when the open file's period ends, None where it has none."""
        return self._period.end if self._period is not None else None

    def settle_block(self, *, write: bool = False) -> int:
        """Take over the lines that were put without asking; return how many there were."""
        count, size = self._block.settle(write=write)
        self._size += size
        self._events += count
        return count

    def _admit(self, time: datetime, data: bytes, left: int, then: Callable[[bytes, int], None]) -> None:
        self._tick(time)
        if self._file is not None and self._is_over():
            self._close()
        size = len(data)
        if left > 1:
            fewest = size * left // (self._limit + size) if self._limit else 0  # a file may go over its limit by one line
            self.place.sandbox.foresee(size * left, fewest)
        while left:
            if self._file is None:
                self._open()
            count = self._room(size, left)
            if not count:
                self._close()
                continue
            self._size += size * count
            self._events += count
            then(data, count)
            left -= count
            if self.roll.size_after and self._limit is not None and self._size >= self._limit:
                self._close()

    def deliver(self, time: datetime, group: list[RenderedEvent], owner: int = 0) -> None:
        """Write what waits of an owner."""
        del time, group
        self._flush(owner)

    def lose(self, group: list[RenderedEvent], owner: int = 0) -> None:
        """Forget what waits of an owner."""
        del group
        for _, data, times in self._take_pending(owner):
            self._size -= len(data) * times
            self._events -= times

    def _take_pending(self, owner: int | None) -> list[tuple[int, bytes, int]]:
        """Return what waits, of one owner or of all, and let it wait no more."""
        if owner is None or all(one[0] == owner for one in self._pending):
            taken, self._pending = self._pending, []
        else:
            taken = [one for one in self._pending if one[0] == owner]
            self._pending = [one for one in self._pending if one[0] != owner]
        return taken

    def finish(self) -> None:
        """Close the open file, which keeps its name; what was put there without asking is written."""
        if self._file is not None:
            try:
                self.settle_block()
                self._flush(None)
                self._block.write()
            finally:
                self._file.close()
                self._file = None
        if self.roll.newest_first:
            for family in self._families.values():
                if len(family) > _AT_ONCE:
                    self._renumber(family, 1)

    def _flush(self, owner: int | None) -> None:
        """Write what waits, of one owner or of all; on a disk that fills up each line asks for its room."""
        waiting = self._take_pending(owner)
        for at, (_, data, times) in enumerate(waiting):
            if self.place.sandbox.disk is not None:
                try:
                    self.place.sandbox.take(len(data) * times)
                except DiskFull:
                    left = waiting[at:]
                    self._size -= sum(len(one) * count for _, one, count in left)
                    self._events -= sum(count for _, _, count in left)
                    raise DiskFull(sum(count for _, _, count in left), left) from None
            self._block.put(data, times)

    def _write(self, data: bytes) -> None:
        """Write whole lines in one go."""
        if self._file is not None:
            if self.place.sandbox.disk is None:
                self.place.sandbox.take(len(data))
            write_whole(self._file, data)

    def _tick(self, time: datetime) -> None:
        if self._clock is None or time > self._clock:
            self._clock = time

    def _is_over(self) -> bool:
        return self._period is not None and self._clock is not None and self._clock >= self._period.end

    def _room(self, size: int, left: int) -> int:
        """Return how many of ``left`` writes go into the open file before it must roll."""
        if self._limit is None or not size:
            return left
        if self.roll.size_after:
            wanted: int = -(-(self._limit - self._size) // size)
            return min(left, max(1, wanted))
        fits: int = (self._limit - self._size) // size
        if fits >= 1:
            return min(left, fits)
        return 0 if self._events else 1

    def _wall(self) -> datetime:
        return self._period.wall if self._period else _NO_PERIOD

    def _open(self) -> None:
        clock = self._clock
        assert clock is not None  # noqa: S101  (an event has arrived)
        self._period = period_of(clock, self.roll.every, self._zone) if self.roll.every else None
        number = 1
        if self.roll.path.has_period or self.roll.path.has_number:
            begun = self._period.start if self._period else None
            known, count = self._opened
            number = count + 1 if known == begun and self._ever else 1
            self._opened = (begun, number)
        self._ever = True
        self._name = self.roll.path.fill(self._wall(), number)
        self._path = self._where(self._name)
        self._forget(self._name)
        self._file = os.fdopen(self.place.sandbox.open(self._path), "wb", buffering=0)
        self._size, self._events = 0, 0
        self._write_header()

    def _write_header(self) -> None:
        if self._header and self._file is not None:
            self.place.sandbox.take(len(self._header))
            write_whole(self._file, self._header)
        self._size = len(self._header)

    def _where(self, name: str) -> Path:
        return self.place.sandbox.place("files", full_path(name, self.place.folder))

    def _close(self) -> None:
        """Roll: close the open file, give it the name of a rolled one, and remove what is too much."""
        assert self._file is not None  # noqa: S101  (callers ask for an open file)
        assert self._clock is not None  # noqa: S101  (an event has arrived)
        try:
            self._flush(None)
        except DiskFull as full:
            for owner, _, count in full.left:
                self.dropped[owner] = self.dropped.get(owner, 0) + count
        self._block.write()
        self._file.close()
        self._file = None
        one = Closed(self._path, self._name, self._clock, self._events)
        if self.roll.rename_to is not None:
            self._rename(one)
        self._closed.append(one)
        self._prune()

    def _rename(self, one: Closed) -> None:
        pattern = self.roll.rename_to
        assert pattern is not None  # noqa: S101  (asked before)
        wall = self._wall()
        one.number = 1
        if pattern.has_number:
            one.base = pattern.fill(wall, 0)
            siblings = self._families.setdefault(one.base, [])
            if not self.roll.newest_first:
                one.number = siblings[-1].number + 1 if siblings else 1  # they stand in the order of their numbers
            elif len(siblings) <= _AT_ONCE:
                self._renumber(siblings, 2)
            one.wall = wall
            siblings.append(one)
        name = pattern.fill(wall, one.number)
        waits = self.roll.newest_first and len(self._families.get(one.base, ())) > _AT_ONCE + 1
        if waits:  # thousands of files that all move up at each roll: they get their names at the end
            self._waiting += 1
            target = self._where(name)
            target = target.with_name(f"{target.name}.waits-{self._waiting}")
        else:
            self._forget(name)
            target = self._where(name)
        box, inside = self.place.sandbox, self.place.sandbox.inside
        before = inside.size(one.path)
        if pattern.codec:
            pack(one.path, target, pattern.codec, box)
            inside.remove(one.path)
        else:
            inside.move(one.path, target)
        box.used += inside.size(target) - before
        one.path, one.name = target, name

    def _renumber(self, family: list[Closed], newest: int) -> None:
        """Give a family of files their names by number, the newest this one; the oldest has the highest, and moves first."""
        pattern = self.roll.rename_to
        assert pattern is not None  # noqa: S101  (families are of renamed files)
        for at, one in enumerate(family):
            self._move(one, pattern.fill(one.wall, len(family) - at + newest - 1))

    def _move(self, one: Closed, name: str) -> None:
        target = self._where(name)
        self.place.sandbox.inside.move(one.path, target)
        one.path, one.name = target, name

    def _forget(self, name: str) -> None:
        """Note that a file is about to take the place of another one."""
        for other in self._closed:
            if other.name == name:
                self.overwritten += other.events
                self.place.sandbox.used -= self.place.sandbox.inside.size(other.path)
                self._closed.remove(other)
                self._leave(other)
                return

    def _prune(self) -> None:
        keep, clock = self.roll.keep, self._clock
        assert clock is not None  # noqa: S101  (an event has arrived)
        while keep.age is not None and self._closed and clock - self._closed[0].closed > keep.age.value:
            self._remove()
        while keep.files is not None and len(self._closed) > keep.files.value:
            self._remove()
        if keep.disk is not None:
            sizes = [self.place.sandbox.inside.size(one.path) for one in self._closed]
            total = sum(sizes)
            while self._closed and total > keep.disk.value:
                total -= sizes.pop(0)
                self._remove()

    def _remove(self) -> None:
        one = self._closed.pop(0)
        family = self._families.get(one.base, ())
        if self.roll.newest_first and len(family) > _AT_ONCE and self.roll.rename_to is not None:
            one.name = self.roll.rename_to.fill(one.wall, len(family))  # the oldest of its family
        self._leave(one)
        inside = self.place.sandbox.inside
        self.place.sandbox.used -= inside.size(one.path)
        if self.place.keep_removed:
            target = self.place.sandbox.place("removed", full_path(one.name, self.place.folder))
            turn = 1
            while inside.exists(target):
                turn += 1
                target = target.with_name(f"{Path(one.name).name}.{turn}")
            inside.move(one.path, target)
        else:
            inside.remove(one.path)

    def _leave(self, one: Closed) -> None:
        """Take a file out of its family."""
        family = self._families.get(one.base, [])
        if family and family[0] is one:
            family.pop(0)
        elif one in family:
            family.remove(one)


OUTLET = RolledFile
