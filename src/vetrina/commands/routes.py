"""`vetrina routes PLAN EVENTS`: which events reach which appender."""

from __future__ import annotations

import json as json_text
import sys
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.routing import Router
from vetrina.core.traffic import Counter
from vetrina.formats.events import EventStream, open_input
from vetrina.views import routes as view
from vetrina.views.screen import Line


def run(
    plan: calling.PlanArgument,
    events: calling.EventsArgument,
    each: Annotated[bool, typer.Option("--each", help="One line for every event.")] = False,  # noqa: FBT002
    counts_only: Annotated[bool, typer.Option("--counts-only", help="Leave bytes out, which is faster.")] = False,  # noqa: FBT002
    strict: calling.StrictOption = False,  # noqa: FBT002
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
    json: calling.JsonOption = False,  # noqa: FBT002
) -> None:
    """Show which events reach which appender, what stopped the others, and what went nowhere.

    \b
    Examples:
      vetrina routes plan.yaml week.jsonl
      vetrina routes plan.yaml week.jsonl.gz --each | grep brake
      zcat week.jsonl.gz | vetrina routes plan.yaml - --json
    """  # noqa: D301
    found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune)
    router = Router(found.plan)
    stream = EventStream(events, scale=found.plan.scale, strict=strict)
    with open_input(events) as file:
        if each:
            _each(router, stream, file, as_json=json)
        else:
            counter = Counter(router, with_bytes=not counts_only)
            stream.count(file, counter)
    if not each:
        traffic = counter.result()
        if json:
            calling.print_json(view.as_json(traffic, found.plan, stream.unreadable))
        else:
            calling.print_lines(view.route_lines(traffic, found.plan, stream.unreadable, calling.width()))
    calling.remark_bad_lines(events, stream.unreadable, stream.bad_lines)
    if stream.unreadable:
        raise typer.Exit(calling.Exit.WANTING)


def _each(router: Router, stream: EventStream, file: object, *, as_json: bool) -> None:
    scale = router.plan.scale
    waiting: list[Line] = []
    for line, event in stream.numbered(file):  # type: ignore[arg-type]
        severity = router.severities[event.level]
        route, logger = router.route(event), event.logger or "root"
        if as_json:
            document = view.each_json(line, logger, scale.name(severity), route)
            sys.stdout.write(json_text.dumps(document, ensure_ascii=False, separators=(",", ":")) + "\n")
            continue
        waiting.append(view.each_line(line, logger, severity, scale, route))
        if len(waiting) >= 1000:
            calling.print_lines(waiting)
            waiting.clear()
    calling.print_lines(waiting)
