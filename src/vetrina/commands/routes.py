"""`vetrina routes PLAN EVENTS`: which events reach which appender."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Annotated

import typer
from msgspec.structs import replace

from vetrina.commands import calling
from vetrina.core.base.events import Event
from vetrina.core.base.faults import offer, refuse
from vetrina.core.base.levels import NAMES
from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Counter, Part, Traffic, grouped, only
from vetrina.core.routing.router import Route, Router
from vetrina.formats.events import EventStream, open_input
from vetrina.views import routes as view
from vetrina.views import screen
from vetrina.views.screen import Line


def run(
    plan: calling.PlanArgument,
    events: calling.EventsArgument,
    each: Annotated[bool, typer.Option("--each", help="One line for every event.")] = False,
    counts_only: Annotated[bool, typer.Option("--counts-only", help="Leave bytes out, which is faster.")] = False,
    logger: Annotated[str, typer.Option("--logger", metavar="L", help="Only events of this logger and below it.")] = "",
    level: Annotated[
        str, typer.Option("--level", metavar="RANGE", help="Only these levels: warn.., ..info, debug..warn, or one.")
    ] = "",
    field: Annotated[
        list[str], typer.Option("--field", metavar="K=V", help="Only events with this field; V is read as YAML.")
    ] = [],  # noqa: B006
    appender: Annotated[list[str], typer.Option("--appender", metavar="A", help="Show only this appender; repeatable.")] = [],  # noqa: B006
    group_by: Annotated[
        tuple[str, str] | None, typer.Option("--group-by", metavar="field NAME", help="Count by the values of a field.")
    ] = None,
    plot: Annotated[Path | None, typer.Option("--plot", metavar="FILE", help="Draw the routing as .svg or .png.")] = None,
    fail_on: Annotated[
        str | None, typer.Option("--fail-on", metavar="lost-errors", help="End with 1 where errors arrive nowhere.")
    ] = None,
    strict: calling.StrictOption = False,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
    wide: calling.WideOption = False,
    json: calling.JsonOption = False,
) -> None:
    """Show which events reach which appender, what stopped the others, and what went nowhere.

    \b
    Examples:
      vetrina routes plan.yaml week.jsonl
      vetrina routes plan.yaml week.jsonl.gz --each | grep brake
      vetrina routes plan.yaml week.jsonl --logger ropeway.gate --level warn.. --group-by field gate
      vetrina routes plan.yaml week.jsonl --plot routing.svg
      vetrina routes plan.yaml week.jsonl --counts-only --fail-on lost-errors
      zcat week.jsonl.gz | vetrina routes plan.yaml - --json
    """  # noqa: D301
    found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune)
    router = Router(found.plan)
    part = calling.part_of(found.plan.scale, logger, level, field)
    for name in appender:
        if name not in found.plan.appenders:
            raise refuse(f'no appender is called "{name[:60]}"', fix=offer(name, found.plan.appenders), where="--appender")
    calling.exclude("--each", each, {"--group-by": group_by, "--counts-only": counts_only, "--plot": plot})
    calling.exclude("--group-by", group_by, {"--counts-only": counts_only, "--plot": plot})
    if fail_on not in {None, "lost-errors"}:
        raise refuse(f'"{(fail_on or "")[:40]}" is nothing to fail on', fix="write --fail-on lost-errors", where="--fail-on")
    if plot is not None and plot.suffix not in {".svg", ".png"}:
        raise refuse(f'"{plot.suffix}" is no kind of picture', fix="end the name with .svg or .png", where=f"--plot {plot}")
    stream = EventStream(events, scale=found.plan.scale, strict=strict)
    lost = _Lost(router)
    width = calling.width(wide=wide)
    with open_input(events) as file:
        if each:
            _each(router, stream, file, part, appender, lost, as_json=json)
        elif group_by is not None:
            _grouped(router, stream, file, part, group_by, appender, lost, width, as_json=json)
        else:
            counter = Counter(router, with_bytes=not counts_only, part=part)
            stream.send(file, counter)
            traffic = counter.result()
            lost.take_all(traffic)
            _show(traffic, found.plan, stream.unreadable, appender, plot, width, as_json=json)
    calling.remark_bad_lines(events, stream.unreadable, stream.bad_lines)
    if fail_on and lost.counts:
        calling.remark([[screen.Span("lost-errors: ", "bad"), screen.span(lost.words())]])
    if stream.unreadable or (fail_on and lost.counts):
        raise typer.Exit(calling.Exit.WANTING)


class _Lost:
    """Errors that arrive nowhere, counted by logger and severity."""

    def __init__(self, router: Router) -> None:
        self._router = router
        self.counts: dict[tuple[str, int], int] = {}

    def take(self, event: Event, route: Route) -> None:
        """Look at one event with its route."""
        severity = self._router.severities[event.level]
        if severity >= NAMES["error"] and not route.deliveries:
            key = (event.logger or "root", severity)
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


def _show(
    traffic: Traffic, plan: Plan, unreadable: int, appenders: list[str], plot: Path | None, width: int, *, as_json: bool
) -> None:
    if appenders:
        traffic.appenders = {name: one for name, one in traffic.appenders.items() if name in appenders}
        for cell in traffic.cells.values():
            cell.reached = {name: count for name, count in cell.reached.items() if name in appenders}
    if plot is not None:
        draw = _drawer()

        calling.write_bytes(plot, draw(traffic, plan, plot.suffix[1:]))
        calling.remark([f"drawn: {plot}"])
    if as_json:
        calling.print_json(view.as_json(traffic, plan, unreadable))
    else:
        calling.print_lines(view.route_lines(traffic, plan, unreadable, width))


def _drawer() -> Callable[[Traffic, Plan, str], bytes]:
    try:
        from vetrina.views.routing_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)
    except ImportError:
        raise refuse(
            "drawing needs Matplotlib, which is not installed", fix="pip install 'vetrina[plot]'", where="--plot"
        ) from None
    return draw


def _grouped(
    router: Router,
    stream: EventStream,
    file: IO[bytes],
    part: Part,
    group_by: tuple[str, str],
    appenders: list[str],
    lost: _Lost,
    width: int,
    *,
    as_json: bool,
) -> None:
    kind, name = group_by
    if kind != "field":
        raise refuse(f'"{kind[:40]}" cannot be grouped by', fix="write --group-by field NAME", where="--group-by")

    def looked_at() -> Iterator[Event]:
        for event in only(stream.read(file), part, router):
            lost.take(event, router.route(event))
            yield event

    groups, total = grouped(looked_at(), router, name)
    if appenders:
        for group in groups:
            group.reached = {one: count for one, count in group.reached.items() if one in appenders}
    if as_json:
        calling.print_json(view.groups_json(groups, name, total, stream.unreadable))
    else:
        calling.print_lines(view.group_lines(groups, name, total, router.plan, width))


def _each(
    router: Router, stream: EventStream, file: IO[bytes], part: Part, appenders: list[str], lost: _Lost, *, as_json: bool
) -> None:
    scale = router.plan.scale
    waiting: list[Line] = []
    for line, event in stream.numbered(file):
        severity = router.severities[event.level]
        if not part.holds(event, severity, router.plan.separator):
            continue
        route, logger = router.route(event), event.logger or "root"
        lost.take(event, route)
        if appenders:
            route = replace(
                route,
                deliveries=tuple(one for one in route.deliveries if one.appender in appenders),
                stops=tuple(one for one in route.stops if one.appender in appenders),
            )
        if as_json:
            document = view.each_json(line, logger, scale.name(severity), route)
            calling.print_json_line(document)
            continue
        waiting.append(view.each_line(line, logger, severity, scale, route))
        if len(waiting) >= 1000:
            calling.print_lines(waiting)
            waiting.clear()
    calling.print_lines(waiting)
