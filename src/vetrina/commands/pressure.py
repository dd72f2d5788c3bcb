"""`vetrina pressure PLAN EVENTS`: the rush hour."""

from __future__ import annotations

import math
from datetime import timedelta
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling, completing, options
from vetrina.commands.reading import reading
from vetrina.core.base import clocks
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import refuse
from vetrina.core.base.quantities import duration
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.formats.inputs import Inputs, inputs_of
from vetrina.views import pressure as view
from vetrina.views.documents import pressure as documents
from vetrina.work.asked import known_appenders
from vetrina.work.asked import streams as streams_of
from vetrina.work.pressing import Pressed, RushHour
from vetrina.work.recording import Recording


@options.reads_plan
def run(
    found: ResolvedPlan,
    events: options.EventsArgument,
    appender: Annotated[
        list[str],
        typer.Option("--appender", autocompletion=completing.appenders, metavar="A", help="Only this appender; repeatable."),
    ] = [],
    scale: options.ScaleOption = 1.0,
    rate: options.RateOption = [],
    repeat: options.RepeatOption = 1,
    spread: Annotated[
        bool, typer.Option("--spread", help="Lines that stand for several events: evenly to the next line of their logger.")
    ] = False,
    seed: Annotated[int, typer.Option("--seed", metavar="S", min=0, help="For --scale.")] = 1,
    advice: Annotated[
        bool, typer.Option("--advice", help="Advise queues with which nothing is dropped, held, or later than --late.")
    ] = False,
    late: Annotated[
        str, typer.Option("--late", metavar="DURATION", help="How late --advice may let an event leave a queue.")
    ] = "",
    plot: Annotated[
        Path | None, typer.Option("--plot", metavar="FILE", help="Draw arrivals, lines, lateness and losses, .svg or .png.")
    ] = None,
    also: options.AlsoOption = [],
    cluster: options.ClusterOption = "",
    strict: options.StrictOption = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show what gives way first in the rush hour: what limits stop, what queues drop or hold, how late events are.

    Limits, recalls and queues decide in the order of the events, so one process plays them.

    \b
    Examples:
      vetrina pressure plan.yaml week.jsonl
      vetrina pressure plan.yaml week.jsonl --scale 20 --spread --plot rush.png
      vetrina pressure plan.yaml week.jsonl --rate 'ropeway.drive debug 50/second' --appender gust-table
      vetrina pressure plan.yaml week.jsonl --scale 20 --advice --late '30 seconds'
    """
    known_appenders(found.plan, appender, "--appender")
    wish = _possible(found.plan, scale, late, drawn=seed == 1 or scale != 1, advice=advice)
    if advice and not appender and all(one.queue is None for one in found.plan.appenders.values()):
        raise refuse(
            "no appender has a queue",
            "there is none to give advice about",
            "name the appender that is to get one: --appender A",
            where="--advice",
        )
    calling.picture_kind(plot)
    streams, inputs = (
        streams_of(found.plan.scale, rate, "--rate"),
        _readable(events, also, again=repeat > 1 or spread or rate != []),
    )
    with reading(inputs, "1", cluster) as engine:
        recording = Recording(inputs, strict=strict, engine=engine)
        rush = RushHour(recording, repeat, spread, scale, seed, streams, tuple(appender), wish)
        pressed = rush.play(found.plan, course=plot is not None)
    _plot(plot, pressed, found.plan, _how(rush))
    _show(pressed, found.plan, rush, calling.width(wide=wide), as_json=json)
    calling.end_of(recording)


def _possible(plan: Plan, scale: float, late: str, *, drawn: bool, advice: bool) -> timedelta | None:
    """Return the wish for advice; refuse options that have no effect."""
    if not drawn:
        raise refuse("--seed has no effect without --scale", fix="leave it out", where="--seed")
    if math.isnan(scale):
        raise refuse("a scale is a number such as 2.5", where="--scale nan")
    if not plan.appenders:
        raise refuse("the plan has no appender", fix="pressure is about what appenders go through", where="pressure")
    if advice != bool(late):
        fix = "write --advice --late '30 seconds'"
        raise refuse("--advice and --late go together", "one says what is wanted, the other how late is too late", fix, where="--advice" if advice else "--late")  # fmt: skip
    try:
        return duration(late) if late else None
    except NotUnderstood as reason:
        raise refuse(str(reason), where=f"--late {late}") from None


def _readable(events: str, also: list[str], *, again: bool) -> Inputs:
    """Return the events; refuse ones that are to be read again and cannot be."""
    inputs = inputs_of(events, also)
    if again and inputs.only_once:
        raise refuse("standard input can be read only once", fix="put the events into a file", where="pressure")
    return inputs


def _how(rush: RushHour) -> str:
    """Return how the recording was played, as the end of a sentence."""
    parts = [f"{rush.repeat} times over"] if rush.repeat > 1 else []
    parts += ["lines for several spread"] if rush.spread else []
    parts += [f"{rush.scale:g} times as many (seed {rush.seed})"] if rush.scale != 1 else []
    parts += [f"{len(rush.streams)} stream{'s' if len(rush.streams) > 1 else ''} added"] if rush.streams else []
    return f", {', '.join(parts)}" if parts else ""


def _plot(plot: Path | None, pressed: Pressed, plan: Plan, how: str) -> None:
    if plot is None:
        return
    try:
        from vetrina.views.pressure_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)
    except ImportError:
        raise calling.missing_library("drawing", "Matplotlib", "plot", "--plot") from None
    calling.write_bytes(plot, draw(pressed.appenders, clocks.zone(plan.zone), plan.zone, how, plot.suffix[1:]))
    calling.remark([f"drawn: {plot}"])


def _show(pressed: Pressed, plan: Plan, rush: RushHour, width: int, *, as_json: bool) -> None:
    unreadable = rush.recording.unreadable
    if as_json:
        calling.print_json(documents.document(pressed.run, pressed.appenders, pressed.advice, plan, unreadable))
    else:
        lines = view.pressure_lines(pressed.run, pressed.appenders, pressed.advice, plan, _how(rush), width)
        calling.print_fitted(lines, width, plan)
