"""`vetrina origin PLAN PATH`: the history of one value."""

from __future__ import annotations

from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.base.faults import refuse
from vetrina.core.config import history
from vetrina.views import origin as view


def run(
    plan: calling.PlanArgument,
    path: Annotated[str, typer.Argument(metavar="[PATH]", help="The value, as 'loggers[ropeway.gate].level'.")] = "",
    unused: Annotated[bool, typer.Option("--unused", help="List what was read, and what no value in force uses.")] = False,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
    wide: calling.WideOption = False,
    json: calling.JsonOption = False,
) -> None:
    """Show who said what about one value, who won, and which placeholders filled it.

    \b
    Examples:
      vetrina origin plan.yaml 'loggers[ropeway.drive].level' --stage live
      vetrina origin plan.yaml appenders.daybook.path --env-file sereno.env
      vetrina origin plan.yaml --unused --with local.yaml
    """  # noqa: D301
    if bool(path) == unused:
        raise refuse(
            "give a path, or --unused", fix="write vetrina origin plan.yaml 'loggers[ropeway.gate].level'", where="origin"
        )
    if unused:
        calling.only_beside("--unused", "--wide", "--json", *calling.PLAN_OPTIONS)
    found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune)
    if unused:
        accounts, nothing = history.sources(found), history.unused(found)
        if json:
            calling.print_json(view.unused_json(accounts, nothing))
        else:
            calling.print_lines(view.unused_lines(accounts, nothing, calling.width(wide=wide)))
        return
    known = history.history(found, path)
    if json:
        calling.print_json(view.history_json(known))
    else:
        calling.print_lines(view.history_lines(known, calling.width(wide=wide)))
