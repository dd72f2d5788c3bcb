"""`vetrina rolling PLAN EVENTS`: the files over time."""

from __future__ import annotations

import json as json_text
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.events import Event
from vetrina.core.faults import offer, refuse
from vetrina.core.plan import Plan
from vetrina.core.rolling.running import Rolling, repeated
from vetrina.core.routing import Router
from vetrina.core.templates import clocks
from vetrina.formats.events import EventStream, open_input
from vetrina.formats.packers import MeasuringPacker
from vetrina.views import rolling as view
from vetrina.views.screen import Line


def run(
    plan: calling.PlanArgument,
    events: calling.EventsArgument,
    appender: Annotated[list[str], typer.Option("--appender", metavar="A", help="Only this file appender; repeatable.")] = [],  # noqa: B006
    ratio: Annotated[
        float | None,
        typer.Option("--ratio", metavar="R", help="Packed size in parts of the size; measured by packing without it."),
    ] = None,
    on: Annotated[
        str, typer.Option("--on", metavar="TIME", help="List the folder as it would stand then (RFC 3339, or a day).")
    ] = "",
    repeat: Annotated[
        int, typer.Option("--repeat", metavar="N", min=1, help="The events N times over, shifted by whole days.")
    ] = 1,
    all_: Annotated[bool, typer.Option("--all", help="Every file, however many.")] = False,
    strict: calling.StrictOption = False,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
    json: calling.JsonOption = False,
) -> None:
    """Show which files there will be: when they roll and why, how big they get, what is removed, how far back they reach.

    The simulation starts from an empty folder and touches no file.

    \b
    Examples:
      vetrina rolling plan.yaml week.jsonl
      vetrina rolling plan.yaml week.jsonl --appender daybook --repeat 4
      vetrina rolling plan.yaml week.jsonl --on 2026-11-13
    """  # noqa: D301
    found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune)
    _check(found.plan, appender, ratio)
    zone = clocks.zone(found.plan.zone)
    moment = _moment(on, found.plan) if on else None
    stream = EventStream(events, scale=found.plan.scale, strict=strict)
    rolling = Rolling(Router(found.plan), wanted=tuple(appender), ratio=ratio, packer=MeasuringPacker)
    if repeat > 1 and events == "-":
        raise refuse("standard input can be read only once", fix="put the events into a file", where="--repeat")

    def read() -> Iterator[Event]:
        with open_input(events) as file:
            yield from stream.read(file)

    rolling.feed(repeated(read, repeat))
    rolling.finish()
    shared = _shared(found.plan, rolling)
    if shared:
        calling.remark([f"warning: {shared}"])
    lines: list[Line] = []
    for name, lane in rolling.lanes.items():
        if json:
            sys.stdout.write(
                json_text.dumps(view.as_json(name, lane.simulation, zone), ensure_ascii=False, separators=(",", ":")) + "\n"
            )
        elif moment is not None:
            lines += [*view.listing_lines(lane, moment, zone, calling.width()), []]
        else:
            lines += [*view.rolling_lines(lane, zone, calling.width(), every_file=all_), []]
    calling.print_lines(lines[:-1])
    calling.remark_bad_lines(events, stream.unreadable, stream.bad_lines)
    if stream.unreadable:
        raise typer.Exit(calling.Exit.WANTING)


def _check(plan: Plan, appenders: list[str], ratio: float | None) -> None:
    files = [name for name, one in plan.appenders.items() if one.sink.kind == "file"]
    for name in appenders:
        if name not in files:
            what = f'no file appender is called "{name[:60]}"' if name not in plan.appenders else f"{name} is no file appender"
            raise refuse(what, fix=offer(name, files), where="--appender")
    if not files:
        raise refuse("the plan has no file appender", fix="rolling is about appenders with sink: file", where="rolling")
    if ratio is not None and not 0 <= ratio <= 1000:
        raise refuse("a ratio is a number such as 0.1", where=f"--ratio {ratio}")


def _moment(text: str, plan: Plan) -> datetime:
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise refuse(
            f'"{text[:40]}" is no time', fix="write --on 2026-11-13T12:00:00+01:00, or --on 2026-11-13", where="--on"
        ) from None
    return (found if found.tzinfo else found.replace(tzinfo=clocks.zone(plan.zone))).astimezone(UTC)


def _shared(plan: Plan, rolling: Rolling) -> str:
    """Return a warning about two appenders on one path: each is simulated by itself."""
    first: dict[str, str] = {}
    for name in rolling.lanes:
        place = plan.appenders[name].sink.place
        other = first.setdefault(place, name)
        if other != name:
            return f"{name} and {other} write to one path; each is simulated by itself"
    return ""
