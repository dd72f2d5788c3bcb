"""What became of the lines of a log that was read back: in a sentence, and as a document."""

from __future__ import annotations

from vetrina.core.base.wording import counted
from vetrina.views.documents.read import ReadSummary
from vetrina.views.screen import Line, Span


def summary_lines(told: ReadSummary) -> list[Line]:
    """Return what was joined, what is in no event, and how much of it was shown."""
    lines: list[Line] = []
    if told.joined_lines:
        words = f"{counted(told.joined_lines, 'further line')} belong{'s' if told.joined_lines == 1 else ''} to"
        lines.append(
            [Span(f"{words} {counted(told.joined_events, 'event')} (stack traces, messages of several lines)", "quiet")]
        )
    if told.blank:
        words = f"{counted(told.blank, 'empty line')} {'belongs' if told.blank == 1 else 'belong'} to no event"
        lines.append([Span(words, "quiet")])
    if not told.events:
        lines.append([Span("there is no line in it" if not told.misfits else "no line of it fits", "bad")])
    elif told.stopped:
        lines.append([Span(f"stopped after {counted(told.shown, 'event')} (--first); what follows was not read", "quiet")])
    elif told.shown != told.events:
        lines.append([Span(f"{counted(told.shown, 'event')} shown of {counted(told.events, 'event')} read", "quiet")])
    return lines
