"""`vetrina adopt DOCUMENT`: a configuration in another format as a plan, and what in it nothing reads."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling, options
from vetrina.core.base.faults import Fault, Refused, refuse
from vetrina.core.config.adopted_plan import adopted_plan
from vetrina.core.config.dump import Entries
from vetrina.core.documents.adopted import Adoption
from vetrina.core.schema.nodes import Mapping
from vetrina.formats.adopting import read_adopted
from vetrina.formats.drafting import draft_of
from vetrina.formats.plans import mapping_for
from vetrina.views import adopt as view
from vetrina.views.documents import adopt as documents


def run(
    document: Annotated[
        Path, typer.Argument(metavar="DOCUMENT", help="The configuration, as it is.", show_default=False, readable=False)
    ],
    by: Annotated[
        str,
        typer.Option("--by", metavar="MAPPING", help="The mapping that says how to read it; one beside it is found by itself."),
    ] = "",
    explain: Annotated[bool, typer.Option("--explain", help="Lay the document out beside what each part became.")] = False,
    draft: Annotated[bool, typer.Option("--draft", help="Print a first mapping, drawn from the document's own shape.")] = False,
    reads: Annotated[
        str,
        typer.Option(
            "--reads",
            metavar="NOTATION",
            help="With --draft: xml, json, yaml, ini or lines, where the file's ending does not tell.",
        ),
    ] = "",
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Write the plan that a configuration in another format amounts to, each value with its place in the document.

    What nothing in the mapping reads is told, and ends with 1. No mapping for a bought service ships with Vetrina: --draft
    begins one from the document's shape, --explain shows how far it reads.

    \b
    Examples:
      vetrina adopt kiosk.xml --draft > kiosk.mapping.yaml
      vetrina adopt kiosk.xml --by kiosk.mapping.yaml --explain
      vetrina adopt kiosk.xml --by kiosk.mapping.yaml > kiosk.plan.yaml
      vetrina levels kiosk.xml --by kiosk.mapping.yaml
    """
    if draft:
        calling.only_beside("--draft", "--reads")
        sys.stdout.write(draft_of(document, reads))
        return
    node, adoption = _read(document, _mapping(document, by, reads))
    body, untold = adopted_plan(node, adoption)
    _show(body, adoption, explain=explain, wide=wide, as_json=json)
    sys.stdout.flush()
    calling.remark(view.remark_lines(adoption, untold))
    if adoption.left_over or untold:
        raise typer.Exit(calling.Exit.WANTING)


def _mapping(document: Path, by: str, reads: str) -> Path:
    """Return the mapping: the one that is named, else one beside the document."""
    if reads:
        raise refuse(
            "--reads has no effect without --draft", "a mapping says itself what it reads", "leave it out", where="--reads"
        )
    found = mapping_for(document, by)
    if found is None:
        raise refuse(
            "which mapping?", f"none stands beside {document}" if by != "-" else "--by - takes none",
            f"name it with --by, or begin one: vetrina adopt {document} --draft > {document.stem}.mapping.yaml", where="adopt",
        )  # fmt: skip
    return found


def _read(document: Path, mapping: Path) -> tuple[Mapping, Adoption]:
    faults: list[Fault] = []
    read = read_adopted(document, str(document), mapping, faults)
    if faults:
        raise Refused(faults)
    return read


def _show(body: Entries, adoption: Adoption, *, explain: bool, wide: bool, as_json: bool) -> None:
    if as_json:
        calling.print_json(documents.document(body, adoption, documents.explained(adoption) if explain else None))
    elif explain:
        width = calling.width(wide=wide)
        calling.print_fitted(view.explain_lines(adoption, width), width)
    else:
        calling.print_lines(view.plan_lines(body))
