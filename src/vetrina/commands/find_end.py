"""What is told on standard error at the end of a search: what could not be read, how much was found where."""

from __future__ import annotations

from vetrina.commands import calling
from vetrina.core.base.quantities import show_size
from vetrina.core.base.wording import counted
from vetrina.views.screen import Line, Span, number, span
from vetrina.work.finding import Searched

_SHOWN_SOURCES = 6


def remark_unreadable(finding: Searched) -> int:
    """Tell which lines were no events; return how many they are."""
    for one in finding.reads:
        words = "not an event" if one.of_events else "does not fit"
        calling.remark_bad_lines(one.name, one.unreadable, one.bad_lines, words)
    return sum(one.unreadable for one in finding.reads)


def summary(finding: Searched, seconds: float) -> list[Line]:
    """Return what was found, where, and of how much."""
    lines = [*_spans(finding), *_sections(finding)]
    hits = sum(finding.hits)
    if not hits:
        lines += _nothing(finding)
    by_source = [(one.name, count) for one, count in zip(finding.reads, finding.hits, strict=True) if count]
    told = ", ".join(f"{name} {number(count)}" for name, count in by_source[:_SHOWN_SOURCES])
    further = len(by_source) - _SHOWN_SOURCES
    told += f", {counted(further, 'further source')}" if further > 0 else ""
    words = f"{counted(hits, 'hit')}{f' ({told})' if len(finding.reads) > 1 and hits else ''}"
    if finding.stopped:
        words += ", stopped there (--first)"
    looked = [one.looked_through for one in finding.reads if one.looked_through]
    read = sum(one.lines for one in finding.reads)
    if looked:
        words += f"; {show_size(sum(looked))} looked through"
    words += (
        f"{',' if looked else ';'} {counted(read, 'line')} of {counted(len(finding.reads), 'source')} read in {seconds:.2f} s"
    )
    return [*lines, [span(words, "quiet")]]


def _spans(finding: Searched) -> list[Line]:
    lines: list[Line] = []
    for one in finding.spans:
        if one is not None:
            part = one.part
            words = f": its times run forward at the {one.places} places that were looked at, so only bytes {number(part.start)} to "
            words += f"{number(part.end or 0)} of {number(part.whole)} were read"
            lines.append([span(part.file.name, "place"), Span(words, "quiet")])
    return lines


def _sections(finding: Searched) -> list[Line]:
    sections = finding.sections
    if sections is None:
        return []
    if not sections.firsts:
        return [[Span("no section: no message matches the first expression of --between", "raised")]]
    if sections.open is None:
        return []
    entry = sections.open
    place = f"{finding.reads[entry.source].name}:{entry.line}"
    return [[span(place, "place"), Span(": the section that begins here is not closed: it runs to the end", "raised")]]


def _nothing(finding: Searched) -> list[Line]:
    before, after = finding.near()
    told = [
        f"{counted(count, 'event')} in the hour {words}"
        for count, words in ((before, "before --since"), (after, "from --until on"))
        if count is not None
    ]
    return [[Span("nothing found" + (f"; there would be {' and '.join(told)}" if told else ""), "raised")]]
