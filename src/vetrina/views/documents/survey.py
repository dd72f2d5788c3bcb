"""`survey --json`."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base.levels import Scale
from vetrina.core.routing.router import Gate
from vetrina.core.survey.arriving import Arrival, Unspoken
from vetrina.core.survey.matching import Unexplained
from vetrina.core.survey.statements import Statement


class SurveyedStatement(Struct):
    """One line of `survey --json`: a statement that writes to the log.

    `level` is null where only the run shows it, and `sure` tells that neither the logger nor the level is worked out then.
    `arrives` and `stopped_at` (the gate on its last way, null where it arrives) are there with `--plan`, `seen` with `--events`:
    how many events it explains.
    """

    file: str
    line: int
    logger: str
    level: str | None
    message: str
    fields: list[str]
    error: bool
    sure: bool
    arrives: list[str] | UnsetType = UNSET
    stopped_at: Gate | UnsetType | None = UNSET
    seen: int | UnsetType = UNSET


class UnspokenLogger(Struct):
    """One line of `survey --unspoken --json`: a logger of the plan that no statement uses, and the nearest that one does."""

    logger: str
    nearest: str | None


class UnexplainedEvents(Struct):
    """One line of `survey --unexplained --json`: events that no statement explains."""

    logger: str
    level: str
    message: str
    events: int


def lines(
    statements: list[Statement], arrivals: list[Arrival] | None, seen: dict[int, int] | None
) -> Iterator[SurveyedStatement]:
    """Yield the statements as documents."""
    for at, one in enumerate(statements):
        arrival = arrivals[at] if arrivals is not None else None
        yield SurveyedStatement(
            one.file, one.line, one.logger, one.level, one.message, list(one.fields), one.error, one.sure,
            UNSET if arrival is None else list(arrival.appenders),
            UNSET if arrival is None else arrival.stopped_at,
            UNSET if seen is None else seen.get(at, 0),
        )  # fmt: skip


def unspoken_line(one: Unspoken) -> UnspokenLogger:
    """Return a logger as a document."""
    return UnspokenLogger(one.logger, one.nearest)


def unexplained_line(one: Unexplained, scale: Scale) -> UnexplainedEvents:
    """Return events as a document."""
    return UnexplainedEvents(one.logger, scale.name(one.severity), one.message, one.events)
