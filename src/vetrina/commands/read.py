"""`vetrina read LOG…`: existing log files back into events."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import msgspec
import typer

from vetrina.commands import calling, completing, options
from vetrina.commands.read_written import How, Written, print_draft, written_by
from vetrina.commands.reading import reading
from vetrina.commands.unknown_names import unknown_lines
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.core.routing.parts import Part
from vetrina.core.templates.forms import Template
from vetrina.core.templates.reading_times import dated, pattern_of
from vetrina.formats.inputs import Inputs
from vetrina.formats.logs import LogReader
from vetrina.formats.sources import Layout, Source
from vetrina.views import read as view
from vetrina.views.documents import read as documents
from vetrina.views.screen import Line
from vetrina.work.asked import known_level
from vetrina.work.known_names import AskedName
from vetrina.work.read_logs import LogReading, ReadJob, Wanted


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    logs: Annotated[
        list[str],
        typer.Argument(metavar="LOG…", help="Log files in order, also compressed; - is standard input.", show_default=False),
    ],
    plan: Annotated[Path | None, typer.Option("--plan", metavar="PLAN", help="The plan that wrote them.")] = None,
    appender: Annotated[
        str, typer.Option("--appender", autocompletion=completing.appenders, metavar="A", help="The appender that wrote them.")
    ] = "",
    template: Annotated[
        str | None, typer.Option("--template", metavar="TEXT", help="The template; without it, and a plan, it is drafted.")
    ] = None,
    draft: Annotated[
        bool, typer.Option("--draft", help="Print the layout that their lines tell, to look at and to keep; read nothing.")
    ] = False,
    given_zone: Annotated[
        str | None, typer.Option("--zone", metavar="ZONE", help="Without a plan: the time zone of the logs (UTC).")
    ] = None,
    day: Annotated[
        str, typer.Option("--date", metavar="DAY", help="The first day, where times have none (else from the file's name).")
    ] = "",
    encoding: Annotated[
        str, typer.Option("--encoding", metavar="NAME", help="The files' encoding (else the appender's).")
    ] = "",
    default_level: Annotated[
        str | None, typer.Option("--default-level", metavar="V", help="The level where the template has none (info).")
    ] = None,
    logger: options.LoggerOption = "",
    level: options.LevelOption = "",
    field: Annotated[list[str], typer.Option("--field", metavar="K=V", help="Only events with this field; repeatable.")] = [],
    since: Annotated[str, typer.Option("--since", metavar="TIME", help="Only events from this time on.")] = "",
    until: Annotated[str, typer.Option("--until", metavar="TIME", help="Only events before this time.")] = "",
    first: Annotated[int | None, typer.Option("--first", metavar="N", min=1, help="Stop after so many events.")] = None,
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    json: Annotated[
        bool, typer.Option("--json", help="Tell what was joined and what did not fit as one JSON document on standard error.")
    ] = False,
) -> None:
    """Read log files back into events, as JSON Lines on standard output.

    Every line is part of an event, or counted. Lines that follow an event's first one go to it where the template
    can have written them there (a stack trace, a message of several lines) and they do not look like the
    beginning of another event. Lines that do not fit are counted, and the first few shown with the reason.

    \b
    Examples:
      vetrina read drive.log --plan plan.yaml --appender drive-file
      vetrina read old/daybook-*.log.gz --plan plan.yaml --appender daybook | vetrina routes plan.yaml -
      vetrina read app.log --template '{time|%H:%M:%S} {level} {message}' --date 2026-11-13
      vetrina read unknown.log --draft
    """
    how = How(given, plan, appender, template, given_zone, encoding, day)
    if draft:
        calling.only_beside("--draft", "--zone", "--date", "--encoding", "--json")
        print_draft(how, logs, as_json=json)
        return
    with written_by(how, logs) as (inputs, written):
        _needed(written.form, default_level, day, given_zone, written.scale)
        asked = calling.part_of(written.scale, logger, level, field), written.separator
        wanted = Wanted(
            *asked,
            *(
                calling.moment(one, written.zone, option) if one else None
                for one, option in ((since, "--since"), (until, "--until"))
            ),
        )
        job = ReadJob(written.form, written.scale, written.encoding, written.day, default_level or "info", wanted)
        found = _show(inputs, job, first, (workers, cluster))
        calling.remark([] if found.shown or cluster else _unknown(inputs, written, default_level or "info", asked[0]))
    _tell(found.reader, logs, found.shown, stopped=found.shown == first, as_json=json)
    if found.reader.misfits or not found.reader.events or written.short:
        raise typer.Exit(calling.Exit.WANTING)


def _unknown(logs: Inputs, written: Written, default_level: str, part: Part) -> list[Line]:
    """Return which logger and fields that were asked for no event of the logs has."""
    if logs.only_once:
        return []
    layout = Layout(written.form, written.encoding, written.day, default_level)
    names = [AskedName("--logger", part.logger)] if part.logger else []
    names += [AskedName("--field", name, is_field=True) for name, _ in part.fields]
    return unknown_lines(names, (), [Source(one, layout) for one in logs.parts], logs.label, written.scale, written.separator)


def _needed(form: Template, default_level: str | None, day: str, zone: str | None, scale: Scale) -> None:
    """Refuse a level, a day or a zone for lines that have their own, and a level that is none."""
    times = [one for one in form.placeholders if one.source == "time"]
    if zone is not None and times and not any(pattern_of(one) for one in times):
        raise refuse("--zone has no effect: the template's times tell their offset", fix="leave it out", where="--zone")
    if default_level is not None:
        if form.sources() & {"level", "severity"}:
            raise refuse("--default-level has no effect: the template has a level", fix="leave it out", where="--default-level")
        known_level(scale, default_level, "--default-level")
    if day and any(map(dated, times)):
        raise refuse("--date has no effect: the template's times have a day", fix="leave it out", where="--date")


def _show(logs: Inputs, job: ReadJob, first: int | None, readers: tuple[str, str]) -> LogReading:
    """Print the wanted events of the logs, ``first`` of them at most; return what was read."""
    apart = readers[0] if job.reader().splits else "1"
    if apart != readers[0] and (readers[0] != "auto" or readers[1]):
        raise refuse("these logs are read by one process", "a record may go on over lines, or the time or the encoding of a line hangs on those before it",
                     "leave --workers and --cluster out", where="read")  # fmt: skip
    calling.exclude("--first", first, calling.readers_given(*readers))
    found = LogReading(job)
    out = sys.stdout.buffer
    try:
        with reading(logs, "1" if first else apart, readers[1], prints=True) as engine:
            for data in found.lines(logs, engine, first):
                out.write(data)
    finally:
        out.flush()
    return found


def _tell(reader: LogReader, logs: list[str], shown: int, *, stopped: bool, as_json: bool) -> None:
    """Tell on standard error what was joined and what did not fit."""
    summary = documents.document(reader, reader.bad_lines, shown, stopped=stopped)
    if as_json:
        sys.stdout.flush()
        sys.stderr.write(msgspec.json.format(msgspec.json.encode(summary), indent=2).decode() + "\n")
        return
    calling.remark_bad_lines(logs[0], reader.misfits, reader.bad_lines, "does not fit")
    calling.remark(view.summary_lines(summary))
