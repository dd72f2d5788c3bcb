"""`vetrina levels PLAN [LOGGER…]`: the tree with set and effective levels."""

from __future__ import annotations

from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.routing.level_rows import Selection, level_rows
from vetrina.views import levels as view


def run(
    plan: calling.PlanArgument,
    logger: Annotated[
        list[str], typer.Argument(metavar="[LOGGER]…", help="Loggers to show; literal names, also ones not configured.")
    ] = [],  # noqa: B006
    under: Annotated[str, typer.Option("--under", metavar="LOGGER", help="Only this logger and those below it.")] = "",
    depth: Annotated[
        int | None, typer.Option("--depth", metavar="N", min=0, help="Fold what is more than N steps below root.")
    ] = None,
    differs: Annotated[bool, typer.Option("--differs", help="Only loggers whose level differs from their parent's.")] = False,
    find: Annotated[str, typer.Option("--find", metavar="TEXT", help="Only loggers with this in their name.")] = "",
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
    wide: calling.WideOption = False,
    json: calling.JsonOption = False,
) -> None:
    """Show which level each logger really has, where it comes from, and where it delivers.

    \b
    Examples:
      vetrina levels plan.yaml
      vetrina levels plan.yaml ropeway.gate.scanner lib.http
      vetrina levels plan.yaml --stage live --tune ropeway.gate=debug
      vetrina levels plan.yaml --under ropeway --differs
    """  # noqa: D301
    found = calling.plan_in_force(plan, stage, with_, env, env_file, set_, tune)
    changed = bool(stage or with_ or set_ or tune)
    rows, total = level_rows(
        found.plan, Selection(tuple(logger), under, depth, differs, find, only=not json), found.bare_plan() if changed else None
    )
    if json:
        calling.print_json(view.as_json(rows, found.plan.scale))
        return
    lines = view.title_lines(found.plan, len(rows), total, calling.asked_text(found))
    calling.print_lines([*lines, *view.level_lines(rows, found.plan, calling.width(wide=wide))])
