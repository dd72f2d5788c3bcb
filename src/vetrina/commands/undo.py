"""`vetrina undo PLAN`: the last applied change taken back."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.faults import refuse
from vetrina.formats import undo_records as undo
from vetrina.formats.safe_files import locked, remove_file, replace_file
from vetrina.views import changes as view


def run(
    plan: calling.PlanArgument,
    all_: Annotated[bool, typer.Option("--all", help="Take back every applied change, the last first.")] = False,
    list_: Annotated[bool, typer.Option("--list", help="Show what can be taken back.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show the diff and write nothing.")] = False,
    json: calling.JsonOption = False,
) -> None:
    """Take back the last change that vetrina apply wrote; edits made since elsewhere in the file are kept.

    \b
    Examples:
      vetrina undo plan.yaml
      vetrina undo plan.yaml --list
      vetrina undo plan.yaml --all --dry-run
    """  # noqa: D301
    if list_:
        calling.only_beside("--list", "--json")
    with locked(plan.absolute().parent):
        record = undo.read_record(plan)
        if list_:
            _show_list(record, as_json=json)
            return
        if not record.steps:
            raise refuse(
                "there is nothing to take back",
                "no change is on record beside the plan",
                "vetrina apply keeps a record",
                where=str(plan),
            )
        steps = record.steps[::-1] if all_ else record.steps[-1:]
        before, after = _texts(steps)
        diffs = {name: undo.difference(name, before[name], text) for name, text in after.items()}
        if not dry_run:
            for name, text in after.items():
                if text is None:
                    remove_file(Path(name))
                elif text != before[name]:
                    replace_file(Path(name), text.encode())
            undo.write_record(plan, undo.Record(undo.VERSION, record.steps[: len(record.steps) - len(steps)]))
    if json:
        calling.print_json(view.undone_json(diffs, steps, undone=not dry_run))
        return
    calling.print_lines([line for diff in diffs.values() for line in view.coloured(diff)])
    words = "would be taken back" if dry_run else "taken back"
    sys.stdout.flush()
    calling.remark([f"{words}: {' '.join(word for step in steps for word in step.words)}"])


def _texts(steps: list[undo.Step]) -> tuple[dict[str, str | None], dict[str, str | None]]:
    """Return the files' texts as they are, and with the steps taken back; None where there is no file."""
    before: dict[str, str | None] = {}
    after: dict[str, str | None] = {}
    for step in steps:
        for one in step.files:
            now = after[one.file] if one.file in after else undo.read_text(Path(one.file))
            before.setdefault(one.file, now)
            after[one.file] = undo.taken_back(one, now)
    return before, after


def _show_list(record: undo.Record, *, as_json: bool) -> None:
    if as_json:
        calling.print_json(view.steps_json(record.steps))
    else:
        calling.print_lines(view.step_lines(record.steps))
