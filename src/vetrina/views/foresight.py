"""What was learned from another recording: figures with their ranges, and the table of what they stand on."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from vetrina.core.base.levels import Scale
from vetrina.core.base.wording import counted
from vetrina.core.foresight.lessons import Foretold, Lessons, Total
from vetrina.core.foresight.unheard import UnrecordedLevels
from vetrina.core.foresight.wording import told_words
from vetrina.views.screen import Column, Line, Span, level_style, number, span, table, whole, wrapped

_MOST = 12
_NARROW = 96
"""Below so many columns the counts that an estimate stands on are left to --wide and --json."""


def mark_words(lessons: Lessons, draws: int, *, played: bool) -> str:
    """Return what the mark means."""
    return f"~ is estimated from {lessons.source}: 90 of 100 lie between, of {draws} {'plays' if played else 'drawings'}"


def foretold_lines(foretold: Foretold, scale: Scale, width: int) -> list[Line]:
    """Return the sentence on top and what it stands on; what ~ means is told where anything bears it."""
    lessons = foretold.lessons
    lines = wrapped(span(told_words(lessons, scale)).text, width, 2, "raised" if lessons.weak else "")
    lines += unheard_lines(foretold.unheard, scale, width, learned=True)
    lines += lesson_lines(lessons, foretold.totals, scale, width, wide=whole(width))
    if foretold.totals:
        lines += wrapped(f"  {span(mark_words(lessons, foretold.draws, played=foretold.played)).text}", width, 2, "quiet")
    return lines


def lesson_lines(lessons: Lessons, found: Sequence[Total], scale: Scale, width: int, *, wide: bool) -> list[Line]:
    """Return what each estimate stands on, and what could not be estimated."""
    lines: list[Line] = []
    if found:
        title = (
            f"Learned from {lessons.source}, {counted(lessons.events, 'event')} in {counted(lessons.hours, 'hour')}: "
            "what the recording lacks"
        )
        lines = [[], *wrapped(title, width, 2, "title"), *_table(found, scale, width, wide=wide)]
    return [*lines, *_rest(lessons, scale, width)]


def _table(found: Sequence[Total], scale: Scale, width: int, *, wide: bool) -> list[Line]:
    heads = [
        Column("logger", least=14), Column("level"), Column("there", right=True), Column("hours", right=True),
        Column("against seen events of", least=12), Column("expected", right=True), Column("5 to 95 of 100", right=True), Column(""),
    ]  # fmt: skip
    ordered = sorted(found, key=lambda one: (-one.middle, one.lesson.logger, one.lesson.severity))
    rows = [
        [
            span(one.lesson.logger),
            span(scale.name(one.lesson.severity), level_style(one.lesson.severity)),
            span(number(one.lesson.events)),
            span(number(one.lesson.hours)),
            span(f"{one.lesson.base}: {number(one.lesson.there)}, here {number(one.lesson.here)}"),
            span(f"~{number(one.middle)}"),
            span(f"{number(one.low)}-{number(one.high)}"),
            span("weak" if one.lesson.weak else "", "raised"),
        ]
        for one in (ordered if wide else ordered[:_MOST])
    ]
    if width < _NARROW and not whole(width):
        heads = [Column("logger", least=22), *heads[1:3], Column("set against", least=12), *heads[5:7]]
        rows = [
            [
                *row[:3],
                span(one.lesson.base),
                row[5],
                span(row[6].text + (" weak" if one.lesson.weak else ""), "raised" if one.lesson.weak else ""),
            ]
            for row, one in zip(rows, ordered, strict=False)
        ]
    lines = table(heads, rows, width, 2)
    if len(ordered) > _MOST and not wide:
        lines.append([Span(f"  … and {counted(len(ordered) - _MOST, 'line')} more (--wide, --json)", "quiet")])
    return lines


def _rest(lessons: Lessons, scale: Scale, width: int) -> list[Line]:
    lines: list[Line] = []
    if lessons.odd:
        odd = ", ".join(
            f"{logger} {scale.name(own)} ({counted(count, 'event')})" for (logger, own), count in lessons.odd.items()
        )
        text = (
            f"warning: the recording holds what the plan stops that it is taken to be recorded under: {odd}; "
            "that counts as recorded, and nothing is estimated for it (--recorded-under names another plan)"
        )
        lines += wrapped(span(text).text, width, 2, "raised")
    if lessons.untold:
        text = (
            f"warning: {lessons.source} holds {_named(lessons.untold, scale)}, but no seen event is in both "
            "recordings to set them against: how many there will be is not known"
        )
        lines += wrapped(span(text).text, width, 2, "raised")
    return lines


def _named(owns: Iterable[tuple[str, int]], scale: Scale) -> str:
    return ", ".join(f"{logger} {scale.name(severity)}" for logger, severity in owns)


def unheard_lines(unheard: Sequence[UnrecordedLevels], scale: Scale, width: int, *, learned: bool) -> list[Line]:
    """Return what the recording cannot tell: of whole parts of the tree, then of single loggers, those alike together."""
    lines: list[Line] = []
    for one, words in zip([one for one in unheard if one.below], unheard_below(unheard, scale, learned=learned), strict=True):
        low = scale.name(one.low)
        text = (
            f"warning: {words}, so they cannot tell what the change would add there; use a recording made at {low}"
            f"{'' if learned else ', with --learn'}, or --rate '{one.logger} {low} 10/second'"
        )
        lines += wrapped(span(text).text, width, 2, "raised")
    for words in unheard_alone(unheard, scale, learned=learned):
        lines += wrapped(span(f"note: {words}; whether there are any cannot be told").text, width, 2, "raised")
    return lines


def unheard_below(unheard: Sequence[UnrecordedLevels], scale: Scale, *, learned: bool = False) -> list[str]:
    """Return, for each part of the tree of which the recording holds nothing that the change lets through, which levels."""
    who = "neither these events nor the recordings of --learn hold anything" if learned else "these events hold nothing"
    return [
        f"{who} at {_levels(one, scale)} from {one.logger} and below it that the change lets through"
        for one in unheard
        if one.below
    ]


def unheard_alone(unheard: Sequence[UnrecordedLevels], scale: Scale, *, learned: bool = False) -> list[str]:
    """Return of which single loggers it holds other levels only, those alike together."""
    alone: dict[str, list[str]] = {}
    for one in unheard:
        if not one.below:
            alone.setdefault(_levels(one, scale), []).append(one.logger)
    who = "nothing is recorded" if learned else "these events hold nothing"
    return [f"{who} at {levels} from {', '.join(dict.fromkeys(names))}" for levels, names in alone.items()]


def _levels(one: UnrecordedLevels, scale: Scale) -> str:
    return scale.name(one.low) if one.low == one.high else f"{scale.name(one.low)} to {scale.name(one.high)}"
