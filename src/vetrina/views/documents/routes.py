"""`routes --json`: the sums, the events by a field, the events one by one."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Traffic, appender_sinks, by_channel
from vetrina.core.routing.grouping import Group
from vetrina.core.routing.router import GATES, EarlyGate, Gate, Route
from vetrina.views.documents.shared import Delivery


class EarlyStops(Struct, omit_defaults=True):
    """Events stopped before any appender was asked; `round` is left out where none went round the configuration."""

    door: int
    level: int
    nowhere: int
    round: int = 0


class ChannelSeen(Struct):
    """What came by a channel, and how much of it went round the configuration."""

    channel: str
    events: int
    round: int


class AppenderTraffic(Struct):
    """What one appender got; `bytes` is null under --counts-only."""

    appender: str
    sink: str
    reached: int
    bytes: int | None
    stopped: dict[str, int]


class TrafficCell(Struct):
    """The events of one logger and level, and how many deliveries each appender got of them."""

    logger: str
    level: str
    events: int
    reached: dict[str, int]


class Routes(Struct, omit_defaults=True):
    """`routes --json`; with --each the lines are described by `routes-each`.

    `channels` by name, the most frequent first; left out where nothing came by any.

    `further_loggers`: so many share cells, beyond the first 10,000 by name; left out where there are none.
    """

    events: int
    unreadable: int
    unfilled: int
    unrouted: int
    stopped: EarlyStops
    appenders: list[AppenderTraffic]
    cells: list[TrafficCell]
    further_loggers: int = 0
    channels: list[ChannelSeen] = []


class Stop(Struct):
    """An arrival that did not happen, and the gate."""

    appender: str
    via: str
    gate: Gate


class FieldGroup(Struct):
    """The events that share a field's value."""

    value: str
    events: int
    unrouted: int
    reached: dict[str, int]


class RoutesGrouped(Struct):
    """`routes --group-by field NAME --json`."""

    field: str
    events: int
    unreadable: int
    groups: list[FieldGroup]


class RoutesEach(Struct):
    """One line of `routes --each --json`."""

    line: int
    logger: str
    level: str
    stopped_at: EarlyGate | None
    deliveries: list[Delivery]
    stops: list[Stop]


def document(traffic: Traffic, plan: Plan, unreadable: int) -> Routes:
    """Return the sums as a document."""
    sinks = appender_sinks(plan)
    appenders = [
        AppenderTraffic(
            name,
            sinks[name],
            one.reached,
            one.bytes if traffic.bytes_known else None,
            {gate: one.stopped[gate] for gate in GATES if gate in one.stopped},
        )
        for name, one in traffic.appenders.items()
    ]
    cells = [
        TrafficCell(
            cell.logger,
            plan.scale.name(cell.severity),
            cell.events,
            {name: cell.reached[name] for name in traffic.appenders if name in cell.reached},
        )
        for cell in traffic.cells.values()
    ]
    return Routes(
        traffic.events,
        unreadable,
        traffic.unfilled,
        traffic.unrouted,
        EarlyStops(**traffic.stopped),
        appenders,
        cells,
        traffic.further,
        [ChannelSeen(name, one.events, one.round) for name, one in by_channel(traffic)],
    )


def each_document(line: int, logger: str, level: str, route: Route) -> RoutesEach:
    """Return one event as a document."""
    deliveries = [Delivery(one.appender, one.via) for one in route.deliveries]
    stops = [Stop(one.appender, one.via, one.gate) for one in route.stops]
    return RoutesEach(line, logger, level, route.stopped_at, deliveries, stops)


def groups_document(groups: Sequence[Group], name: str, total: int, unreadable: int) -> RoutesGrouped:
    """Return the events by a field's values as a document."""
    return RoutesGrouped(
        name, total, unreadable, [FieldGroup(one.value, one.events, one.unrouted, one.reached) for one in groups]
    )
