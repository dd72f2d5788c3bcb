"""`vetrina levels PLAN [LOGGER…]`: the tree with set and effective levels."""

from __future__ import annotations

from typing import Annotated

import typer

from vetrina.commands import calling, completing, options
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.routing.level_rows import Selection, level_rows
from vetrina.views import levels as view


@options.reads_plan
def run(
    found: ResolvedPlan,
    logger: Annotated[
        list[str],
        typer.Argument(
            autocompletion=completing.loggers,
            metavar="[LOGGER]…",
            help="Loggers to show; literal names, also ones not configured.",
        ),
    ] = [],
    under: Annotated[
        str,
        typer.Option(
            "--under", autocompletion=completing.loggers, metavar="LOGGER", help="Only this logger and those below it."
        ),
    ] = "",
    depth: Annotated[
        int | None, typer.Option("--depth", metavar="N", min=0, help="Fold what is more than N steps below root.")
    ] = None,
    differs: Annotated[bool, typer.Option("--differs", help="Only loggers whose level differs from their parent's.")] = False,
    find: Annotated[str, typer.Option("--find", metavar="TEXT", help="Only loggers with this in their name.")] = "",
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show which level each logger really has, where it comes from, and where it delivers.

    \b
    Examples:
      vetrina levels plan.yaml
      vetrina levels plan.yaml ropeway.gate.scanner lib.http
      vetrina levels plan.yaml --stage live --tune ropeway.gate=debug
      vetrina levels plan.yaml --under ropeway --differs
    """
    rows, total = level_rows(
        found.plan,
        Selection(tuple(logger), under, depth, differs, find, only=not json),
        found.bare_plan() if found.overrides.change_plan() else None,
    )
    if json:
        from vetrina.views.documents import levels as documents  # noqa: PLC0415  (a document's record is slow to make)

        calling.print_json(documents.document(rows, found.plan.scale))
        return
    lines = view.title_lines(found.plan, len(rows), total, found.overrides.words())
    width = calling.width(wide=wide)
    calling.print_fitted([*lines, *view.level_lines(rows, found.plan, width)], width)
