"""A change of a plan's files: worked out and tried in memory, then written with a record to take it back."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import NOT_TEXT
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.logger_names import tree_name
from vetrina.core.config.edits import differing, lines_of
from vetrina.core.config.resolution import Overrides, ResolvedPlan, SetOption, TuneOption, parse_path
from vetrina.core.config.splices import Target
from vetrina.core.config.splicing import splice
from vetrina.core.plan.model import Plan
from vetrina.core.schema.nodes import synthetic
from vetrina.formats import undo_records as undo
from vetrina.formats.plans import documents_of, mapping_for, read_resolved_plan
from vetrina.formats.safe_files import refuse_unwritable, replace_file, sweep

NEW_LAYER = "vetrina: 1\n"


class Change(Struct):
    """A change as it shall be written: the files, how they differ, where the edits are, and what the plan says then."""

    versions: dict[str, undo.Version]
    diffs: dict[str, list[str]]
    places: list[Target]
    lines: list[str]


def nameable(*paths: Path) -> None:
    """Refuse files whose names the record of a change could not hold."""
    for path in paths:
        if not str(path).isprintable() and NOT_TEXT.search(str(path)):
            raise refuse(
                "the file's name is not UTF-8", "the record of the change could not name it", "rename the file", where=str(path)
            )


def write(plan: Path, words: Sequence[str], change: Change) -> None:
    """Write the record, then the files: what was read must be what is replaced, also after a question that waited."""
    files = {Path(name): one for name, one in change.versions.items()}
    for path in (plan, undo.record_path(plan), *files):
        sweep(path)
    for path, one in files.items():
        refuse_unwritable(path)
        if undo.read_text(path, one.codec) != one.before:
            raise refuse(
                "the file has been edited meanwhile", "what was read is not what is there now", "call again", where=str(path)
            )
    record = undo.read_record(plan)
    now = datetime.now(tz=UTC).isoformat(timespec="seconds")
    step = undo.AppliedStep(now, list(words), list(files.values()), undo.folder_id(plan))
    undo.write_record(plan, undo.Record(undo.VERSION, [*record.steps, step]))
    for path, one in files.items():
        was = None if one.before is None else undo.bytes_of(one.before, one.codec)
        replace_file(path, undo.bytes_of(one.after, one.codec), like=plan, was=was)
    for path, one in files.items():
        if undo.read_text(path, one.codec) != one.after:
            raise refuse("what was written is not what is there now", "another program writes it as well",
                         "look at the file, and call again", where=str(path))  # fmt: skip


class Work:
    """A plan with the texts of its files: read once, changed in memory, tried before anything is written.

    ``ask`` is told the loggers that are tuned, with the plan before the change.
    """

    def __init__(
        self,
        plan: Path,
        stage: Sequence[str],
        with_: Sequence[Path],
        env: Sequence[str],
        env_file: Sequence[str | Path],
        into: Path | None,
        ask: Callable[[str, Plan], None] = lambda _logger, _plan: None,
        by: str | Path = "",
    ) -> None:
        self._ask = ask
        mapping = mapping_for(plan, by)
        self._by: str | Path = "-" if mapping is None else mapping
        self._plan, self._stage, self._env, self._env_file = plan, stage, env, env_file
        self._with = [*with_, into] if into is not None and into not in with_ else with_
        self.texts: dict[str, str] = {}
        self.boms: dict[str, str] = {}
        self.codecs: dict[str, str] = {}
        self.new: set[str] = set()
        for document in documents_of(plan, mapping):
            self.texts[document.name], self.codecs[document.name] = document.text, document.codec
        for path in (*((plan,) if mapping is None else ()), *self._with):
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

    def _read(self, texts: dict[str, str], sets: Sequence[str], tunes: Sequence[str]) -> ResolvedPlan:
        return read_resolved_plan(
            self._plan,
            stages=self._stage,
            layers=self._with,
            env=self._env,
            env_files=self._env_file,
            sets=sets,
            tunes=tunes,
            texts=texts,
            by=self._by,
        )

    def worked_out(self, sets: Sequence[str], tunes: Sequence[str], target: Target | None) -> Change:
        """Return the change, verified in memory; one plan in force is held at a time, for plans may be large."""
        wanted = self._read(self.texts, sets, tunes)
        said, overrides = lines_of(wanted), wanted.overrides
        del wanted
        before = self._read(self.texts, [], [])
        for one in overrides.tunes:
            self._ask(tree_name(one.logger), before.plan)
        lines = differing(lines_of(before), said)
        texts, places = self._spliced(before, overrides, target)
        del before
        self.verify(said, texts)
        changed = {name: text for name, text in texts.items() if text != self.texts.get(name)}
        versions = {
            name: undo.Version(
                undo.named_in(self._plan, Path(name)),
                self.before(name),
                self.boms.get(name, "") + text,
                self.codecs.get(name, undo.UTF_8),
            )
            for name, text in changed.items()
        }
        diffs = {
            name: undo.difference(name, self.texts.get(name) if name not in self.new else None, text)
            for name, text in changed.items()
        }
        for version in versions.values():
            undo.bytes_of(version.after, version.codec)
        return Change(versions, diffs, places, lines)

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
            again = self._read(texts, [], [])
            left = differing(lines_of(again), wanted)
            if left and again.adoption is not None:
                left = differing(_by_meaning(lines_of(again), again.plan), _by_meaning(wanted, again.plan))
        except Refused as refused:
            raise Refused(
                [replace(one, why=one.why or "the change, written there, would make the plan wrong") for one in refused.faults]
            ) from None
        if left:
            raise refuse("written there, the change would not take effect", "; ".join(left[:4]),
                         "write it into the layer that decides the value, or leave --into and --in-stage out", where="apply")  # fmt: skip


_LEVELS = re.compile(r"(?:^|\.)(?:assume|level|floor|ceiling|at-once)\Z")


def _by_meaning(lines: dict[str, str], plan: Plan) -> dict[str, str]:
    """Return what a plan says with its levels as numbers: a document has words of its own for them."""
    return {
        path: str(severity)
        if _LEVELS.search(path) and (severity := plan.scale.threshold(text.strip('"'))) is not None
        else text
        for path, text in lines.items()
    }


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
    steps, _ = parse_path(f'loggers["{name}"].{key}')
    return SetOption(tune.text, steps, synthetic(tune.source, text), tune.source)


def _switched_off(found: ResolvedPlan, option: SetOption) -> bool:
    logger = found.plan.loggers.get(tree_name(option.steps[1].name))
    return logger is not None and not logger.enabled.value
