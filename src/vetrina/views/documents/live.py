"""`live --json`: levels in a running service beside the planned ones, a change, what is put back, what is on record."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from vetrina.core.services.levels_now import Row, Verdict
from vetrina.core.services.records import Record
from vetrina.core.services.words import Words
from vetrina.views.documents.shared import OriginPlace, origin_place


class LiveLevel(Struct):
    """One logger: its level as the service has it and as the plan says.

    `set` is null where none is set, or that is not told; `effective` where that is not told, or the service does not know the
    logger; `planned`, `origin` and `verdict` where the service has no plan. A word of the service's that is no level stays as
    it is.
    """

    logger: str
    set: str | None
    effective: str | None
    planned: str | None
    origin: OriginPlace | None
    verdict: Verdict | None


class Live(Struct):
    """`live --json`."""

    service: str
    asked_at: str
    loggers: list[LiveLevel]


class LiveChanged(Struct):
    """A logger that was changed: its level before and after, and the service's own word that was sent."""

    logger: str
    before: str | None
    effective_before: str | None
    after: str
    sent: str


class LivePutBack(Struct):
    """`live --put-back --json`, and what became of a change that was put back: each logger with how, or why not."""

    service: str
    back: dict[str, str]
    changed_by_others: dict[str, str]
    failed: dict[str, str]
    notes: dict[str, str]


class LiveChange(Struct):
    """`live --tune --json`: what was changed and verified; `problem` says why a change failed, `put_back` what was done then."""

    service: str
    done: bool
    changed: list[LiveChanged]
    problem: str | None = None
    put_back: LivePutBack | None = None


class LiveRecordChange(Struct):
    """One change on record: the level before, in the service's own words, and the word that was sent."""

    logger: str
    before: str | None
    effective_before: str | None
    after: str


class LiveRecordStep(Struct):
    """One call that changed levels: when, by whom, from where."""

    at: str
    command: str
    user: str
    process: int
    machine: str
    folder: str
    changes: list[LiveRecordChange]


class LiveRecord(Struct):
    """`live --record --json`: what is to be put back, the latest change last."""

    service: str
    steps: list[LiveRecordStep]


def levels(rows: Sequence[Row], words: Words) -> list[LiveLevel]:
    """Return the records of rows."""
    return [
        LiveLevel(
            one.logger,
            None if one.now is None else words.level(one.now.set),
            None if one.now is None else words.level(one.now.in_effect),
            None if one.planned is None else words.scale.name(one.planned),
            None if one.origin is None else origin_place(one.origin),
            one.verdict,
        )
        for one in rows
    ]


def recorded(record: Record) -> LiveRecord:
    """Return the document of a record."""
    return LiveRecord(
        record.service,
        [
            LiveRecordStep(
                one.at, one.command, one.user, one.process, one.machine, one.folder,
                [LiveRecordChange(change.logger, change.before.set, change.before.effective, change.after) for change in one.changes],
            )
            for one in record.steps
        ],
    )  # fmt: skip


def put_back(
    service: str, back: Mapping[str, str], foreign: Mapping[str, str], failed: Mapping[str, str], notes: Mapping[str, str]
) -> LivePutBack:
    """Return the document of what was put back."""
    return LivePutBack(service, dict(back), dict(foreign), dict(failed), dict(notes))
