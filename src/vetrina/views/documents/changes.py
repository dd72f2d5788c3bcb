"""`apply --json` and `undo --json`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from vetrina.core.config.splices import Target
from vetrina.views.changes import Applied


class FileDiff(Struct):
    """A file with the lines of its unified diff."""

    file: str
    diff: list[str]


class Apply(Struct):
    """`apply --json`; `made_in` are the layers in which the values are decided."""

    applied: bool
    files: list[FileDiff]
    made_in: list[str]


class AppliedChange(Struct):
    """A change on record: when it was written, by which options, in which files."""

    time: str
    words: list[str]
    files: list[str]


class Undo(Struct):
    """`undo --json`."""

    undone: bool
    files: list[FileDiff]
    changes: list[AppliedChange]


class UndoList(Struct):
    """`undo --list --json`, the oldest first."""

    changes: list[AppliedChange]


def applied_document(diffs: Mapping[str, Sequence[str]], places: Sequence[Target], *, applied: bool) -> Apply:
    """Return a change that was written, or would be, as a document."""
    return Apply(applied, _diffs(diffs), list(dict.fromkeys(one.words() for one in places)))


def undone_document(diffs: Mapping[str, Sequence[str]], steps: Sequence[Applied], *, undone: bool) -> Undo:
    """Return changes that were taken back, or would be, as a document."""
    return Undo(undone, _diffs(diffs), _changes(steps))


def list_document(steps: Sequence[Applied]) -> UndoList:
    """Return the changes on record as a document."""
    return UndoList(_changes(steps))


def _diffs(diffs: Mapping[str, Sequence[str]]) -> list[FileDiff]:
    return [FileDiff(name, list(diff)) for name, diff in diffs.items()]


def _changes(steps: Sequence[Applied]) -> list[AppliedChange]:
    return [AppliedChange(one.time, list(one.words), [file.file for file in one.files]) for one in steps]
