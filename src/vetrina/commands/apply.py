"""`vetrina apply PLAN --tune …`: a change written into the plan, every other byte kept."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling, completing, options
from vetrina.core.base.faults import refuse
from vetrina.core.config.splices import Target
from vetrina.formats.plans import documents_of, mapping_for
from vetrina.formats.safe_files import locked_files
from vetrina.views import changes as view
from vetrina.views.documents import changes as change_documents
from vetrina.work.applying import Change, Work, nameable, write


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: options.PlanArgument,
    tune: options.TuneChange = [],
    set_: Annotated[
        list[str],
        typer.Option(
            "--set", autocompletion=completing.paths, metavar="PATH=VALUE", help="The change: one value; null removes it."
        ),
    ] = [],
    into: Annotated[Path | None, typer.Option("--into", metavar="FILE", help="Write into this layer file instead.")] = None,
    in_stage: Annotated[
        str,
        typer.Option(
            "--in-stage", autocompletion=completing.stages, metavar="NAME", help="Write into this stage of the plan instead."
        ),
    ] = "",
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show the diff and write nothing.")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Write without asking.")] = False,
    json: options.JsonOption = False,
) -> None:
    """Write a change into the plan: the diff first, then the file, with a record to take it back (vetrina undo).

    The edit is made where the value is decided: in the plan, in a stage of it, or in a layer given with --with.
    Comments, order, quoting and every other byte stay.

    \b
    Examples:
      vetrina apply plan.yaml --tune ropeway.gate.scanner=debug
      vetrina apply plan.yaml --stage live --set appenders.desk.floor=info --dry-run
      vetrina apply plan.yaml --tune ropeway.gate=debug --into local.yaml --yes
      vetrina undo plan.yaml
    """
    _possible(tune, set_, into, in_stage)
    others = [*given.with_, *([into] if into else [])]
    nameable(plan, *others)
    calling.exclude("--dry-run", dry_run, {"--yes": yes})
    target = Target("layer", str(into)) if into else Target("stage", in_stage) if in_stage else None
    documents = [Path(one.name) for one in documents_of(plan, mapping_for(plan, given.by))]
    with locked_files(plan, *documents, *others):
        work = Work(plan, given.stage, given.with_, given.env, given.env_file, into, calling.ask_about_logger, given.by)
        change = work.worked_out(set_, tune, target)
        if not json:
            calling.print_lines(view.diff_lines(change.diffs, change.places, change.lines))
        wanted = bool(change.diffs) and not dry_run and (yes or _asked(as_json=json))
        if wanted:
            write(plan, [*(f"--set {one}" for one in set_), *(f"--tune {one}" for one in tune)], change)
        _show(change, plan, wanted=wanted, dry_run=dry_run, as_json=json)


def _possible(tune: list[str], set_: list[str], into: Path | None, in_stage: str) -> None:
    """Refuse calls without a change, or with two places for it."""
    if not tune and not set_:
        raise refuse("what is the change?", fix="give --tune LOGGER=LEVEL or --set PATH=VALUE", where="apply")
    if into is not None and in_stage:
        raise refuse("--into and --in-stage exclude each other", fix="give one of them", where="apply")


def _show(change: Change, plan: Path, *, wanted: bool, dry_run: bool, as_json: bool) -> None:
    if as_json:
        calling.print_json(change_documents.applied_document(change.diffs, change.places, applied=wanted))
    else:
        calling.remark([_outcome(changed=bool(change.diffs), wanted=wanted, plan=plan, dry_run=dry_run)])


def _outcome(*, changed: bool, wanted: bool, plan: Path, dry_run: bool) -> str:
    if not changed:
        return "nothing to write: the plan says so already"
    if wanted:
        return f"written and verified; vetrina undo {plan} takes it back"
    return "nothing was written" + (" (--dry-run)" if dry_run else "")


def _asked(*, as_json: bool) -> bool:
    """Ask on a terminal; elsewhere --yes has to say it."""
    if as_json or not sys.stdin.isatty():
        raise refuse("nothing was written: nobody can be asked here", fix="say --yes, or --dry-run to look only", where="apply")
    return bool(typer.confirm("Write this?", err=True))
