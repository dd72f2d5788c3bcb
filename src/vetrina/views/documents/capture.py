"""`capture --json`, which is also `capture.json` in its folder, and `levels.json` there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import msgspec
from msgspec import Struct

from vetrina.views.documents.live import LiveLevel
from vetrina.views.json_text import json_text


class CaptureAsked(Struct):
    """What was asked for; `for`, `at_most` and `settle` in seconds."""

    tune: list[str]
    note: str
    until: str
    for_: float | None = msgspec.field(name="for")
    at_most: float
    settle: float
    command: list[str]
    mask: bool


class CaptureStep(Struct):
    """A step that was done, and when."""

    at: str
    what: str


class CapturedCount(Struct):
    """How many events of a logger and level a section holds."""

    logger: str
    level: str
    events: int


class CapturedSection(Struct):
    """One log's section; `events` is null where its lines were not read back.

    `why` says why then; `lost` what is missing in it, or may be, `notes` what is not known of it.
    """

    name: str
    log: str
    file: str
    bytes: int
    events: int | None
    unreadable: int
    why: str
    lost: list[str]
    counts: list[CapturedCount]
    notes: list[str] = []


class CapturedError(Struct, rename={"from_": "from"}):
    """The first event at error or above: its section and line there, and what went wrong, with the stack."""

    from_: str
    line: int
    time: str
    level: str
    logger: str
    message: str
    error: str


class CapturedLevel(Struct):
    """A tuned logger's level in effect before, during and after; null where that could not be read."""

    logger: str
    before: str | None
    during: str | None
    after: str | None


class CapturePutBack(Struct):
    """How levels were put back, by whom: each logger with how, or why not."""

    by: str
    back: dict[str, str]
    changed_by_others: dict[str, str]
    failed: dict[str, str]
    notes: dict[str, str]


class Capture(Struct):
    """A capture; `levels` are those of the tuned loggers, `masked` how many places were masked (null: not asked for).

    `command_exit` is the command's own exit code (null without one, negative for a signal), `exit` the capture's.
    """

    service: str
    address: str
    asked: CaptureAsked
    started: str
    ended: str
    steps: list[CaptureStep]
    cost: list[str]
    levels: list[CapturedLevel]
    put_back: CapturePutBack | None
    sections: list[CapturedSection]
    events: int
    first_error: CapturedError | None
    masked: int | None
    command_exit: int | None
    guardian_restarts: int
    problems: list[str]
    exit: int
    zip: str | None = None


class LevelsFile(Struct):
    """`levels.json`: all levels before, during and after, each as the loggers of `live --json`; null where they could not be read."""

    before: list[LiveLevel] | None
    during: list[LiveLevel] | None
    after: list[LiveLevel] | None


if TYPE_CHECKING:
    Levels = Mapping[str, list[LiveLevel] | None]


def document(
    state: Any, name: str, address: str, sections: list[Any], merged: Any, masked: int | None, levels: Levels
) -> Capture:
    """Return the document of a capture, from its state and what was collected."""
    asked = state.asked
    return Capture(
        name, address,
        CaptureAsked(asked.tune, asked.note, asked.until, asked.for_, asked.at_most, asked.settle, asked.command, asked.mask),
        state.started, state.ended, list(state.steps), state.cost,
        _tuned(asked.tune, levels), state.put_back,
        [_section(one, merged) for one in sections], merged.events,
        merged.first_error, masked, state.exit, state.guardian_restarts, list(state.problems), 1 if state.problems else 0,
    )  # fmt: skip


def _tuned(tunes: list[str], levels: Levels) -> list[CapturedLevel]:
    tables = {when: {one.logger: one.effective for one in some or []} for when, some in levels.items()}
    names = [text.rpartition("=")[0].strip() or "root" for text in tunes]
    return [CapturedLevel(name, *(tables[when].get(name) for when in ("before", "during", "after"))) for name in names]


def _section(one: Any, merged: Any) -> CapturedSection:
    counts = merged.counts.get(one.name)
    why = one.no_events or ("" if one.layout is not None else "its template is not known")
    rows = [CapturedCount(logger, level, events) for (logger, level), events in sorted((counts or {}).items())]
    events = sum(row.events for row in rows) if counts is not None else 0 if one.layout is not None and not why else None
    file = f"sections/{one.file.name}"
    return CapturedSection(
        one.name, one.path, file, one.size, events, merged.unreadable.get(one.name, 0), why, one.lost, rows, one.notes
    )


def text(found: Capture) -> str:
    """Return a capture's document as JSON text, indented."""
    return msgspec.json.format(json_text(found).encode(), indent=2).decode() + "\n"
