"""`vetrina schema`: JSON Schemas of plans, events, cases, mappings, services and outputs."""

from __future__ import annotations

from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.base.faults import offer, refuse
from vetrina.formats.mapping_schema import mapping_schema
from vetrina.formats.schemas import cases_schema, events_schema, plan_schema, record_schema
from vetrina.formats.services import service_schema
from vetrina.views.outputs import OUTPUTS

_WHAT = ("plan", "events", "cases", "mapping", "service", "output")


def run(
    what: Annotated[
        str, typer.Argument(metavar="plan|events|cases|mapping|service|output", help="Which format.", show_default=False)
    ],
    command: Annotated[str, typer.Argument(metavar="[COMMAND]", help="With output: whose --json document.")] = "",
) -> None:
    """Print the JSON Schema (2020-12) of a plan, an event line, a file of cases, a mapping, a service, or of a command's --json output.

    \b
    Examples:
      vetrina schema plan > plan.schema.json
      vetrina schema output routes
    """
    if what not in _WHAT:
        raise refuse(f'"{what[:60]}" has no schema', fix=offer(what, _WHAT), where="schema")
    if what != "output":
        if command:
            raise refuse(f'"{command[:60]}" is one word too many', fix=f"write vetrina schema {what}", where="schema")
        schemas = {
            "plan": plan_schema,
            "events": events_schema,
            "cases": cases_schema,
            "mapping": mapping_schema,
            "service": service_schema,
        }
        calling.print_json(schemas[what]())
        return
    if command not in OUTPUTS:
        word = f'"{command[:60]}" has no --json document' if command else "whose output?"
        raise refuse(word, fix=offer(command, OUTPUTS), where="schema output")
    calling.print_json(record_schema(OUTPUTS[command], f"vetrina {command} --json"))
