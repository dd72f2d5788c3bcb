"""`vetrina apply PLAN --tune …`: a change written into the plan, every other byte kept."""

from __future__ import annotations

import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import typer
from msgspec import Struct
from msgspec.structs import replace

from vetrina.commands import calling
from vetrina.core.base.events import NOT_TEXT
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.config.edits import differing, lines_of
from vetrina.core.config.resolution import Overrides, ResolvedPlan, SetOption, TuneOption, parse_path
from vetrina.core.config.splicing import Target, splice
from vetrina.core.schema.nodes import synthetic
from vetrina.formats import undo_records as undo
from vetrina.formats.plans import read_resolved_plan
from vetrina.formats.safe_files import locked_files, refuse_unwritable, replace_file, sweep
from vetrina.views import changes as view

NEW_LAYER = "vetrina: 1\n"


def run(
    plan: calling.PlanArgument,
    tune: Annotated[list[str], typer.Option("--tune", metavar="LOGGER=LEVEL", help="The change: a logger's level.")] = [],  # noqa: B006
    set_: Annotated[
        list[str], typer.Option("--set", metavar="PATH=VALUE", help="The change: one value; null removes it.")
    ] = [],  # noqa: B006
    into: Annotated[Path | None, typer.Option("--into", metavar="FILE", help="Write into this layer file instead.")] = None,
    in_stage: Annotated[
        str, typer.Option("--in-stage", metavar="NAME", help="Write into this stage of the plan instead.")
    ] = "",
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show the diff and write nothing.")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Write without asking.")] = False,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    json: calling.JsonOption = False,
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
    """  # noqa: D301
    if not tune and not set_:
        raise refuse("what is the change?", fix="give --tune LOGGER=LEVEL or --set PATH=VALUE", where="apply")
    others = [*with_, *([into] if into else [])]
    for path in (plan, *others):
        if not str(path).isprintable() and NOT_TEXT.search(str(path)):
            raise refuse(
                "the file's name is not UTF-8", "the record of the change could not name it", "rename the file", where=str(path)
            )
    if into is not None and in_stage:
        raise refuse("--into and --in-stage exclude each other", fix="give one of them", where="apply")
    calling.exclude("--dry-run", dry_run, {"--yes": yes})
    with locked_files(plan, *others):
        work = _Work(plan, stage, with_, env, env_file, into)
        target = Target("layer", str(into)) if into else Target("stage", in_stage) if in_stage else None
        change = work.worked_out(set_, tune, target)
        if not json:
            calling.print_lines(view.diff_lines(change.diffs, change.places, change.lines))
        wanted = bool(change.diffs) and not dry_run and (yes or _asked(as_json=json))
        if wanted:
            _write(plan, [*(f"--set {one}" for one in set_), *(f"--tune {one}" for one in tune)], change)
        if json:
            calling.print_json(view.applied_json(change.diffs, change.places, applied=wanted))
        else:
            calling.remark([_outcome(changed=bool(change.diffs), wanted=wanted, plan=plan, dry_run=dry_run)])


class _Change(Struct):
    """A change as it shall be written: the files, how they differ, where the edits are, and what the plan says then."""

    versions: dict[str, undo.Version]
    diffs: dict[str, list[str]]
    places: list[Target]
    lines: list[str]


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


def _write(plan: Path, words: list[str], change: _Change) -> None:
    """Write the record, then the files: what was read must be what is replaced, also after a question that waited."""
    files = {Path(name): one for name, one in change.versions.items()}
    for path in (plan, undo.record_path(plan), *files):
        sweep(path)
    for path, one in files.items():
        refuse_unwritable(path)
        if undo.read_text(path) != one.before:
            raise refuse(
                "the file has been edited meanwhile", "what was read is not what is there now", "call again", where=str(path)
            )
    record = undo.read_record(plan)
    now = datetime.now(tz=UTC).isoformat(timespec="seconds")
    step = undo.AppliedStep(now, words, list(files.values()), undo.folder_id(plan))
    undo.write_record(plan, undo.Record(undo.VERSION, [*record.steps, step]))
    for path, one in files.items():
        replace_file(path, one.after.encode(), like=plan, was=None if one.before is None else one.before.encode())
    for path, one in files.items():
        if undo.read_text(path) != one.after:
            raise refuse("what was written is not what is there now", "another program writes it as well",
                         "look at the file, and call again", where=str(path))  # fmt: skip


class _Work:
    """The plan of a call with the texts of its files: read once, changed in memory, tried before anything is written."""

    def __init__(
        self, plan: Path, stage: list[str], with_: list[Path], env: list[str], env_file: list[Path], into: Path | None
    ) -> None:
        self._plan, self._stage, self._env, self._env_file = plan, stage, env, env_file
        self._with = [*with_, into] if into is not None and into not in with_ else with_
        self.texts: dict[str, str] = {}
        self.boms: dict[str, str] = {}
        self.new: set[str] = set()
        for path in (plan, *self._with):
            text = undo.read_text(path) if path.exists() or path != into else None
            if text is None and path == into:
                self.new.add(str(path))
                text = NEW_LAYER
            if text is not None:
                bare = text.removeprefix("\ufeff")
                self.boms[str(path)] = text[: len(text) - len(bare)]
                self.texts[str(path)] = bare

    def before(self, name: str) -> str | None:
        """Return a file's text as it was read, None for one that is new."""
        return None if name in self.new else self.boms.get(name, "") + self.texts[name]

    def _read(self, texts: dict[str, str], sets: list[str], tunes: list[str]) -> ResolvedPlan:
        return read_resolved_plan(
            self._plan,
            stages=self._stage,
            layers=self._with,
            env=self._env,
            env_files=self._env_file,
            sets=sets,
            tunes=tunes,
            texts=texts,
        )

    def worked_out(self, sets: list[str], tunes: list[str], target: Target | None) -> _Change:
        """Return the change, verified in memory; one plan in force is held at a time, for plans may be large."""
        wanted = self._read(self.texts, sets, tunes)
        said, overrides = lines_of(wanted), wanted.overrides
        del wanted
        before = self._read(self.texts, [], [])
        for one in overrides.tunes:
            calling.ask_about_logger(one.logger or "root", before.plan)
        lines = differing(lines_of(before), said)
        texts, places = self._spliced(before, overrides, target)
        del before
        self.verify(said, texts)
        changed = {name: text for name, text in texts.items() if text != self.texts.get(name)}
        versions = {
            name: undo.Version(undo.named_in(self._plan, Path(name)), self.before(name), self.boms.get(name, "") + text)
            for name, text in changed.items()
        }
        diffs = {
            name: undo.difference(name, self.texts.get(name) if name not in self.new else None, text)
            for name, text in changed.items()
        }
        return _Change(versions, diffs, places, lines)

    def _spliced(
        self, before: ResolvedPlan, overrides: Overrides, target: Target | None
    ) -> tuple[dict[str, str], list[Target]]:
        """Return the texts with every edit made, one after the other, and where each was made."""
        texts = dict(self.texts)
        places: list[Target] = []
        found = before
        for edit in _edits(overrides):
            if edit.implied and not _switched_off(found, edit.option):
                continue  # a level by itself switches nothing
            found = found if not places else self._read(texts, [], [])
            one = splice(found, edit.option, target)
            texts[one.name] = one.onto(texts[one.name])
            places.append(one.target)
        return texts, places

    def verify(self, wanted: dict[str, str], texts: dict[str, str]) -> None:
        """Read the plan again and hold it against what it shall say; raise Refused where it says something else."""
        try:
            left = differing(lines_of(self._read(texts, [], [])), wanted)
        except Refused as refused:
            raise Refused(
                [replace(one, why=one.why or "the change, written there, would make the plan wrong") for one in refused.faults]
            ) from None
        if left:
            raise refuse("written there, the change would not take effect", "; ".join(left[:4]),
                         "write it into the layer that decides the value, or leave --into and --in-stage out", where="apply")  # fmt: skip


class _Edit:
    """One value to write; an implied one (switching a tuned logger on) only where it is needed."""

    def __init__(self, option: SetOption, *, implied: bool = False) -> None:
        self.option, self.implied = option, implied


def _edits(overrides: Overrides) -> list[_Edit]:
    edits = [_Edit(one) for one in overrides.sets]
    for tune in overrides.tunes:
        edits += [_Edit(_value(tune, "level", tune.level)), _Edit(_value(tune, "enabled", "true"), implied=True)]
    return edits


def _value(tune: TuneOption, key: str, text: str) -> SetOption:
    name = tune.logger.replace("\\", "\\\\").replace('"', '\\"')
    parsed = parse_path(f'loggers["{name}"].{key}')
    assert not isinstance(parsed, str)  # noqa: S101  (a name in double quotes is a step)
    return SetOption(tune.text, parsed[0], synthetic(tune.source, text), tune.source)


def _switched_off(found: ResolvedPlan, option: SetOption) -> bool:
    logger = found.plan.loggers.get(option.steps[1].name or "root")
    return logger is not None and not logger.enabled.value
