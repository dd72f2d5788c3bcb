"""`vetrina rolling PLAN EVENTS`: the files over time."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Annotated

import typer
from msgspec import Struct

from vetrina.commands import calling, completing, learning, options, unknown_names
from vetrina.commands.reading import reading
from vetrina.core.base import clocks
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import refuse
from vetrina.core.base.quantities import duration, size
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.lanes import RollingAppender
from vetrina.core.rolling.outlook import Advice, coming_names, kept_history, measured_ratio
from vetrina.core.rolling.pace import pace_of
from vetrina.core.rolling.playing import Rolling
from vetrina.core.rolling.streams import Forecast, redrawn
from vetrina.formats.inputs import Inputs, inputs_of
from vetrina.views import foresight as fore
from vetrina.views import rolling as view
from vetrina.views.documents import rolling as documents
from vetrina.views.screen import Line, Span
from vetrina.work.files_over_time import Playing, file_appenders
from vetrina.work.recording import Recording

_Wish = tuple[int | None, timedelta | None]


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: options.PlanArgument,
    events: Annotated[
        str | None, typer.Argument(metavar="[EVENTS]", help="Events as JSON Lines; not needed with --names.")
    ] = None,
    appender: Annotated[
        list[str],
        typer.Option(
            "--appender", autocompletion=completing.appenders, metavar="A", help="Only this file appender; repeatable."
        ),
    ] = [],
    ratio: Annotated[
        float | None,
        typer.Option("--ratio", metavar="R", help="Packed size in parts of the size; measured by packing without it."),
    ] = None,
    on: Annotated[
        str, typer.Option("--on", metavar="TIME", help="List the folder as it would stand then (RFC 3339, or a day).")
    ] = "",
    names: Annotated[bool, typer.Option("--names", help="The names that coming rolls would give; no events needed.")] = False,
    repeat: options.RepeatOption = 1,
    scale: options.ScaleOption = 1.0,
    rate: options.RateOption = [],
    runs: Annotated[
        int,
        typer.Option(
            "--runs", metavar="N", min=0, max=10_000, help="Draw the traffic again N times; ranges instead of numbers."
        ),
    ] = 0,
    seed: options.SeedOption = None,
    learn: learning.LearnOption = [],
    recorded_under: learning.RecordedUnderOption = None,
    recorded_stage: learning.RecordedStageOption = [],
    disk: Annotated[str, typer.Option("--disk", metavar="SIZE", help="Advise limits that keep each file within this.")] = "",
    history: Annotated[str, typer.Option("--history", metavar="DURATION", help="Advise limits that keep at least this.")] = "",
    plot: Annotated[
        Path | None, typer.Option("--plot", metavar="FILE", help="Draw the files over time, .svg or .png (one appender).")
    ] = None,
    all_: Annotated[bool, typer.Option("--all", help="Every file, however many.")] = False,
    also: options.AlsoOption = [],
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    strict: options.StrictOption = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show which files there will be: when they roll and why, how big they get, what is removed, how far back they reach.

    The simulation starts from an empty folder and touches no file. --json prints JSON Lines, one file appender a line.

    \b
    Examples:
      vetrina rolling plan.yaml week.jsonl
      vetrina rolling plan.yaml week.jsonl --appender daybook --repeat 4 --plot daybook.png
      vetrina rolling plan.yaml week.jsonl --rate 'ropeway.wind.mast3 info 50/second' --runs 50
      vetrina rolling plan.yaml week.jsonl --disk '40 KiB' --history '10 days' --repeat 4
      vetrina rolling plan.yaml live.jsonl --stage live --set 'appenders[daybook].floor=debug' --tune ropeway.gate=debug --learn bench.jsonl
      vetrina rolling plan.yaml --names
    """
    found = given.read(plan)
    _possible(found.plan, appender, ratio, scale)
    wish = learning.Wish(
        learn, recorded_under, recorded_stage, calling.seed_of(seed, {"--scale": scale != 1, "--runs": runs, "--learn": learn})
    )
    _fitting(on, learn, {"--runs": runs, "--disk": disk, "--history": history}, all_=all_, as_json=json)
    if names:
        _names(found.plan, events, tuple(appender), wide=wide, as_json=json)
        return
    inputs = calling.readable(_given(events, also), "rolling", again=bool(repeat > 1 or disk or history or rate or learn))
    moment, limits = calling.moment(on, found.plan.zone, "--on") if on else None, _wish(disk, history)
    streams = unknown_names.streams_of(found.plan, rate)
    with (
        wish.learned(given, plan, found, changed=bool(given.set_ or given.tune), strict=strict) as learned,
        reading(inputs, _hands(scale, workers, cluster), cluster, plans=[found.plan]) as engine,
    ):
        playing = Playing(
            Recording(inputs, strict=strict, engine=engine), repeat, scale, wish.seed, streams, ratio, tuple(appender), learned
        )
        shown = _played(found, playing, limits, calling.width(wide=wide), as_json=json)
    shown.show(moment, runs, plot, every_file=all_)
    learning.end_of(playing.recording, learned)


def _fitting(on: str, learn: list[str], besides: dict[str, object], *, all_: bool, as_json: bool) -> None:
    """Refuse options that have no effect beside others."""
    calling.exclude("--json", as_json, {"--all": all_})
    calling.exclude("--on", on, {"--all": all_, **besides})
    calling.exclude("--learn", learn, besides)


def _hands(scale: float, workers: str, cluster: str) -> str:
    """Return who reads: what is drawn is drawn by one process."""
    calling.exclude("--scale", scale != 1, calling.readers_given(workers, cluster))
    return "1" if scale != 1 else workers


