"""`vetrina pressure PLAN EVENTS`: the rush hour."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling, completing, learning, options, unknown_names
from vetrina.commands.reading import reading
from vetrina.core.base import clocks
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import refuse
from vetrina.core.base.quantities import duration
from vetrina.core.plan.model import Plan
from vetrina.formats.inputs import inputs_of
from vetrina.views import pressure as view
from vetrina.views.documents import pressure as documents
from vetrina.work.asked import known_appenders
from vetrina.work.pressing import Pressed, RushHour
from vetrina.work.recording import Recording


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: options.PlanArgument,
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
    seed: options.SeedOption = None,
    learn: learning.LearnOption = [],
    recorded_under: learning.RecordedUnderOption = None,
    recorded_stage: learning.RecordedStageOption = [],
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
      vetrina pressure plan.yaml live.jsonl --stage live --tune ropeway.drive=debug --learn bench.jsonl
      vetrina pressure plan.yaml week.jsonl --scale 20 --advice --late '30 seconds'
    """
    found = given.read(plan)
    known_appenders(found.plan, appender, "--appender")
    wished = _possible(found.plan, scale, late, advice=advice, named=bool(appender), learns=bool(learn))
    wish = learning.Wish(
        learn, recorded_under, recorded_stage, calling.seed_of(seed, {"--scale": scale != 1, "--learn": learn})
    )
    calling.picture_kind(plot)
    streams = unknown_names.streams_of(found.plan, rate)
    inputs = calling.readable(inputs_of(events, also), "pressure", again=bool(repeat > 1 or spread or rate or learn))
    with (
        wish.learned(given, plan, found, changed=bool(given.set_ or given.tune), strict=strict) as learned,
        reading(inputs, "1", cluster) as engine,
    ):
        recording = Recording(inputs, strict=strict, engine=engine)
        rush = RushHour(recording, repeat, spread, scale, wish.seed, streams, tuple(appender), wished, learned)
        pressed = rush.play(found.plan, course=plot is not None)
    _plot(plot, pressed, found.plan, _how(rush))
    _show(pressed, found.plan, rush, calling.width(wide=wide), as_json=json)
    learning.end_of(recording, learned)


def _possible(plan: Plan, scale: float, late: str, *, advice: bool, named: bool, learns: bool) -> timedelta | None:
    """Return the wish for advice; refuse options that have no effect."""
    calling.possible_scale(scale)
    calling.exclude("--learn", learns, {"--advice": advice})
    if advice and not named and all(one.queue is None for one in plan.appenders.values()):
        raise refuse(
            "no appender has a queue",
            "there is none to give advice about",
            "name the appender that is to get one: --appender A",
            where="--advice",
        )
    if not plan.appenders:
        raise refuse("the plan has no appender", fix="pressure is about what appenders go through", where="pressure")
    if advice != bool(late):
        fix = "write --advice --late '30 seconds'"
        raise refuse("--advice and --late go together", "one says what is wanted, the other how late is too late", fix, where="--advice" if advice else "--late")  # fmt: skip
    try:
        return duration(late) if late else None
    except NotUnderstood as reason:
        raise refuse(str(reason), where=f"--late {late}") from None


def _how(rush: RushHour) -> str:
    """Return how the recording was played, as the end of a sentence."""
    parts = [f"{rush.repeat} times over"] if rush.repeat > 1 else []
    parts += ["lines for several spread"] if rush.spread else []
    parts += [f"{rush.scale:g} times as many (seed {rush.seed})"] if rush.scale != 1 else []
    parts += [f"{len(rush.streams)} stream{'s' if len(rush.streams) > 1 else ''} added"] if rush.streams else []
    parts += [f"with what {rush.learned.name} tells"] if rush.learned is not None else []
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
