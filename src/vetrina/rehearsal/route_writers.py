"""Who writes the events of a route: appenders that write the same bytes together, for these are made once."""

from __future__ import annotations

from collections.abc import Container, Mapping

from vetrina.core.routing.router import Route
from vetrina.rehearsal.lanes import SinkLane

Writers = list[list[tuple[SinkLane, int]]]
"""Those that write the same bytes together, each with how many times."""


class RouteWriters:
    """Knows them for every route that was met; ``shared`` are the appenders that write to one file with others."""

    def __init__(self, lanes: Mapping[str, SinkLane], shared: Container[str]) -> None:
        self._lanes, self._shared = lanes, shared
        self._known: dict[int, tuple[Route, Writers]] = {}

    def forget(self) -> None:
        """Forget all routes."""
        self._known.clear()

    def of(self, route: Route) -> Writers:
        """Return who writes events of a route."""
        known = self._known.get(id(route))
        return known[1] if known is not None else self._known_route(route)[1]

    def _known_route(self, route: Route) -> tuple[Route, Writers]:
        """Return the lanes that a route reaches, those that write the same bytes together: they are made once.

        Where several appenders write one file, each delivery stands by itself, in its order.
        """
        if any(one.appender in self._shared for one in route.deliveries):
            lanes = [self._lanes[one.appender] for one in route.deliveries]
            return self._keep(route, [[(lane, 1)] for lane in lanes])
        times: dict[str, int] = {}
        for one in route.deliveries:
            times[one.appender] = times.get(one.appender, 0) + 1
        writers: dict[object, list[tuple[SinkLane, int]]] = {}
        for name, number in times.items():
            lane = self._lanes[name]
            writers.setdefault(lane.writer_key(), []).append((lane, number))
        return self._keep(route, list(writers.values()))

    def _keep(self, route: Route, writers: Writers) -> tuple[Route, Writers]:
        found = (route, writers)
        if len(self._known) < 10_000:
            self._known[id(route)] = found  # the route is kept, so that its id stays its own
        return found
