"""Changes written and taken back: diffs for people, the same as JSON."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from vetrina.core.config.splices import Target
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
