"""A drafted layout, told: how much of the log it reads, some events laid out, what stays doubtful."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import tzinfo

from vetrina.core.base import clocks
from vetrina.core.base.events import pairs
from vetrina.core.base.wording import counted
from vetrina.views.documents.drafts import LaidOut, ReadDraft
from vetrina.views.screen import Line, Span, number, span

_PATTERN = "%Y-%m-%d %H:%M:%S.%6f"


def share_words(read: int, lines: int, *, whole: bool) -> str:
    """Return how many lines are read, of how many."""
    return f"reads {number(read)} of {counted(lines, 'line')}{'' if whole else ' that were looked at'}"


def draft_lines(draft: ReadDraft, zone: tzinfo) -> Iterator[Line]:
    """Yield what is told of a draft beside what is to be kept."""
    few = draft.read < 0.95 * draft.lines
    yield [Span(share_words(draft.read, draft.lines, whole=draft.whole), "raised" if few else "good")]
    for one in draft.events:
        yield []
        yield from _event(one, zone)
    if draft.doubts or draft.others:
        yield []
    for doubt in draft.doubts:
        yield [Span("doubtful: ", "raised"), span(doubt)]
    for other in draft.others:
        yield [Span("reads as much: ", "raised"), span(other)]
    if not draft.plan and draft.template is None:
        yield [Span("no plan can say this layout: read and find draft it anew each time", "quiet")]


def _event(one: LaidOut, zone: tzinfo) -> Iterator[Line]:
    error, *below = one.error.split("\n")
    rows = {
        "time": f"{one.clock} (of which day?)" if one.time is None else clocks.by_pattern(_PATTERN, zone)(one.time), "level": one.level, "logger": one.logger, "thread": one.thread,
        "process": one.process, "host": one.host, "message": one.message,
        "error": error + (f" … {counted(len(below), 'further line')}" if below else ""),
        "fields": pairs(one.fields) if one.fields else "",
    }  # fmt: skip
    for name, value in rows.items():
        if value not in {None, ""}:
            yield [Span(f"  {name:<8}", "quiet"), span(str(value))]
