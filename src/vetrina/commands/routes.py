"""`vetrina routes PLAN EVENTS`: which events reach which appender."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Annotated

import typer
from msgspec import Struct
from msgspec.structs import replace

from vetrina.commands import calling, completing, options
from vetrina.commands.progress import watched
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import NAMES
from vetrina.core.base.logger_names import tree_name
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Counter, Part, Traffic, grouped, only
from vetrina.core.routing.router import Route, Router
from vetrina.formats.events import EventStream
from vetrina.formats.inputs import ManyFiles, inputs_of, open_input
from vetrina.views import routes as view
from vetrina.views import screen
from vetrina.views.documents import routes as documents
from vetrina.views.screen import Line
from vetrina.work.asked import known_appenders


@options.reads_plan
def run(
    found: ResolvedPlan,
    events: options.EventsArgument,
    each: Annotated[bool, typer.Option("--each", help="One line for every event.")] = False,
    counts_only: Annotated[bool, typer.Option("--counts-only", help="Leave bytes out, which is faster.")] = False,
    logger: options.LoggerOption = "",
    level: options.LevelOption = "",
    field: Annotated[
        list[str], typer.Option("--field", metavar="K=V", help="Only events with this field; V is read as YAML.")
    ] = [],
    appender: Annotated[
        list[str],
        typer.Option(
            "--appender", autocompletion=completing.appenders, metavar="A", help="Show only this appender; repeatable."
        ),
    ] = [],
    group_by: Annotated[
        tuple[str, str] | None, typer.Option("--group-by", metavar="field NAME", help="Count by the values of a field.")
    ] = None,
    plot: Annotated[Path | None, typer.Option("--plot", metavar="FILE", help="Draw the routing as .svg or .png.")] = None,
    fail_on: Annotated[
        str | None, typer.Option("--fail-on", metavar="lost-errors", help="End with 1 where errors arrive nowhere.")
    ] = None,
    also: options.AlsoOption = [],
    strict: options.StrictOption = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show which events reach which appender, what stopped the others, and what went nowhere.

    \b
    Examples:
      vetrina routes plan.yaml week.jsonl
      vetrina routes plan.yaml week.jsonl.gz --each | grep brake
      vetrina routes plan.yaml week.jsonl --logger ropeway.gate --level warn.. --group-by field gate
      vetrina routes plan.yaml week.jsonl --plot routing.svg
      vetrina routes plan.yaml week.jsonl --counts-only --fail-on lost-errors
      vetrina routes plan.yaml archive/ --also today.jsonl
      zcat week.jsonl.gz | vetrina routes plan.yaml - --json
    """
    part, inputs = calling.part_of(found.plan.scale, logger, level, field), inputs_of(events, also)
    known_appenders(found.plan, appender, "--appender")
    _possible(fail_on, plot, counts_only, {"--each": each, "--group-by": group_by})
    stream = EventStream(inputs.label, scale=found.plan.scale, strict=strict)
    call = _Call(Router(found.plan), stream, part, appender, calling.width(wide=wide), json)
    with watched(inputs, prints=each), open_input(inputs) as file:
        if each:
            call.each(file)
        elif group_by is not None:
            call.grouped(file, group_by)
        else:
            call.sums(file, plot, with_bytes=not counts_only)
    calling.remark_bad_lines(stream.name, stream.unreadable, stream.bad_lines)
    call.lost.end(stream.unreadable, fail=bool(fail_on))


def _possible(fail_on: str | None, plot: Path | None, counts_only: bool, ways: dict[str, object]) -> None:  # noqa: FBT001
    """Refuse ways to show the events that exclude each other, and what is no fault to fail on or no picture."""
    for option, given in ways.items():
        others = {} if option == "--group-by" else {"--group-by": ways["--group-by"]}
        calling.exclude(option, given, {**others, "--counts-only": counts_only, "--plot": plot})
    calling.picture_kind(plot)
    if fail_on not in {None, "lost-errors"}:
        raise refuse(f'"{(fail_on or "")[:40]}" is nothing to fail on', fix="write --fail-on lost-errors", where="--fail-on")


