"""`vetrina undo PLAN`: the last applied change taken back."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling, options
from vetrina.core.base.faults import refuse
from vetrina.formats import undo_records as undo
from vetrina.formats.safe_files import locked_files, remove_file, replace_file
from vetrina.views import changes as view
from vetrina.views.documents import changes as documents


def run(
    plan: options.PlanArgument,
    all_: Annotated[bool, typer.Option("--all", help="Take back every applied change, the last first.")] = False,
    list_: Annotated[bool, typer.Option("--list", help="Show what can be taken back.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show the diff and write nothing.")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask about files outside the plan's folder.")] = False,
    json: options.JsonOption = False,
) -> None:
    """Take back the last change that vetrina apply wrote; edits made since elsewhere in the file are kept.

    \b
    Examples:
      vetrina undo plan.yaml
      vetrina undo plan.yaml --list
      vetrina undo plan.yaml --all --dry-run
    """
    calling.exclude("--dry-run", dry_run, {"--yes": yes})
    if list_:
        _show_list(plan, as_json=json)
        return
    named = [undo.file_of(plan, step, one)[0] for step in undo.read_record(plan).steps for one in step.files]
    with locked_files(plan, *named):
        record = undo.read_record(plan)
        steps = _steps(record, plan, every=all_)
        before, after = _texts(plan, steps)
        diffs = {str(path): undo.difference(str(path), before[path], text) for path, text in after.items()}
        if not dry_run:
            _ask_about_others(plan, steps, yes=yes, as_json=json)
            _take_back(before, after, {undo.file_of(plan, step, one)[0]: one.codec for step in steps for one in step.files})
            undo.write_record(plan, undo.Record(undo.VERSION, record.steps[: len(record.steps) - len(steps)]))
    _show(diffs, steps, undone=not dry_run, as_json=json)


def _steps(record: undo.Record, plan: Path, *, every: bool) -> list[undo.AppliedStep]:
    """Return the last change on record, or ``every`` one, the last first."""
    if not record.steps:
        raise refuse(
            "there is nothing to take back",
            "no change is on record beside the plan",
            "vetrina apply keeps a record",
            where=str(plan),
        )
    return record.steps[::-1] if every else record.steps[-1:]


def _show(diffs: dict[str, list[str]], steps: list[undo.AppliedStep], *, undone: bool, as_json: bool) -> None:
    if as_json:
        calling.print_json(documents.undone_document(diffs, steps, undone=undone))
        return
    calling.print_lines([line for diff in diffs.values() for line in view.coloured(diff)])
    sys.stdout.flush()
    calling.remark(
        [f"{'taken back' if undone else 'would be taken back'}: {' '.join(word for step in steps for word in step.words)}"]
    )


_Texts = dict[Path, str | None]


def _texts(plan: Path, steps: list[undo.AppliedStep]) -> tuple[_Texts, _Texts]:
    """Return the files' texts as they are, and with the steps taken back; None where there is no file."""
    before: _Texts = {}
    after: _Texts = {}
    for step in steps:
        for one in step.files:
            path, _ = undo.file_of(plan, step, one)
            now = after[path] if path in after else undo.read_text(path, one.codec)
            before.setdefault(path, now)
            after[path] = undo.taken_back(one, now)
    return before, after


def _ask_about_others(plan: Path, steps: list[undo.AppliedStep], *, yes: bool, as_json: bool) -> None:
    """Ask before a file outside the plan's folder, or behind a link, is touched; where nobody can be asked, --yes has to say it of the former."""
    found = {path: None for step in steps for one in step.files for path, outside in [undo.file_of(plan, step, one)] if outside}
    links = [path for path in found if undo.linked(plan, path)]
    if not found or (yes and not links):
        return
    names = ", ".join(f"{path} (a link leads to {os.path.realpath(path)})" if path in links else str(path) for path in found)
    asks = sys.stdin.isatty() and not as_json
    if links and not asks:
        raise refuse("nothing was taken back: nobody can be asked here", f"{names} is reached through a link, which may be anybody's",
                     "undo it on a terminal, or put it back by hand", where="undo")  # fmt: skip
    if not asks:
        raise refuse(
            "nothing was taken back: nobody can be asked here",
            f"{names} lies outside the plan's folder",
            "say --yes, or --dry-run to look only",
            where="undo",
        )
    if not typer.confirm(f"Take the change back in {names} as well?", err=True):
        raise refuse("nothing was taken back", where="undo")


def _take_back(before: _Texts, after: _Texts, codecs: dict[Path, str]) -> None:
    for path, text in after.items():
        old = before[path]
        if text is None:
            remove_file(path)
        elif text != old:
            codec = codecs[path]
            replace_file(path, undo.bytes_of(text, codec), was=None if old is None else undo.bytes_of(old, codec))


def _show_list(plan: Path, *, as_json: bool) -> None:
    calling.only_beside("--list", "--json")
    record = undo.read_record(plan)
    if as_json:
        calling.print_json(documents.list_document(record.steps))
    else:
        calling.print_lines(view.step_lines(record.steps))
