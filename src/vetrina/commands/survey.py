"""`vetrina survey SOURCE…`: the messages in a program's source."""

from __future__ import annotations

import json as json_
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import typer
from msgspec import Struct

from vetrina.commands import calling, options
from vetrina.commands.progress import counting
from vetrina.commands.reading import reading
from vetrina.commands.surveyed import tell_skipped
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.core.base.wording import counted
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.survey.arriving import SOME_TIME, event_of
from vetrina.formats.inputs import inputs_of
from vetrina.views import survey as view
from vetrina.views.documents import survey as documents
from vetrina.views.screen import Line
from vetrina.work.recording import Recording
from vetrina.work.surveying import Surveyed, held_against_events, held_against_plan, surveyed


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    sources: Annotated[
        list[str], typer.Argument(metavar="SOURCE…", help="Source files, and folders of them.", show_default=False)
    ],
    plan: Annotated[
        Path | None, typer.Option("--plan", metavar="PLAN", help="Where each would go, and loggers that nothing uses.")
    ] = None,
    events: Annotated[
        str | None, typer.Option("--events", metavar="EVENTS", help="Which were never seen, and which events none explains.")
    ] = None,
    also: options.AlsoOption = [],
    level_word: Annotated[
        list[str],
        typer.Option("--level-word", metavar="NAME=LEVEL", help="A word for a level in this source; repeatable."),
    ] = [],
    as_events: Annotated[
        Path | None, typer.Option("--as-events", metavar="FILE", help="Write one event for each statement there.")
    ] = None,
    unspoken: Annotated[bool, typer.Option("--unspoken", help="Only loggers of the plan that no statement uses.")] = False,
    unexplained: Annotated[bool, typer.Option("--unexplained", help="Only events that no statement explains.")] = False,
    strict: options.StrictOption = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Find the statements that write to the log in a program's source, so that messages never yet seen can be routed too.

    Python, Java, C#, JavaScript, TypeScript, Go, Rust, PHP, Ruby and Kotlin are read; nothing is run. --json prints JSON Lines.

    \b
    Examples:
      vetrina survey source
      vetrina survey source --plan plan.yaml --stage live
      vetrina survey source --plan plan.yaml --events week.jsonl
      vetrina survey source --level-word severe=error --as-events every.jsonl
      vetrina survey source --plan plan.yaml --unspoken --json
    """
    _possible(given, plan, events, also, unspoken=unspoken, unexplained=unexplained, strict=strict)
    found = given.read(plan) if plan is not None else None
    scale, separator = (found.plan.scale, found.plan.separator) if found is not None else (Scale(), ".")
    further = dict(calling.key_value(one, "--level-word") for one in level_word)
    with counting("reading source files") as tell:
        survey = surveyed(sources, scale, further, separator, tell)
    tell_skipped(survey)
    with _recorded(events, also, strict=strict) as recording:
        if found is not None:
            held_against_plan(survey, found.plan)
        if recording is not None:
            held_against_events(survey, recording, scale)
    _write(as_events, survey)
    _Shown(survey, found, scale, calling.width(wide=wide), unspoken, unexplained).show(as_json=json)
    _end(survey, recording)


def _possible(
    given: options.PlanOptions,
    plan: Path | None,
    events: str | None,
    also: list[str],
    *,
    unspoken: bool,
    unexplained: bool,
    strict: bool,
) -> None:
    """Refuse options that have no effect."""
    for option, value in {**given.given(), "--unspoken": unspoken}.items():
        if value and plan is None:
            raise refuse(f"{option} has an effect only with --plan", fix="add --plan, or leave it out", where=option)
    for option, value in {"--also": also, "--unexplained": unexplained, "--strict": strict}.items():
        if value and events is None:
            raise refuse(f"{option} has an effect only with --events", fix="add --events, or leave it out", where=option)
    calling.exclude("--unspoken", unspoken, {"--unexplained": unexplained, "--events": events})


@contextmanager
def _recorded(events: str | None, also: list[str], *, strict: bool) -> Iterator[Recording | None]:
    if events is None:
        yield None
        return
    inputs = inputs_of(events, also)
    with reading(inputs, "1", "") as engine:
        yield Recording(inputs, strict=strict, engine=engine)


def _write(path: Path | None, survey: Surveyed) -> None:
    """Write one event for each statement whose level is known."""
    if path is None:
        return
    lines, left = [], 0
    stamp = SOME_TIME.isoformat().replace("+00:00", "Z")
    for one in survey.statements:
        event = event_of(one)
        if event is None:
            left += 1
            continue
        row: dict[str, Any] = {"time": stamp, "level": one.level, "logger": event.logger, "message": one.message}
        row |= {"error": event.error} if one.error else {}
        row["source"] = {"file": one.file, "line": one.line}
        lines.append(json_.dumps(row, ensure_ascii=False))
    calling.write_file(path, "".join(f"{line}\n" for line in lines))
    without = f"; {left} without one, since only the run shows their level" if left else ""
    calling.remark([f"written: {path}, {counted(len(lines), 'event')}{without}"])


class _Shown(Struct):
    """What a survey found, for people or a program."""

    survey: Surveyed
    found: ResolvedPlan | None
    scale: Scale
    width: int
    unspoken: bool
    unexplained: bool

    def show(self, *, as_json: bool) -> None:
        """Print it."""
        if as_json:
            self._print_json()
            return
        lines = self._lines()
        calling.print_fitted(
            lines[1:] if lines and not lines[0] else lines, self.width, *([self.found.plan] if self.found else [])
        )

    def _print_json(self) -> None:
        one = self.survey
        if self.unspoken:
            for logger in one.unspoken or []:
                calling.print_json_line(documents.unspoken_line(logger))
        elif self.unexplained:
            for events in one.unexplained or []:
                calling.print_json_line(documents.unexplained_line(events, self.scale))
        else:
            for line in documents.lines(one.statements, one.arrivals, one.seen):
                calling.print_json_line(line)

    def _lines(self) -> list[Line]:
        one, scale, width = self.survey, self.scale, self.width
        if self.unspoken:
            return view.unspoken_lines(one.unspoken or [], width)
        if self.unexplained:
            return view.unexplained_lines(one.unexplained or [], scale, width)
        lines = view.head_lines((one.files, one.lines, len(one.statements), one.unsure), width)
        if one.arrivals is None and one.seen is None:
            return [*lines, *view.statement_lines(one.statements, scale, width)]
        lines += view.by_logger_lines(one.statements, one.arrivals, one.seen, scale, width)
        lines += view.lost_lines(one.statements, one.arrivals, scale, width) if one.arrivals is not None else []
        lines += view.unspoken_lines(one.unspoken, width) if one.unspoken is not None else []
        lines += view.unseen_lines(one.statements, one.seen, scale, width) if one.seen is not None else []
        return lines + (view.unexplained_lines(one.unexplained, scale, width) if one.unexplained is not None else [])


def _end(survey: Surveyed, recording: Recording | None) -> None:
    """End with 1 where something could not be read."""
    if recording is not None:
        calling.end_of(recording)
    if survey.skipped:
        raise typer.Exit(calling.Exit.WANTING)
