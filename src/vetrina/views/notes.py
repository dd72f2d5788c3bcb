"""What is said in passing of a document in another format: which mapping reads it, and how much it leaves over."""

from __future__ import annotations

from typing import TYPE_CHECKING

from vetrina.core.base.wording import counted
from vetrina.views.screen import Line, Span, span

if TYPE_CHECKING:
    from vetrina.core.documents.adopted import Adoption  # most calls read no document

_told: set[tuple[str, bool]] = set()
"""What was said in this process: a command may read a plan several times."""


def document_notes(adoption: Adoption, plan: str, *, named: bool, quiet: bool) -> list[Line]:
    """Return the notes on one reading of a document; each is made once."""
    lines: list[Line] = []
    mapping = adoption.mapping.name
    if not named and (plan, False) not in _told:
        _told.add((plan, False))
        words = f"{plan} is read through {mapping}, which stands beside it (--by - takes none)"
        lines.append([Span("note: ", "quiet"), span(words)])
    count = len(adoption.left_over)
    if count and not quiet and (plan, True) not in _told:
        _told.add((plan, True))
        words = f"{counted(count, 'part')} of {plan} {'is' if count == 1 else 'are'} read by nothing: vetrina adopt {plan} --by {mapping} names "
        lines.append([Span("warning: ", "raised"), span(words + ("it" if count == 1 else "them"))])
    return lines
