"""`vetrina read LOG…`: existing log files back into events."""

from __future__ import annotations

import sys
from datetime import date, datetime
from pathlib import Path
from typing import Annotated

import msgspec
import typer

from vetrina.commands import calling
from vetrina.commands.preview import parsed_template
from vetrina.core.base.events import Event
from vetrina.core.base.faults import offer, refuse
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.routing.counting import Part
from vetrina.core.templates.forms import PlainText, Template
from vetrina.core.templates.reading_times import dated, pattern_of
from vetrina.formats.events import open_input
from vetrina.formats.logs import LogReader
from vetrina.views import read as view


def run(
    logs: Annotated[
        list[str],
        typer.Argument(metavar="LOG…", help="Log files in order, also .gz or .zst; - is standard input.", show_default=False),
    ],
    plan: Annotated[Path | None, typer.Option("--plan", metavar="PLAN", help="The plan that wrote them.")] = None,
    appender: Annotated[str, typer.Option("--appender", metavar="A", help="The appender that wrote them.")] = "",
    template: Annotated[
        str | None, typer.Option("--template", metavar="TEXT", help="The template instead of a plan's.")
    ] = None,
    given_zone: Annotated[
        str | None, typer.Option("--zone", metavar="ZONE", help="With --template: the time zone (UTC).")
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
    logger: Annotated[str, typer.Option("--logger", metavar="L", help="Only events of this logger and below it.")] = "",
    level: Annotated[
        str, typer.Option("--level", metavar="RANGE", help="Only these levels: warn.., ..info, debug..warn, or one.")
    ] = "",
    field: Annotated[list[str], typer.Option("--field", metavar="K=V", help="Only events with this field; repeatable.")] = [],  # noqa: B006
    since: Annotated[str, typer.Option("--since", metavar="TIME", help="Only events from this time on.")] = "",
    until: Annotated[str, typer.Option("--until", metavar="TIME", help="Only events before this time.")] = "",
    first: Annotated[int | None, typer.Option("--first", metavar="N", min=1, help="Stop after so many events.")] = None,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
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
    """  # noqa: D301
    if (template is None) == (plan is None):
        raise refuse("how were they written?", fix="give --plan and --appender, or --template", where="read")
    if plan is None:
        calling.exclude("--template", template, {"--appender": appender, "--stage": stage, "--with": with_, "--env": env,
                                                 "--env-file": env_file, "--set": set_, "--tune": tune})  # fmt: skip
    else:
        calling.exclude("--plan", plan, {"--zone": given_zone})
    if plan is not None:
        found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune).plan
        one = found.appenders.get(appender)
        if one is None:
            what = f'no appender is called "{appender[:60]}"' if appender else "which appender wrote them?"
            raise refuse(what, fix=offer(appender, found.appenders), where="--appender")
        form, own, scale, separator, zone_ = one.template, one.encoding, found.scale, found.separator, found.zone
    else:
        zone = given_zone or "UTC"
        text = parsed_template(template or "", zone)
        form, own, scale, separator, zone_ = PlainText("text", text.setting, None, (text,)), "utf-8", Scale(), ".", zone
    wanted = _Wanted(
        calling.part_of(scale, logger, level, field),
        Severities(scale),
        separator,
        calling.moment(since, zone_, "--since") if since else None,
        calling.moment(until, zone_, "--until") if until else None,
    )
    _needed(form, default_level, day, given_zone, scale)
    reader = LogReader(form, encoding=_encoding(encoding or own), day=_day(day), default_level=default_level or "info")
    shown = _show(logs, reader, wanted, first)
    _tell(reader, logs, shown, stopped=shown == first, as_json=json)
    if reader.misfits or not reader.events:
        raise typer.Exit(calling.Exit.WANTING)


def _needed(form: Template, default_level: str | None, day: str, zone: str | None, scale: Scale) -> None:
    """Refuse a level, a day or a zone for lines that have their own, and a level that is none."""
    times = [one for one in form.placeholders if one.source == "time"]
    if zone is not None and times and not any(pattern_of(one) for one in times):
        raise refuse("--zone has no effect: the template's times tell their offset", fix="leave it out", where="--zone")
    if default_level is not None:
        if form.sources() & {"level", "severity"}:
            raise refuse("--default-level has no effect: the template has a level", fix="leave it out", where="--default-level")
        if scale.severity(default_level) is None:
            raise refuse(f'level "{default_level[:60]}" is not known{scale.hint(default_level)}', where="--default-level")
    if day and any(map(dated, times)):
        raise refuse("--date has no effect: the template's times have a day", fix="leave it out", where="--date")


class _Wanted:
    """Which of the events to print."""

    def __init__(
        self, part: Part, severities: Severities, separator: str, since: datetime | None, until: datetime | None
    ) -> None:
        self._part, self._severities, self._separator, self._since, self._until = part, severities, separator, since, until
        self.all = part == Part() and since is None and until is None

    def holds(self, event: Event) -> bool:
        """Tell whether an event is wanted: of the part, from ``since`` on, before ``until``."""
        if (self._since and event.time < self._since) or (self._until and event.time >= self._until):
            return False
        return self._part.holds(event, self._severities[event.level], self._separator)


def _show(logs: list[str], reader: LogReader, wanted: _Wanted, first: int | None) -> int:
    """Print the wanted events of the logs, ``first`` of them at most; return how many were printed."""
    encode = msgspec.json.Encoder().encode
    out, shown = sys.stdout.buffer, 0
    for log in logs:
        with open_input(log) as file:
            for event in reader.read(file, log):
                if not (wanted.all or wanted.holds(event)):
                    continue
                out.write(encode(event) + b"\n")
                shown += 1
                if shown == first:
                    out.flush()
                    return shown
    out.flush()
    return shown


def _tell(reader: LogReader, logs: list[str], shown: int, *, stopped: bool, as_json: bool) -> None:
    """Tell on standard error what was joined and what did not fit."""
    summary = {
        "events": reader.events, "shown": shown, "stopped": stopped, "joined_lines": reader.joined_lines,
        "joined_events": reader.joined_events, "blank": reader.blank, "misfits": reader.misfits,
        "first_misfits": [{"file": one.name, "line": one.number, "reason": one.reason} for one in reader.bad_lines],
    }  # fmt: skip
    if as_json:
        sys.stdout.flush()
        sys.stderr.write(msgspec.json.format(msgspec.json.encode(summary), indent=2).decode() + "\n")
        return
    calling.remark_bad_lines(logs[0], reader.misfits, reader.bad_lines, "does not fit")
    calling.remark(view.summary_lines(summary))


def _encoding(name: str) -> str:
    """Return an encoding's name; refuse one that is not known, or is none of text in lines."""
    try:
        lines = "a\n".encode(name)
        known = lines == b"a\n" or (name.lower().replace("_", "-").startswith(("utf-16", "utf-32")) and bool(lines))
    except (LookupError, UnicodeError):
        raise refuse(f'encoding "{name[:40]}" is not known', where="--encoding") from None
    if not known:
        raise refuse(f'encoding "{name[:40]}" is none of lines of text', where="--encoding")
    return name


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise refuse(f'"{text[:40]}" is no day', fix="write --date 2026-11-13", where="--date") from None