def _played(found: ResolvedPlan, playing: Playing, wish: _Wish | None, width: int, *, as_json: bool) -> _Shown:
    """Return the plan's files after the traffic, with limits that meet a wish; what is not sure about them is told."""
    rolling, unpacked = playing.files(found.plan)
    advice = {name: playing.advise(found, name, *wish) for name in rolling.lanes} if wish else {}
    _remark(found.plan, rolling, unpacked)
    return _Shown(found, playing, rolling, width, as_json, advice)


class _Shown(Struct):
    """The files of a call, for people or a program."""

    found: ResolvedPlan
    playing: Playing
    rolling: Rolling
    width: int
    as_json: bool
    advice: dict[str, Advice] = {}

    def show(self, moment: datetime | None, runs: int, plot: Path | None, *, every_file: bool) -> None:
        """Print them, as they stand at a ``moment`` or over time, with what was asked besides."""
        _plot(plot, self.found.plan, self.rolling)
        zone = clocks.zone(self.found.plan.zone)
        lines: list[Line] = self._told()
        for name, one in self.rolling.lanes.items():
            forecast = _forecast(one, runs, self.playing.seed) if runs and one.simulation.files else None
            advice = self.advice.get(name)
            if self.as_json:
                calling.print_json_line(
                    documents.document(name, one, zone, moment, forecast, advice, self.rolling.foretold, self.found.plan.scale)
                )
            elif moment is not None:
                lines += [*view.listing_lines(one, moment, zone, self.width), []]
            else:
                pace = pace_of(self.rolling.first, self.rolling.last, zone)
                lines += view.rolling_lines(one, zone, pace, self.width, every_file=every_file)
                lines += view.outlook_lines(forecast) if forecast else []
                lines += view.advice_lines(advice, self.width) if advice else []
                lines.append([])
        calling.print_fitted(lines[:-1], self.width)

    def _told(self) -> list[Line]:
        """Return what was learned from another recording, for people."""
        foretold = self.rolling.foretold
        if foretold is None or self.as_json:
            return []
        return [*fore.foretold_lines(foretold, self.found.plan.scale, self.width), []]


def _given(events: str | None, also: list[str]) -> Inputs:
    """Return the events; refuse none."""
    if events is None:
        raise refuse("which events?", fix="name a file of events, or ask for --names", where="rolling")
    return inputs_of(events, also)


def _unpacked(name: str) -> str:
    return (
        f"warning: no recorded event reaches {name}: how small its files become is not known, so the streams count as if "
        "they were not packed; give --ratio"
    )


def _forecast(lane: RollingAppender, runs: int, seed: int) -> Forecast:
    try:
        return redrawn(lane, partial(lane.make, measured_ratio(lane.simulation)), runs, seed, kept_history)
    except ImportError:
        raise calling.missing_library("drawing traffic again", "NumPy", "plot", "--runs") from None


def _wish(disk: str, history: str) -> _Wish | None:
    option = f"--disk {disk}"
    try:
        size_ = size(disk) if disk else None
        option = f"--history {history}"
        span = duration(history) if history else None
    except NotUnderstood as reason:
        raise refuse(str(reason), where=option) from None
    return None if size_ is None and span is None else (size_, span)


def _names(plan: Plan, events: str | None, wanted: tuple[str, ...], *, wide: bool, as_json: bool) -> None:
    if events is not None:
        raise refuse("the coming names need no events", fix="leave EVENTS out", where="--names")
    calling.only_beside("--names", "--appender", "--wide", "--json", *options.PLAN_OPTIONS)
    now, zone = datetime.now(tz=UTC), clocks.zone(plan.zone)
    lines: list[Line] = []
    for name, one in plan.appenders.items():
        if not one.sink.traits.rolls or (wanted and name not in wanted) or not one.roll.rolls:
            continue
        rows = list(coming_names(one.roll, now, zone))
        if as_json:
            calling.print_json_line(documents.names_document(name, rows))
        lines += [*view.names_lines(name, rows, calling.width(wide=wide)), []]
    if not as_json:
        calling.print_fitted(lines[:-1] or [[Span("no file of this plan rolls")]], calling.width(wide=wide))


def _plot(plot: Path | None, plan: Plan, rolling: Rolling) -> None:
    if plot is None:
        return
    calling.picture_kind(plot)
    if len(rolling.lanes) != 1:
        raise refuse("a picture shows one appender", fix="name it with --appender", where="--plot")
    try:
        from vetrina.views.rolling_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)
    except ImportError:
        raise calling.missing_library("drawing", "Matplotlib", "plot", "--plot") from None
    ((name, lane),) = rolling.lanes.items()
    calling.write_bytes(
        plot, draw(name, lane.simulation, lane.appender.roll, clocks.zone(plan.zone), plan.zone, plot.suffix[1:])
    )
    calling.remark([f"drawn: {plot}"])


def _possible(plan: Plan, appenders: list[str], ratio: float | None, scale: float) -> None:
    """Refuse calls that cannot be answered."""
    file_appenders(plan, appenders, "--appender")
    calling.possible_scale(scale)
    if ratio is not None and not 0 <= ratio <= 1000:
        raise refuse("a ratio is a number such as 0.1", where=f"--ratio {ratio}")


def _remark(plan: Plan, rolling: Rolling, unpacked: list[str]) -> None:
    """Warn of two appenders on one path (each is simulated by itself), and of sizes that nothing tells."""
    for name in unpacked:
        calling.remark([_unpacked(name)])
    first: dict[str, str] = {}
    for name in rolling.lanes:
        other = first.setdefault(plan.appenders[name].sink.place, name)
        if other != name:
            calling.remark([f"warning: {name} and {other} write to one path; each is simulated by itself"])
