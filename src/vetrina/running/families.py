"""The files of one log on the disk: the open one, and those that it was rolled to, under whatever names."""

from __future__ import annotations

import glob
import os
import re
import stat
from collections.abc import Container, Mapping
from itertools import pairwise
from typing import Any

from msgspec import Struct

from vetrina.core.finding.file_names import NameReader, name_reader, written_order
from vetrina.core.plan.file_names import COMPRESSED
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.sink_kinds.kind import full_path

_NUMBERED = re.compile(r"[._-](\d{1,6})(?:\.[A-Za-z0-9]{1,5})?")
Id = tuple[int, int]
_SURE, _MOST_VOTES = 10, 50
_LOOKS = 200


class Seen(Struct, frozen=True):
    """A file as it stood when it was looked at."""

    path: str
    dev: int
    ino: int
    size: int
    modified: int

    @property
    def id(self) -> tuple[int, int]:
        """Which file it is, however it is called."""
        return self.dev, self.ino

    @property
    def mark(self) -> tuple[int, int, int, int]:
        """What changes when it is written to."""
        return self.dev, self.ino, self.size, self.modified

    @property
    def packed(self) -> str:
        """The ending that says how it is packed, nothing for one that is not."""
        return next((ending for ending in COMPRESSED if self.path.endswith(ending)), "")


class Family:
    """One log's files: its ``path``, the patterns of names that its rolled files have, and their order.

    With an appender's policy its names tell the order; without one, rolled files stand beside the path and begin with its
    name, and the times of their last writes tell it, then their numbers.
    """

    def __init__(self, path: str, roll: Roll | None = None, folder: str = "", zone: str = "UTC") -> None:
        self.path = path
        self._roll = roll
        self._readers: list[NameReader] = []
        if roll is not None:
            patterns = [one for one in (roll.rename_to, roll.path) if one is not None]
            self._readers = [name_reader(full_path(one.text, folder), zone) for one in patterns]

    @property
    def moves(self) -> bool:
        """Whether the open file has one name, and rolled ones another."""
        return self._roll is None or not (self._roll.path.has_period or self._roll.path.has_number)

    def files(self) -> dict[str, Seen]:
        """Return the files that are there, by name, at one moment: looked at until two looks agree."""
        last = self._look()
        for _ in range(_LOOKS):
            now = self._look()
            if {name: one.id for name, one in now.items()} == {name: one.id for name, one in last.items()}:
                return now
            last = now
        return last

    def _look(self) -> dict[str, Seen]:
        names = {self.path} if self.moves else set()
        if self._readers:
            for reader in self._readers:
                found = glob.iglob(reader.looks(), include_hidden=True)  # noqa: PTH207  (names as the system has them)
                names.update(name for name in found if reader.fit(name) is not None)
        else:
            names.update(_beside(self.path))
        seen = {name: one for name in names if (one := seen_at(name)) is not None}
        return dict(sorted(seen.items()))

    def in_order(self, rolled: list[Seen], older: Container[Id] = (), newer: Container[Id] = ()) -> list[Seen]:
        """Return rolled files in the order in which they were written.

        Which way numbers count is told by those that are known to be ``older`` than the ``newer`` ones, and by the times of
        their last writes.
        """
        if self._readers:
            return sorted(rolled, key=self._by_name)
        numbers = {one.path: _number(one.path, self.path) for one in rolled}
        way = _direction(rolled, numbers, older, newer)
        if None not in numbers.values() and len(set(numbers.values())) == len(numbers):
            return sorted(rolled, key=lambda one: way * (numbers[one.path] or 0))
        return sorted(rolled, key=lambda one: (one.modified, way * (numbers[one.path] or 0)))

    def _by_name(self, one: Seen) -> Any:
        assert self._roll is not None  # noqa: S101  (readers are made of it)
        fits = [fit for reader in self._readers if (fit := reader.fit(one.path)) is not None]
        if not fits or (self.moves and one.path == self.path):
            return (1, one.modified, 0)
        return (0, *written_order(fits[0], newest_first=self._roll.newest_first))


def _beside(path: str) -> list[str]:
    folder, name = os.path.split(path)
    try:
        with os.scandir(folder or ".") as entries:
            return [os.path.join(folder, one.name) for one in entries if one.name.startswith(name)]  # noqa: PTH118
    except OSError:
        return []


def seen_at(path: str) -> Seen | None:
    """Return the file at a path as it stands, None where there is none."""
    try:
        found = os.stat(path)  # noqa: PTH116  (names as the system has them)
    except (OSError, ValueError):
        return None
    if not stat.S_ISREG(found.st_mode):
        return None
    return Seen(path, found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns)


def _number(path: str, base: str) -> int | None:
    """Return the number that a rolled file bears behind the name of the open one, None where something else stands there."""
    found = _NUMBERED.fullmatch(path[len(base) :] if path.startswith(base) else "")
    return int(found[1]) if found else None


def _direction(rolled: list[Seen], numbers: Mapping[str, int | None], older: Container[Id], newer: Container[Id]) -> int:
    """Return 1 where higher numbers are newer, -1 where lower ones are: so it is in most notations, and taken for where nothing tells."""
    votes = 0
    for one, other in pairwise(sorted(rolled, key=lambda one: one.modified)):
        if one.modified != other.modified and bool(one.packed) == bool(other.packed):
            votes += _vote(numbers[one.path], numbers[other.path])
    olds, news = [one for one in rolled if one.id in older], [one for one in rolled if one.id in newer]
    votes += sum(
        _SURE * _vote(numbers[one.path], numbers[other.path]) for one in olds[:_MOST_VOTES] for other in news[:_MOST_VOTES]
    )
    return 1 if votes > 0 else -1


def _vote(older: int | None, newer: int | None) -> int:
    return 0 if older is None or newer is None or older == newer else 1 if older < newer else -1
