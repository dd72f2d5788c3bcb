"""`read --json`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

from msgspec import Struct


class Misfit(Struct):
    """A line that is part of no event, and why."""

    file: str
    line: int
    reason: str


class ReadSummary(Struct):
    """`read --json`, on standard error: what became of the lines; `stopped` by `--first`, after which nothing was read.

    The events themselves are printed as JSON Lines on standard output, with or without `--json` (`schema events`).
    """

    events: int
    shown: int
    stopped: bool
    joined_lines: int
    joined_events: int
    blank: int
    misfits: int
    first_misfits: list[Misfit]


class Reader(Protocol):
    """What is known of logs that were read."""

    events: int
    joined_lines: int
    joined_events: int
    blank: int
    misfits: int


class BadLine(Protocol):
    """A line that is in no event."""

    @property
    def name(self) -> str:
        """The file's name."""

    @property
    def number(self) -> int:
        """The line's number, from 1."""

    @property
    def reason(self) -> str:
        """Why it is in none."""


def document(reader: Reader, bad_lines: Iterable[BadLine], shown: int, *, stopped: bool) -> ReadSummary:
    """Return what became of the lines as a document."""
    return ReadSummary(
        reader.events,
        shown,
        stopped,
        reader.joined_lines,
        reader.joined_events,
        reader.blank,
        reader.misfits,
        [Misfit(one.name, one.number, one.reason) for one in bad_lines],
    )
