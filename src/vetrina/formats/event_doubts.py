"""What makes a line doubtful as an event: nested too deep, or longer with its holes filled than a line may be."""

from __future__ import annotations

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import MOST_HOLES, Event, filled_length, has_too_many_holes
from vetrina.formats.lines import LONGEST_LINE

DEEPEST = 500


class Reason(VetrinaError):
    """Why a line is not an event."""


def is_deep(line: bytes) -> bool:
    """Tell whether a line may be nested too deep."""
    return len(line) > 2 * DEEPEST and line.count(b"[") + line.count(b"{") > DEEPEST


def may_swell(line: bytes) -> bool:
    """Tell whether a message's holes may make it longer than a line may be."""
    return (line.count(b"{") + line.count(b"\\u007")) * len(line) > LONGEST_LINE  # a brace may be written as an escape


def refuse_swollen(event: Event) -> None:
    """Raise Reason for a message that has too many holes, or would be too long with them filled."""
    if has_too_many_holes(event.message):
        raise Reason(f"its message has more than {MOST_HOLES:,} holes")
    if filled_length(event) > LONGEST_LINE:
        raise Reason(f"its message is longer than {LONGEST_LINE >> 20} MiB once its holes are filled")
