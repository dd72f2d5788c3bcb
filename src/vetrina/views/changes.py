"""Changes written and taken back: diffs for people, the same as JSON."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from vetrina.core.config.splicing import Target
from vetrina.views.screen import Line, Span, span

_STYLES = {"+": "good", "-": "bad", "@": "quiet"}


class Applied(Protocol):
    """A change on record: when, and by which options."""

    time: str
    words: list[str]
    files: list[Any]


def coloured(diff: Sequence[str]) -> list[Line]:
    """Return the lines of a diff, harmless and coloured."""
    return [[span(line, "title" if line.startswith(("---", "+++")) else _STYLES.get(line[:1], ""))] for line in diff]


def diff_lines(diffs: Mapping[str, Sequence[str]], places: Sequence[Target], lines: Sequence[str]) -> list[Line]:
    """Return the diff of every file, where the edits are made, and what that changes in the plan in force."""
    shown: list[Line] = [line for diff in diffs.values() for line in coloured(diff)]
    if places and diffs:
        where = ", ".join(dict.fromkeys(one.words() for one in places))
        shown += [[], [Span("made where the value is decided: ", "quiet"), span(where)]]
    if lines:
        shown += [
            [Span("in force afterwards:", "quiet")],
            *([Span("  "), span(line, _STYLES.get(line[:1], ""))] for line in lines),
        ]
    return shown


def applied_json(diffs: Mapping[str, Sequence[str]], places: Sequence[Target], *, applied: bool) -> dict[str, Any]:
    """Return the document of `apply --json`."""
    return {
        "applied": applied,
        "files": [{"file": name, "diff": list(diff)} for name, diff in diffs.items()],
        "made_in": list(dict.fromkeys(one.words() for one in places)),
    }


def undone_json(diffs: Mapping[str, Sequence[str]], steps: Sequence[Applied], *, undone: bool) -> dict[str, Any]:
    """Return the document of `undo --json`."""
    return {
        "undone": undone,
        "files": [{"file": name, "diff": list(diff)} for name, diff in diffs.items()],
        "changes": steps_json(steps)["changes"],
    }


def steps_json(steps: Sequence[Applied]) -> dict[str, Any]:
    """Return the document of `undo --list --json`."""
    return {"changes": [{"time": one.time, "words": one.words, "files": [file.file for file in one.files]} for one in steps]}


def step_lines(steps: Sequence[Applied]) -> list[Line]:
    """Return what can be taken back, the last first."""
    if not steps:
        return [[Span("nothing to take back", "quiet")]]
    return [
        [
            span(one.time, "quiet"),
            Span("  "),
            span(" ".join(one.words)),
            Span("  in ", "quiet"),
            span(", ".join(file.file for file in one.files)),
        ]
        for one in reversed(steps)
    ]
