"""Where the statements of a program would go, and which loggers of a plan none of them uses."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.faults import near_logger
from vetrina.core.base.logger_names import ROOT, ancestry, below, event_name
from vetrina.core.plan.loggers import Tree
from vetrina.core.plan.model import Plan
from vetrina.core.routing.passages import alone
from vetrina.core.routing.router import Gate, Router
from vetrina.core.survey.statements import Statement

SOME_TIME = datetime(2026, 1, 1, tzinfo=UTC)


class Arrival(Struct, frozen=True):
    """Where a statement's event would arrive, and the gate that stops it on its last way where it arrives nowhere."""

    appenders: tuple[str, ...] = ()
    stopped_at: Gate | None = None


class Unspoken(Struct, frozen=True):
    """A logger of the plan that no statement uses, and the nearest that one does."""

    logger: str
    nearest: str | None


def event_of(statement: Statement) -> Event | None:
    """Return an event as a statement would write it, its holes not filled; None where only the run shows its level."""
    if statement.level is None:
        return None
    error = "an error that goes along" if statement.error else None
    return Event(SOME_TIME, statement.level, event_name(statement.logger), statement.message, None, error)


def arrivals(statements: Iterable[Statement], plan: Plan) -> list[Arrival]:
    """Return where each statement's event would arrive, as the first of all events, its values not known."""
    router = Router(plan)
    known: dict[tuple[str, str], Arrival] = {}
    found = []
    for one in statements:
        event = event_of(one)
        if event is None:
            found.append(Arrival())
            continue
        settled = router.decide(event.logger, event.level).route is not None
        key = (event.logger, str(event.level))
        if not settled or key not in known:
            route = alone(router, event)
            appenders = tuple(dict.fromkeys(delivery.appender for delivery in route.deliveries))
            gate = None if appenders else route.stopped_at or (route.stops[-1].gate if route.stops else None)
            arrival = Arrival(appenders, gate)
            if not settled:
                found.append(arrival)
                continue
            known[key] = arrival
        found.append(known[key])
    return found


def unspoken(statements: Sequence[Statement], plan: Plan) -> list[Unspoken]:
    """Return the loggers of a plan that no statement uses, itself or below it; root is always used."""
    loggers = sorted({one.logger for one in statements})
    used: set[str] = set()
    for logger in loggers:
        used.update(ancestry(logger, plan.separator)[:-1])  # but root
    return [
        Unspoken(name, _near(name, used, loggers, plan.separator))
        for name in Tree(plan).entries
        if name != ROOT and name not in used
    ]


def _near(name: str, used: Iterable[str], loggers: Iterable[str], separator: str) -> str | None:
    """Return the used logger that one may be meant to be, else one above it."""
    above = (one for one in loggers if one != ROOT and below(name, one, separator))
    return near_logger(name, used, separator) or next(above, None)
