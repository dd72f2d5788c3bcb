"""Layouts that are drafted from logs: what is said of them, in `read` and in `find`."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import tzinfo
from typing import TYPE_CHECKING

from vetrina.commands import calling
from vetrina.core.base.wording import counted
from vetrina.formats.log_samples import ENOUGH
from vetrina.views import drafts as view
from vetrina.views.documents.drafts import ReadDraft, laid_out
from vetrina.views.screen import Line, Span, span

if TYPE_CHECKING:
    from vetrina.formats.log_drafts import Drafted

_NAMED = 3


def draft_document(one: Drafted) -> ReadDraft:
    """Return a drafted layout as a document."""
    return ReadDraft(
        one.draft.form, one.template, one.plan, one.read, one.lines, one.whole, list(one.doubts), list(one.others),
        laid_out(one.events, one.scale, dated=one.dated),
    )  # fmt: skip


def tell_draft(one: Drafted, zone: tzinfo) -> None:
    """Tell on standard error how a draft does."""
    calling.remark(view.draft_lines(draft_document(one), zone))


def note_drafts(drafts: Sequence[tuple[str, Drafted]]) -> bool:
    """Say on standard error which layouts were drafted, for which files; tell whether one reads too little."""
    by_text: dict[str, list[tuple[str, Drafted]]] = {}
    for name, one in drafts:
        by_text.setdefault(one.text or one.draft.form, []).append((name, one))
    short = False
    for some in by_text.values():
        calling.remark(_note(some))
        short = short or any(one.share < ENOUGH for _, one in some)
    return short


def _note(some: Sequence[tuple[str, Drafted]]) -> list[Line]:
    names, (_, first) = [name for name, _ in some], some[0]
    told = ", ".join(names[:_NAMED]) + (f" and {counted(len(names) - _NAMED, 'further file')}" if len(names) > _NAMED else "")
    layout = first.template or f"{_FORMS[first.draft.form]} (vetrina read {names[0]} --draft shows it)"
    drafts = {id(one): one for _, one in some}.values()
    read, lines = sum(one.read for one in drafts), sum(one.lines for one in drafts)
    whole = all(one.whole for one in drafts) and len(drafts) == len(some)
    found: list[Line] = [[Span("note: ", "quiet"), span(f"{told}: layout drafted from the lines: {layout}")]]
    style = "quiet" if read >= ENOUGH * lines else "raised"
    found.append([span(f"  it {view.share_words(read, lines, whole=whole)}", style)])
    doubts = dict.fromkeys(doubt for _, one in some for doubt in one.doubts)
    others = dict.fromkeys(other for _, one in some for other in one.others)
    found += ([Span("  doubtful: ", "raised"), span(doubt)] for doubt in doubts)
    found += ([Span("  reads as much: ", "raised"), span(other)] for other in others)
    return found


_FORMS = {"text": "text", "json": "JSON", "csv": "CSV", "syslog": "RFC 5424", "pairs": "pairs k=v"}
