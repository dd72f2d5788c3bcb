"""`vetrina rolling PLAN EVENTS`: the files over time."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.base.faults import offer, refuse
from vetrina.core.base.quantities import duration, size
from vetrina.core.config.edits import Edit, with_edits
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.outlook import Advice, advise, coming_names, kept_history
from vetrina.core.rolling.pace import pace_of
from vetrina.core.rolling.playing import Rolling, RollingAppender, measured_ratio, repeated
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.core.rolling.streams import Forecast, redrawn, scaled
from vetrina.core.routing.router import Router
from vetrina.formats.events import EventStream, open_input
from vetrina.formats.opening import only_once
from vetrina.formats.packers import MeasuringPacker
from vetrina.views import rolling as view
from vetrina.views.screen import Line

MOST_SCALE = 1_000_000


def run(
    plan: calling.PlanArgument,
    events: Annotated[
        str | None, typer.Argument(metavar="[EVENTS]", help="Events as JSON Lines; not needed with --names.")
    ] = None,
    appender: Annotated[list[str], typer.Option("--appender", metavar="A", help="Only this file appender; repeatable.")] = [],  # noqa: B006
    ratio: Annotated[
        float | None,
        typer.Option("--ratio", metavar="R", help="Packed size in parts of the size; measured by packing without it."),
    ] = None,
    on: Annotated[
        str, typer.Option("--on", metavar="TIME", help="List the folder as it would stand then (RFC 3339, or a day).")
    ] = "",
    names: Annotated[bool, typer.Option("--names", help="The names that coming rolls would give; no events needed.")] = False,
    repeat: Annotated[
        int, typer.Option("--repeat", metavar="N", min=1, help="The events N times over, shifted by whole days.")
    ] = 1,
    scale: Annotated[
        float, typer.Option("--scale", metavar="X", min=0, max=MOST_SCALE, help="The same events, X times as many.")
    ] = 1.0,
    rate: Annotated[
        list[str], typer.Option("--rate", metavar="STREAM", help="Add 'LOGGER LEVEL N/second|minute|hour|day [BYTES]'.")
    ] = [],  # noqa: B006
    runs: Annotated[
        int,
        typer.Option(
            "--runs", metavar="N", min=0, max=10_000, help="Draw the traffic again N times; ranges instead of numbers."
        ),
    ] = 0,
    seed: Annotated[int, typer.Option("--seed", metavar="S", min=0, help="For --scale and --runs.")] = 1,
    disk: Annotated[str, typer.Option("--disk", metavar="SIZE", help="Advise limits that keep each file within this.")] = "",
    history: Annotated[str, typer.Option("--history", metavar="DURATION", help="Advise limits that keep at least this.")] = "",
    plot: Annotated[
        Path | None, typer.Option("--plot", metavar="FILE", help="Draw the files over time, .svg or .png (one appender).")
    ] = None,
    all_: Annotated[bool, typer.Option("--all", help="Every file, however many.")] = False,
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
    """Show which files there will be: when they roll and why, how big they get, what is removed, how far back they reach.

    The simulation starts from an empty folder and touches no file. --json prints JSON Lines, one file appender a line.

    \b
    Examples:
      vetrina rolling plan.yaml week.jsonl
      vetrina rolling plan.yaml week.jsonl --appender daybook --repeat 4 --plot daybook.png
      vetrina rolling plan.yaml week.jsonl --rate 'ropeway.drive debug 500/second' --runs 50
      vetrina rolling plan.yaml week.jsonl --disk '40 KiB' --history '10 days' --repeat 4
      vetrina rolling plan.yaml --names
    """  # noqa: D301
    found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune)
    _check(found.plan, appender, ratio, scale)
    if names and events is not None:
        raise refuse("the coming names need no events", fix="leave EVENTS out", where="--names")
    calling.exclude("--json", json, {"--all": all_})
    calling.exclude("--on", on, {"--all": all_, "--runs": runs, "--disk": disk, "--history": history})
    if seed != 1 and scale == 1 and not runs:
        raise refuse("--seed has no effect without --scale or --runs", fix="leave it out", where="--seed")
    if names:
        calling.only_beside("--names", "--appender", "--wide", "--json", *calling.PLAN_OPTIONS)
        _names(found.plan, tuple(appender), wide=wide, as_json=json)
        return
    if events is None:
        raise refuse("which events?", fix="name a file of events, or ask for --names", where="rolling")
    if only_once(events) and (repeat > 1 or disk or history or rate):
        raise refuse("standard input can be read only once", fix="put the events into a file", where="rolling")
    traffic = _Traffic(
        events, found.plan, strict=strict, repeat=repeat, scale=scale, seed=seed, rate=rate, ratio=ratio, wanted=tuple(appender)
    )
    rolling = traffic.play(found)
    remark_shared(found.plan, rolling)
    moment = calling.moment(on, found.plan.zone, "--on") if on else None
    wish = _wish(disk, history)
    if plot is not None:
        _plot(plot, found.plan, rolling)
    zone = clocks.zone(found.plan.zone)
    pace = pace_of(rolling.first, rolling.last, zone)
    lines: list[Line] = []
    for name, lane in rolling.lanes.items():
        outlook = _outlook(lane, runs, seed) if runs and lane.simulation.files else None
        advice = traffic.advise(found, name, *wish) if wish else None
        if json:
            extra = {
                **({"outlook": view.outlook_json(outlook)} if outlook else {}),
                **({"advice": view.advice_json(advice)} if advice else {}),
            }
            listed = {} if moment is None else {"folder": view.listing_json(lane, moment, zone)}
            document = {**view.as_json(name, lane, zone), **listed, **extra}
            calling.print_json_line(document)
        elif moment is not None:
            lines += [*view.listing_lines(lane, moment, zone, calling.width(wide=wide)), []]
        else:
            lines += view.rolling_lines(lane, zone, pace, calling.width(wide=wide), every_file=all_)
            lines += view.outlook_lines(outlook) if outlook else []
            lines += view.advice_lines(advice) if advice else []
            lines.append([])
    calling.print_lines(lines[:-1])
    traffic.remark_bad_lines()


def _unpacked(name: str) -> str:
    return (
        f"warning: no recorded event reaches {name}: how small its files become is not known, so the streams count as if "
        "they were not packed; give --ratio"
    )


def _outlook(lane: RollingAppender, runs: int, seed: int) -> Forecast:
    try:
        return redrawn(lane, partial(lane.make, measured_ratio(lane)), runs, seed, kept_history)
    except ImportError:
        raise refuse(
            "drawing traffic again needs NumPy, which is not installed", fix="pip install 'vetrina[plot]'", where="--runs"
        ) from None


class _Traffic:
    """The events of a call with all that was asked to be done to them; played through one plan or another."""

    def __init__(
        self,
        events: str,
        plan: Plan,
        *,
        strict: bool,
        repeat: int,
        scale: float,
        seed: int,
        rate: list[str],
        ratio: float | None,
        wanted: tuple[str, ...],
    ) -> None:
        self._events, self._strict, self._repeat, self._scale, self._seed = events, strict, repeat, scale, seed
        self._ratio, self._wanted = ratio, wanted
        self._streams = [calling.stream_of_rate(text, plan) for text in rate]
        self._stream: EventStream | None = None

    def play(self, found: ResolvedPlan) -> Rolling:
        """Return the files of a plan after this traffic."""
        means: dict[str, dict[int, int]] = {}
        ratios: dict[str, float] | None = None
        if self._streams:  # a first round tells the levels' mean sizes, and how well the content packs
            first = Rolling(Router(found.plan), wanted=self._wanted, ratio=self._ratio, packer=MeasuringPacker)
            first.tracks_levels = True
            first.feed(self._read(found.plan))
            means = first.means()
            ratios = {name: measured_ratio(lane) for name, lane in first.lanes.items()} if self._ratio is None else None
        rolling = Rolling(Router(found.plan), wanted=self._wanted, ratio=self._ratio, packer=MeasuringPacker, ratios=ratios)
        if self._streams:
            rolling.add_streams(self._streams, means)
        whole = repeated(lambda: self._read(found.plan), self._repeat)
        rolling.feed(whole if self._scale == 1 else scaled(whole, self._scale, self._seed))
        rolling.finish()
        for name, lane in rolling.lanes.items() if ratios is not None else ():
            if lane.appender.roll.names.codec and lane.simulation.files and not first.lanes[name].simulation.files:
                calling.remark([_unpacked(name)])
        return rolling

    def _read(self, plan: Plan) -> Iterator[Event]:
        stream = EventStream(self._events, scale=plan.scale, strict=self._strict)
        with open_input(self._events) as file:
            yield from stream.read(file)
        self._stream = self._stream or stream

    def advise(self, found: ResolvedPlan, name: str, disk: int | None, history: timedelta | None) -> Advice:
        """Return limits for one file that meet a wish, each tried on this traffic."""

        def tried(edits: tuple[Edit, ...]) -> FileSimulation | None:
            after = with_edits(found, edits)
            if after is None:
                return None
            lane = self.play(after).lanes.get(name)
            return lane.simulation if lane else None

        return advise(name, found.plan.appenders[name].roll, disk, history, tried)

    def remark_bad_lines(self) -> None:
        """Tell which lines were not readable, and end with 1 if there were any."""
        if self._stream is not None and self._stream.unreadable:
            calling.remark_bad_lines(self._events, self._stream.unreadable, self._stream.bad_lines)
            raise typer.Exit(calling.Exit.WANTING)


def _wish(disk: str, history: str) -> tuple[int | None, timedelta | None] | None:
    size_ = size(disk) if disk else None
    span = duration(history) if history else None
    for found, option in ((size_, f"--disk {disk}"), (span, f"--history {history}")):
        if isinstance(found, str):
            raise refuse(found, where=option)
    if size_ is None and span is None:
        return None
    return (size_ if isinstance(size_, int) else None, span if isinstance(span, timedelta) else None)


def _names(plan: Plan, wanted: tuple[str, ...], *, wide: bool, as_json: bool) -> None:
    now, zone = datetime.now(tz=UTC), clocks.zone(plan.zone)
    lines: list[Line] = []
    for name, one in plan.appenders.items():
        if one.sink.kind != "file" or (wanted and name not in wanted) or not one.roll.rolls:
            continue
        rows = list(coming_names(one.roll, now, zone))
        if as_json:
            calling.print_json_line({"appender": name, "names": [{"roll": words, "name": text} for words, text in rows]})
        lines += [*view.names_lines(name, rows, calling.width(wide=wide)), []]
    if not as_json:
        calling.print_lines(lines[:-1] or ["no file of this plan rolls"])


def _plot(plot: Path, plan: Plan, rolling: Rolling) -> None:
    if plot.suffix not in {".svg", ".png"}:
        raise refuse(f'"{plot.suffix}" is no kind of picture', fix="end the name with .svg or .png", where=f"--plot {plot}")
    if len(rolling.lanes) != 1:
        raise refuse("a picture shows one appender", fix="name it with --appender", where="--plot")
    try:
        from vetrina.views.rolling_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)
    except ImportError:
        raise refuse(
            "drawing needs Matplotlib, which is not installed", fix="pip install 'vetrina[plot]'", where="--plot"
        ) from None
    ((name, lane),) = rolling.lanes.items()
    calling.write_bytes(
        plot, draw(name, lane.simulation, lane.appender.roll, clocks.zone(plan.zone), plan.zone, plot.suffix[1:])
    )
    calling.remark([f"drawn: {plot}"])


def _check(plan: Plan, appenders: list[str], ratio: float | None, scale: float) -> None:
    files = [name for name, one in plan.appenders.items() if one.sink.kind == "file"]
    for name in appenders:
        if name not in files:
            what = f'no file appender is called "{name[:60]}"' if name not in plan.appenders else f"{name} is no file appender"
            raise refuse(what, fix=offer(name, files), where="--appender")
    if not files:
        raise refuse("the plan has no file appender", fix="rolling is about appenders with sink: file", where="rolling")
    if math.isnan(scale):
        raise refuse("a scale is a number such as 2.5", where="--scale nan")
    if ratio is not None and not 0 <= ratio <= 1000:
        raise refuse("a ratio is a number such as 0.1", where=f"--ratio {ratio}")


def remark_shared(plan: Plan, rolling: Rolling) -> None:
    """Warn of two appenders on one path: each is simulated by itself."""
    first: dict[str, str] = {}
    for name in rolling.lanes:
        other = first.setdefault(plan.appenders[name].sink.place, name)
        if other != name:
            calling.remark([f"warning: {name} and {other} write to one path; each is simulated by itself"])
