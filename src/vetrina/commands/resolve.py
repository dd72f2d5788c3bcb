"""`vetrina resolve PLAN`: the plan in force, written out."""

from __future__ import annotations

from typing import Annotated

import typer

from vetrina.commands import calling, options
from vetrina.core.config.dump import dump
from vetrina.core.config.history import hidden_names
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.views import resolve as view
from vetrina.views.documents import resolve as documents


@options.reads_plan
def run(
    found: ResolvedPlan,
    defaults: Annotated[bool, typer.Option("--defaults", help="Write out what holds without being said, too.")] = False,
    bare: Annotated[bool, typer.Option("--bare", help="Leave the comments with the origins out.")] = False,
    json: options.JsonOption = False,
) -> None:
    """Write the plan in force out in full, each value followed by where it came from.

    Layers are merged, short forms spelt out, placeholders filled. The result is a plan and means the same; values
    from outside whose names look like credentials stand as ${NAME} again.

    \b
    Examples:
      vetrina resolve plan.yaml
      vetrina resolve plan.yaml --stage live --with local.yaml --env-file sereno.env
      vetrina resolve plan.yaml --stage live --bare > in-force.yaml
    """
    calling.exclude("--json", json, {"--bare": bare})
    body = dump(found, defaults=defaults)
    if json:
        calling.print_json(documents.document(body, hidden_names(found)))
        return
    calling.print_lines(view.resolve_lines(body, origins=not bare))
