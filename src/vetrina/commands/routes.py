"""`vetrina routes PLAN EVENTS`: which events reach which appender."""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated

import typer
from msgspec import Struct

from vetrina.commands import calling, completing, options, unknown_names
from vetrina.commands.reading import reading
from vetrina.core.base.faults import refuse
from vetrina.core.base.wording import counted
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Traffic
from vetrina.core.routing.grouping import Group, Lost, add_lost, lost_errors
from vetrina.core.routing.parts import Part
from vetrina.formats.inputs import inputs_of
from vetrina.views import routes as view
from vetrina.views import screen
from vetrina.views.documents import routes as documents
from vetrina.work import takers
from vetrina.work.asked import known_appenders
from vetrina.work.recording import Recording
from vetrina.work.shown import EachJob


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
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
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
      vetrina routes plan.yaml archive/ --also today.jsonl --workers 4
      zcat week.jsonl.gz | vetrina routes plan.yaml - --json
    """
    part, inputs = unknown_names.part_of(found.plan, logger, level, field), inputs_of(events, also)
    known_appenders(found.plan, appender, "--appender")
    _possible(fail_on, plot, counts_only, {"--each": each, "--group-by": group_by})
    with reading(inputs, workers, cluster, prints=each, plans=[found.plan]) as engine:
        recording = Recording(inputs, strict=strict, engine=engine)
        call = _Call(found.plan, recording, part, appender, calling.width(wide=wide), json)
        if each:
            call.each()
        elif group_by is not None:
            call.group(group_by)
        else:
            call.count(with_bytes=not counts_only)
    call.show(plot)
    calling.remark_bad_lines(recording.name, recording.unreadable, recording.bad_lines)
    call.end(fail=bool(fail_on))


def _possible(fail_on: str | None, plot: Path | None, counts_only: bool, ways: dict[str, object]) -> None:  # noqa: FBT001
    """Refuse ways to show the events that exclude each other, and what is no fault to fail on or no picture."""
    for option, given in ways.items():
        others = {} if option == "--group-by" else {"--group-by": ways["--group-by"]}
        calling.exclude(option, given, {**others, "--counts-only": counts_only, "--plot": plot})
    calling.picture_kind(plot)
    if fail_on not in {None, "lost-errors"}:
        raise refuse(f'"{(fail_on or "")[:40]}" is nothing to fail on', fix="write --fail-on lost-errors", where="--fail-on")


class _Call(Struct):
    """The events of a call on their way through a plan, and how they are shown."""

    plan: Plan
    recording: Recording
    part: Part
    appenders: list[str]
    width: int
    as_json: bool
    traffic: Traffic | None = None
    groups: tuple[str, list[Group], int] | None = None
    lost: Lost = {}

    def count(self, *, with_bytes: bool) -> None:
        """Count how many events reach whom."""
        make = partial(takers.counter, self.plan, self.part, with_bytes)
        counts = with_bytes and takers.counts_events(self.plan)
        traffic = self.traffic = self.recording.gather(
            self.plan.scale, make, counts=counts, in_order=self.plan.remembers
        ).result()
        self.lost = lost_errors(traffic)
        if self.appenders:
            traffic.appenders = {name: one for name, one in traffic.appenders.items() if name in self.appenders}
            for cell in traffic.cells.values():
                cell.reached = {name: count for name, count in cell.reached.items() if name in self.appenders}

    def group(self, group_by: tuple[str, str]) -> None:
        """Count the events by the values of a field."""
        kind, name = group_by
        if kind != "field":
            raise refuse(f'"{kind[:40]}" cannot be grouped by', fix="write --group-by field NAME", where="--group-by")
        make = partial(takers.grouping, self.plan, name, self.part)
        grouping = self.recording.gather(self.plan.scale, make, in_order=self.plan.remembers)
        groups, total = grouping.result()
        if self.appenders:
            for group in groups:
                group.reached = {one: count for one, count in group.reached.items() if one in self.appenders}
        self.groups, self.lost = (name, groups, total), grouping.lost

    def each(self) -> None:
        """Show one line for every event."""
        job = EachJob(
            self.plan,
            self.part,
            tuple(self.appenders),
            self.as_json,
            painted=screen.painted(sys.stdout),
        )
        for shown in self.recording.show(self.plan.scale, job):
            calling.print_ready(shown.text)
            add_lost(self.lost, shown.lost)

    def show(self, plot: Path | None) -> None:
        """Show what was counted, and draw it."""
        unreadable = self.recording.unreadable
        if self.groups is not None:
            name, groups, total = self.groups
            if self.as_json:
                calling.print_json(documents.groups_document(groups, name, total, unreadable))
            else:
                calling.print_fitted(view.group_lines(groups, name, total, self.plan, self.width), self.width)
        if self.traffic is None:
            return
        if plot is not None:
            calling.write_bytes(plot, _drawer()(self.traffic, self.plan, plot.suffix[1:]))
            calling.remark([f"drawn: {plot}"])
        if self.as_json:
            calling.print_json(documents.document(self.traffic, self.plan, unreadable))
        else:
            calling.print_fitted(view.route_lines(self.traffic, self.plan, unreadable, self.width), self.width)

    def end(self, *, fail: bool) -> None:
        """End with 1 where lines were not readable, or where errors were lost and that is to ``fail``."""
        if fail and self.lost:
            calling.remark([[screen.Span("lost-errors: ", "bad"), screen.span(self._lost_words())]])
        if self.recording.unreadable or (fail and self.lost):
            raise typer.Exit(calling.Exit.WANTING)

    def _lost_words(self) -> str:
        """Return how many errors were lost, of whom."""
        name = self.plan.scale.name
        who = ", ".join(
            f"{logger} ({screen.number(count)} at {name(severity)})" for (logger, severity), count in sorted(self.lost.items())
        )
        return f"{counted(sum(self.lost.values()), 'error')} arrive nowhere: {who}"


def _drawer() -> Callable[[Traffic, Plan, str], bytes]:
    try:
        from vetrina.views.routing_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)
    except ImportError:
        raise calling.missing_library("drawing", "Matplotlib", "plot", "--plot") from None
    return draw
