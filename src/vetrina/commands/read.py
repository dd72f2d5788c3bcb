"""`vetrina read LOG…`: existing log files back into events."""

from __future__ import annotations

import sys
from datetime import date
from pathlib import Path
from typing import Annotated

import msgspec
import typer

from vetrina.commands import calling
from vetrina.commands.preview import parsed_template
from vetrina.core.faults import offer, refuse
from vetrina.core.templates.forms import PlainText
from vetrina.formats.events import open_input
from vetrina.formats.logs import LogReader


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
    zone: Annotated[str, typer.Option("--zone", metavar="ZONE", help="With --template: the time zone.")] = "UTC",
    day: Annotated[
        str, typer.Option("--date", metavar="DAY", help="The first day, where times have none (else from the file's name).")
    ] = "",
    encoding: Annotated[
        str, typer.Option("--encoding", metavar="NAME", help="The files' encoding (else the appender's).")
    ] = "",
    level: Annotated[str, typer.Option("--level", metavar="V", help="The level where the template has none.")] = "info",
    first: Annotated[int | None, typer.Option("--first", metavar="N", min=1, help="Stop after so many events.")] = None,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
) -> None:
    """Read log files back into events, as JSON Lines on standard output.

    Further lines of a stack trace go to the event they belong to. Lines that do not fit are counted, and the first
    few shown.

    \b
    Examples:
      vetrina read drive.log --plan plan.yaml --appender drive-file
      vetrina read old/daybook-*.log.gz --plan plan.yaml --appender daybook | vetrina routes plan.yaml -
      vetrina read app.log --template '{time|%H:%M:%S} {level} {message}' --date 2026-11-13
    """  # noqa: D301
    if (template is None) == (plan is None):
        raise refuse("how were they written?", fix="give --plan and --appender, or --template", where="read")
    if plan is not None:
        found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune).plan
        one = found.appenders.get(appender)
        if one is None:
            what = f'no appender is called "{appender[:60]}"' if appender else "which appender wrote them?"
            raise refuse(what, fix=offer(appender, found.appenders), where="--appender")
        form, own = one.template, one.encoding
    else:
        text = parsed_template(template or "", zone)
        form, own = PlainText("text", text.setting, None, (text,)), "utf-8"
    reader = LogReader(form, encoding=_encoding(encoding or own), day=_day(day), default_level=level)
    encode = msgspec.json.Encoder().encode
    out = sys.stdout.buffer
    for log in logs:
        with open_input(log) as file:
            for event in reader.read(file, log):
                out.write(encode(event) + b"\n")
                if reader.events == first:
                    break
        if first is not None and reader.events >= first:
            break
    out.flush()
    calling.remark_bad_lines(logs[0], reader.misfits, reader.bad_lines, "does not fit")
    if reader.misfits or not reader.events:
        if not reader.events and not reader.misfits:
            calling.remark(["there is no line in it"])
        raise typer.Exit(calling.Exit.WANTING)


def _encoding(name: str) -> str:
    try:
        "".encode(name)
    except LookupError:
        raise refuse(f'encoding "{name[:40]}" is not known', where="--encoding") from None
    return name


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise refuse(f'"{text[:40]}" is no day', fix="write --date 2026-11-13", where="--date") from None