class _Lost:
    """Errors that arrive nowhere, counted by logger and severity."""

    def __init__(self, router: Router) -> None:
        self._router = router
        self.counts: dict[tuple[str, int], int] = {}

    def take(self, event: Event, route: Route) -> None:
        """Look at one event with its route."""
        severity = self._router.severities[event.level]
        if severity >= NAMES["error"] and not route.deliveries:
            key = (tree_name(event.logger), severity)
            self.counts[key] = self.counts.get(key, 0) + (event.count or 1)

    def take_all(self, traffic: Traffic) -> None:
        """Look at all that was counted."""
        for key, cell in traffic.cells.items():
            lost = sum(cell.stopped.values()) + cell.dropped
            if lost and cell.severity >= NAMES["error"]:
                self.counts[key] = lost

    def words(self) -> str:
        """Return how many, of whom."""
        name = self._router.plan.scale.name
        who = ", ".join(
            f"{logger} ({screen.number(count)} at {name(severity)})" for (logger, severity), count in self.counts.items()
        )
        return f"{screen.counted(sum(self.counts.values()), 'error')} arrive nowhere: {who}"

    def end(self, unreadable: int, *, fail: bool) -> None:
        """End with 1 where lines were not readable, or where errors were lost and that is to ``fail``."""
        if fail and self.counts:
            calling.remark([[screen.Span("lost-errors: ", "bad"), screen.span(self.words())]])
        if unreadable or (fail and self.counts):
            raise typer.Exit(calling.Exit.WANTING)


class _Call(Struct, dict=True):
    """The events of a call on their way through a plan, and how they are shown."""

    router: Router
    stream: EventStream
    part: Part
    appenders: list[str]
    width: int
    as_json: bool

    def __post_init__(self) -> None:
        """Begin to count what is lost."""
        self.lost = _Lost(self.router)

    def sums(self, file: IO[bytes] | ManyFiles, plot: Path | None, *, with_bytes: bool) -> None:
        """Show how many events reached whom, and draw it."""
        plan = self.router.plan
        counter = Counter(self.router, with_bytes=with_bytes, part=self.part)
        self.stream.send(file, counter)
        traffic = counter.result()
        self.lost.take_all(traffic)
        if self.appenders:
            traffic.appenders = {name: one for name, one in traffic.appenders.items() if name in self.appenders}
            for cell in traffic.cells.values():
                cell.reached = {name: count for name, count in cell.reached.items() if name in self.appenders}
        if plot is not None:
            calling.write_bytes(plot, _drawer()(traffic, plan, plot.suffix[1:]))
            calling.remark([f"drawn: {plot}"])
        if self.as_json:
            calling.print_json(documents.document(traffic, plan, self.stream.unreadable))
        else:
            calling.print_fitted(view.route_lines(traffic, plan, self.stream.unreadable, self.width), self.width)

    def grouped(self, file: IO[bytes] | ManyFiles, group_by: tuple[str, str]) -> None:
        """Show the events by the values of a field."""
        kind, name = group_by
        if kind != "field":
            raise refuse(f'"{kind[:40]}" cannot be grouped by', fix="write --group-by field NAME", where="--group-by")
        groups, total = grouped(self._looked_at(file), self.router, name)
        if self.appenders:
            for group in groups:
                group.reached = {one: count for one, count in group.reached.items() if one in self.appenders}
        if self.as_json:
            calling.print_json(documents.groups_document(groups, name, total, self.stream.unreadable))
        else:
            calling.print_fitted(view.group_lines(groups, name, total, self.router.plan, self.width), self.width)

    def _looked_at(self, file: IO[bytes] | ManyFiles) -> Iterator[Event]:
        for event in only(self.stream.read(file), self.part, self.router):
            self.lost.take(event, self.router.route(event))
            yield event

    def each(self, file: IO[bytes] | ManyFiles) -> None:
        """Show one line for every event."""
        scale, waiting = self.router.plan.scale, list[Line]()
        for line, event in self.stream.numbered(file):
            severity = self.router.severities[event.level]
            if not self.part.holds(event, severity, self.router.plan.separator):
                continue
            route, logger = self.router.route(event), tree_name(event.logger)
            self.lost.take(event, route)
            route = self._wanted(route) if self.appenders else route
            if self.as_json:
                calling.print_json_line(documents.each_document(line, logger, scale.name(severity), route))
                continue
            waiting.append(view.each_line(line, logger, severity, scale, route))
            if len(waiting) >= 1000:
                calling.print_lines(waiting)
                waiting.clear()
        calling.print_lines(waiting)

    def _wanted(self, route: Route) -> Route:
        """Return a route with the wanted appenders alone."""
        return replace(
            route,
            deliveries=tuple(one for one in route.deliveries if one.appender in self.appenders),
            stops=tuple(one for one in route.stops if one.appender in self.appenders),
        )


def _drawer() -> Callable[[Traffic, Plan, str], bytes]:
    try:
        from vetrina.views.routing_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)
    except ImportError:
        raise calling.missing_library("drawing", "Matplotlib", "plot", "--plot") from None
    return draw
