"""`vetrina find [SOURCE…]`: search what was collected."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import completing, options
from vetrina.commands.find_call import Call
from vetrina.commands.find_show import show, show_where
from vetrina.commands.find_sources import opened


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    sources: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[SOURCE…]",
            help="Files of events or logs, also compressed; folders, quoted patterns, - for standard input.",
            show_default=False,
        ),
    ] = None,
    plan: Annotated[
        Path | None,
        typer.Option("--plan", metavar="PLAN", help="The plan that wrote them; without SOURCE its files on this disk."),
    ] = None,
    appender: Annotated[
        list[str],
        typer.Option(
            "--appender", autocompletion=completing.appenders, metavar="A", help="The appenders that wrote them; repeatable."
        ),
    ] = [],
    where: Annotated[
        bool, typer.Option("--where", help="Only list the files that the plan's appenders have on this disk.")
    ] = False,
    template: Annotated[
        str | None,
        typer.Option("--template", metavar="TEXT", help="The logs' template; without it, and a plan, it is drafted."),
    ] = None,
    given_zone: Annotated[
        str | None,
        typer.Option("--zone", metavar="ZONE", help="Without a plan: the time zone of logs, and of what is shown (UTC)."),
    ] = None,
    separator: Annotated[
        str | None,
        typer.Option("--separator", metavar="TEXT", help='Without a plan: between the segments of a logger\'s name (".").'),
    ] = None,
    encoding: Annotated[str, typer.Option("--encoding", metavar="NAME", help="The logs' encoding (else the appender's).")] = "",
    day: Annotated[
        str, typer.Option("--date", metavar="DAY", help="The first day, where times have none (else from the file's name).")
    ] = "",
    shift: Annotated[
        list[str],
        typer.Option("--shift", metavar="FILE=SPAN", help="Set a source's clock right: desk.log=2s, or -2s; repeatable."),
    ] = [],
    logger: Annotated[
        list[str],
        typer.Option(
            "--logger", autocompletion=completing.loggers, metavar="L", help="This logger and those below it; repeatable: any."
        ),
    ] = [],
    not_logger: Annotated[
        list[str],
        typer.Option(
            "--not-logger", autocompletion=completing.loggers, metavar="L", help="Not this logger, or below; repeatable."
        ),
    ] = [],
    level: options.LevelOption = "",
    message: Annotated[
        list[str], typer.Option("--message", metavar="RE2", help="Its message, holes filled, matches; repeatable: all.")
    ] = [],
    text: Annotated[
        list[str], typer.Option("--text", metavar="LITERAL", help="This stands in its message or its error; repeatable: all.")
    ] = [],
    ignore_case: Annotated[bool, typer.Option("--ignore-case", help="For --text and --message.")] = False,
    thread: Annotated[str | None, typer.Option("--thread", metavar="T", help="Of this thread.")] = None,
    field: Annotated[list[str], typer.Option("--field", metavar="K=V", help="With this field; repeatable: all.")] = [],
    error: Annotated[
        bool | None, typer.Option("--error/--no-error", help="It carries an error, or none.", show_default=False)
    ] = None,
    since: Annotated[
        str, typer.Option("--since", metavar="TIME", help='From this time on, or "2 hours" back from the last event.')
    ] = "",
    until: Annotated[
        str, typer.Option("--until", metavar="TIME", help="Before this time, or so long before the last event.")
    ] = "",
    between: Annotated[
        tuple[str, str] | None,
        typer.Option(
            "--between",
            metavar="RE2 RE2",
            help="In a section from a message that matches one to the next that matches the other.",
        ),
    ] = None,
    keep: Annotated[
        list[str],
        typer.Option("--keep", metavar="CONDITION", help="Only where this condition of a rule (YAML) holds; repeatable."),
    ] = [],
    drop: Annotated[
        list[str], typer.Option("--drop", metavar="CONDITION", help="Not where this condition holds; repeatable.")
    ] = [],
    around: Annotated[
        int,
        typer.Option(
            "--around", metavar="N", min=0, max=1_000_000, help="Also so many events before and after each, in its source."
        ),
    ] = 0,
    first: Annotated[int | None, typer.Option("--first", metavar="N", min=1, help="Only the first so many hits.")] = None,
    last: Annotated[int | None, typer.Option("--last", metavar="N", min=1, help="Only the last so many hits.")] = None,
    as_is: Annotated[bool, typer.Option("--as-is", help="Source after source, not in the order of time.")] = False,
    columns: Annotated[
        str,
        typer.Option(
            "--columns", metavar="LIST", help='These alone: "time,level,message,field badge", every source of templates.'
        ),
    ] = "",
    as_: Annotated[str | None, typer.Option("--as", metavar="TEMPLATE", help="Each event as this template writes it.")] = None,
    stacks: Annotated[bool, typer.Option("--stacks", help="Errors whole, not their first and last line alone.")] = False,
    fold: Annotated[bool, typer.Option("--fold", help="Messages that come again and again once, with how often.")] = False,
    count_by: Annotated[
        list[str],
        typer.Option(
            "--count-by",
            metavar="WHAT",
            help='Count by logger, level, from, message, minute, hour, day or "field NAME"; twice: a matrix.',
        ),
    ] = [],
    journey: Annotated[
        str,
        typer.Option(
            "--journey",
            metavar="NAME[=VALUE]",
            help="Events that share this field, as journeys; with VALUE one, event by event.",
        ),
    ] = "",
    journey_in: Annotated[
        str, typer.Option("--journey-in", metavar="RE2", help="The value stands in the message: this expression's group `it`.")
    ] = "",
    blocks: Annotated[
        tuple[str, str] | None,
        typer.Option(
            "--blocks", metavar="BEGIN END", help="Time what lies between messages (two RE2; groups of one name agree)."
        ),
    ] = None,
    per: Annotated[
        str, typer.Option("--per", metavar="WHAT", help='With --blocks: nest by thread, from or "field NAME", each by itself.')
    ] = "",
    plot: Annotated[
        Path | None,
        typer.Option("--plot", metavar="FILE", help="Also draw when the hits were, or how blocks nest (.png or .svg)."),
    ] = None,
    copy: Annotated[
        Path | None,
        typer.Option("--copy", metavar="FILE", help="Also copy the hits' own bytes, as they stand in their sources."),
    ] = None,
    mask: Annotated[bool, typer.Option("--mask", help="With --copy: secrets and personal data as ***.")] = False,
    follow: Annotated[bool, typer.Option("--follow", help="Go on as the files grow and roll, until Ctrl-C.")] = False,
    fail_on: Annotated[
        str, typer.Option("--fail-on", metavar="none|some", help="Exit with 1 where nothing was found, or something.")
    ] = "",
    workers: options.WorkersOption = "auto",
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Search events and logs, across files and notations, in the order of time.

    Every condition that is given must hold. Without a plan or a template a log's layout is drafted from its own lines.
    A stack trace goes with its event. The last line on standard error tells the hits by source, and the lines read.

    \b
    Examples:
      vetrina find --plan plan.yaml --where
      vetrina find week.jsonl --logger ropeway.drive --level error.. --around 3
      vetrina find desk.log fare.jsonl --plan plan.yaml --appender desk --appender fare-ledger --since "2026-11-13 10:40"
      vetrina find unknown.log --text "did not close" --count-by hour --plot when.png
      vetrina find desk.log fare.jsonl gate.log --plan plan.yaml --journey ride --journey-in 'ride (?P<it>\\d+)'
      vetrina find gate.log --blocks 'begin (?P<name>\\w+)' 'end (?P<name>\\w+)' --per thread
    """
    call = Call(**locals())
    call.refuse_what_has_no_effect()
    if call.where:
        show_where(call)
    else:
        with opened(call) as (written, search, engine):
            show(call, written, search, engine)
