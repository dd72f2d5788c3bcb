"""`vetrina origin PLAN PATH`: the history of one value."""

from __future__ import annotations

from typing import Annotated

import typer

from vetrina.commands import calling, completing, options
from vetrina.core.base.faults import refuse
from vetrina.core.config import accounts, history
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.views import origin as view
from vetrina.views.documents import origin as documents


@options.reads_plan
def run(
    found: ResolvedPlan,
    path: Annotated[
        str,
        typer.Argument(autocompletion=completing.paths, metavar="[PATH]", help="The value, as 'loggers[ropeway.gate].level'."),
    ] = "",
    unused: Annotated[bool, typer.Option("--unused", help="List what was read, and what no value in force uses.")] = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show who said what about one value, who won, and which placeholders filled it.

    \b
    Examples:
      vetrina origin plan.yaml 'loggers[ropeway.drive].level' --stage live
      vetrina origin plan.yaml appenders.daybook.path --env-file sereno.env
      vetrina origin plan.yaml --unused --with local.yaml
    """
    if bool(path) == unused:
        raise refuse(
            "give a path, or --unused", fix="write vetrina origin plan.yaml 'loggers[ropeway.gate].level'", where="origin"
        )
    if unused:
        calling.only_beside("--unused", "--wide", "--json", *options.PLAN_OPTIONS)
    if unused:
        read, nothing = accounts.sources(found), accounts.unused(found)
        if json:
            calling.print_json(documents.unused_document(read, nothing))
        else:
            calling.print_fitted(view.unused_lines(read, nothing, calling.width(wide=wide)), calling.width(wide=wide))
        return
    known = history.history(found, path)
    if json:
        calling.print_json(documents.history_document(known))
    else:
        calling.print_fitted(view.history_lines(known, calling.width(wide=wide)), calling.width(wide=wide))
