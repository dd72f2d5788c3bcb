"""Estimated figures in words: marked, and with their range."""

from __future__ import annotations

from collections.abc import Callable

from vetrina.core.base.levels import Scale
from vetrina.core.base.quantities import show_size
from vetrina.core.base.wording import plural, spaced
from vetrina.core.foresight.lessons import Ends, Lessons


def between(ends: Ends, show: Callable[[int], str] = spaced, sign: str = "") -> str:
    """Return the range of a figure, marked as estimated; one whose ends look alike once."""
    return span_of(ends.low, ends.high, show, sign)


def between_counted(ends: Ends, noun: str) -> str:
    """Return the range of a count, with the noun that is counted."""
    return f"{between(ends)} {plural(ends.high, noun)}"


def span_of(low: int, high: int, show: Callable[[int], str] = spaced, sign: str = "") -> str:
    """Return a range, marked as estimated; a unit that both ends have stands once."""
    least, most = show(low), show(high)
    if least == most:
        return f"~{sign}{least}"
    begun, _, unit = least.rpartition(" ")
    shared = show is show_size and most.endswith(f" {unit}")
    return f"~{sign}{begun if shared else least}-{most}"


def told_words(lessons: Lessons, scale: Scale) -> str:
    """Return the sentence on top: that figures are estimated, from what, and what of it rests on little."""
    if not lessons.lessons:
        return (
            f"Nothing is estimated: {lessons.source} tells of nothing that the recording lacks and that would arrive somewhere."
        )
    count = len(lessons.lessons)
    what = (
        "one logger and level that the recording lacks"
        if count == 1
        else f"{count} loggers and levels that the recording lacks"
    )
    text = f"Estimated in part: {lessons.source} tells of {what}"
    weak = [f"{one.logger} {scale.name(one.severity)}" for one in lessons.weak]
    return f"{text}; weak, with fewer than 30 events or 3 hours behind it: {', '.join(weak)}." if weak else f"{text}."
