"""`vetrina compare PLAN OTHER`: every class of message that two plans treat differently, or proof that there is none."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from msgspec.structs import replace

from vetrina.commands import calling, completing, options
from vetrina.core.base.faults import Fault, Refused, refuse
from vetrina.core.changes.comparing import compare
from vetrina.core.changes.sinks_compared import compare_sinks
from vetrina.core.plan.model import Plan
from vetrina.views import compare as view
from vetrina.views.documents import compare as documents


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: options.PlanArgument,
    other: Annotated[
        Path, typer.Argument(metavar="OTHER", help="The second plan; it may be the same file.", show_default=False)
    ],
    told_by: Annotated[
        str, typer.Option("--told-by", metavar="sink|appender", help="What arrivals are told apart by.")
    ] = "sink",
    other_by: Annotated[
        str,
        typer.Option("--other-by", metavar="MAPPING", help="Read the second plan through this mapping; --by reads the first."),
    ] = "",
    other_stage: Annotated[
        list[str],
        typer.Option("--other-stage", autocompletion=completing.stages, metavar="NAME", help="A stage over the second plan."),
    ] = [],
    other_with: Annotated[list[Path], typer.Option("--other-with", metavar="FILE", help="A layer over the second plan.")] = [],
    other_set: Annotated[
        list[str],
        typer.Option(
            "--other-set", autocompletion=completing.paths, metavar="PATH=VALUE", help="One value of the second plan."
        ),
    ] = [],
    other_tune: Annotated[
        list[str],
        typer.Option(
            "--other-tune", autocompletion=completing.tunes, metavar="LOGGER=LEVEL", help="A logger's level in the second plan."
        ),
    ] = [],
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show every class of message that two plans treat differently, with an example of each, or that there is none.

    Not a sample: every logger, every stretch of levels between two thresholds and every answer to the rules' questions
    is routed through both. --by, --stage, --with, --set and --tune belong to the first plan, --env to both.

    \b
    Examples:
      vetrina compare plan.yaml new.yaml
      vetrina compare plan.yaml plan.yaml --other-stage live
      vetrina compare plan.yaml plan.json --told-by appender
      vetrina compare kiosk.xml kiosk.yaml --by kiosk.mapping.yaml
      vetrina compare old.yaml new.yaml --json && echo the same
    """
    if told_by not in {"sink", "appender"}:
        what = f'"{told_by[:40]}" is nothing to tell arrivals apart by'
        raise refuse(what, fix="write --told-by sink or --told-by appender", where="--told-by")
    first = given.read(plan).plan
    same_file = not other_by and other.resolve() == plan.resolve()
    by = given.by if same_file else other_by
    second = _second(replace(given, by=by, stage=other_stage, with_=other_with, set_=other_set, tune=other_tune), other)
    found = compare(first, second, by_appender=told_by == "appender")
    sinks = compare_sinks(first, second, by_appender=told_by == "appender")
    if json:
        calling.print_json(documents.document(found, sinks, first.scale))
    else:
        lines = view.compared_lines(found, sinks, first, calling.width(wide=wide))
        calling.print_fitted(lines, calling.width(wide=wide), first, second)
    if found.differences or found.undecided or sinks:
        raise typer.Exit(calling.Exit.WANTING)


def _second(options_of_it: options.PlanOptions, other: Path) -> Plan:
    """Return the second plan; its faults bear its own options' names."""
    try:
        return options_of_it.read(other).plan
    except Refused as refused:
        raise Refused([_of_the_other(fault) for fault in refused.faults]) from None


def _of_the_other(fault: Fault) -> Fault:
    """Return a fault of the second plan's options under the name that was typed."""

    def named(text: str) -> str:
        option = next((one for one in ("--by", "--stage", "--with", "--set", "--tune") if text.startswith(one)), "")
        return f"--other-{text[2:]}" if option else text

    place = fault.place._replace(file=named(fault.place.file)) if fault.place else None
    return replace(fault, where=named(fault.where), place=place)
