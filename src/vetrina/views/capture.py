"""A capture for people: on the screen, and as the report in its folder."""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.quantities import show_size
from vetrina.core.base.wording import counted
from vetrina.views.documents.capture import Capture, CapturedSection
from vetrina.views.screen import Column, Line, Span, number, safe, span, table, wrapped


def result_lines(found: Capture, into: str, width: int) -> list[Line]:
    """Return what a capture came to."""
    lines: list[Line] = [[], [span(f"{found.service}: captured into {into}/", "title")], []]
    lines += _level_lines(found, width)
    lines += _section_lines(found, width)
    if found.first_error is not None:
        one = found.first_error
        lines += [[], [Span("first error: ", "bad"), span(f"{one.time} {one.logger}: {one.message}")]]
        lines += [[span(f"  {part}", "quiet")] for part in one.error.splitlines()[:3]]
        more = len(one.error.splitlines()) - 3
        lines += (
            [[Span(f"  … {counted(more, 'more line')} in {one.from_}, from line {one.line} on", "quiet")]] if more > 0 else []
        )
    lines += [[], *_put_back_lines(found, width)]
    if found.masked is not None:
        lines += wrapped(f"masked: {counted(found.masked, 'place')}.", width)
    if found.command_exit is not None:
        lines += wrapped(f"the command ended with {found.command_exit}.", width)
    for section in found.sections:
        for text in section.notes:
            lines += wrapped(safe(f"note on {section.name}: {text}"), width, 2)
    for text in found.problems:
        lines += wrapped(safe(f"PROBLEM: {text}"), width, 2, "bad")
    lines += wrapped(safe(f"report: {into}/capture.md; search it: vetrina find {into}/events.jsonl"), width)
    return lines


def _level_lines(found: Capture, width: int) -> list[Line]:
    if not found.levels:
        return []
    heads = [Column("logger", least=14), Column("before"), Column("during"), Column("after")]
    cells = [[span(one.logger), *(span(level or "?") for level in (one.before, one.during, one.after))] for one in found.levels]
    return [*table(heads, cells, width), []]


def _section_lines(found: Capture, width: int) -> list[Line]:
    if not found.sections:
        return wrapped("The service's file names no logs: nothing to collect.", width)
    heads = [
        Column("section", least=10),
        Column("bytes", right=True),
        Column("events", right=True),
        Column("by level", least=16),
    ]
    cells = [
        [
            span(one.name),
            span(number(one.bytes)),
            span("·" if one.events is None else number(one.events), "quiet" if one.events is None else ""),
            span(_by_level(one), "quiet" if one.events is None else ""),
        ]
        for one in found.sections
    ]
    return [*table(heads, cells, width), *wrapped(f"{counted(found.events, 'event')}, merged by time in events.jsonl.", width)]


def _by_level(one: CapturedSection) -> str:
    if one.events is None:
        return f"bytes only: {one.why}"
    counts: dict[str, int] = {}
    for row in one.counts:
        counts[row.level] = counts.get(row.level, 0) + row.events
    parts = [f"{number(count)} {level}" for level, count in counts.items()]
    parts += [f"{counted(one.unreadable, 'line')} not read"] if one.unreadable else []
    return ", ".join(parts)


def _put_back_lines(found: Capture, width: int) -> list[Line]:
    back = found.put_back
    if back is None:
        return wrapped("No level was changed.", width) if not found.levels else []
    lines: list[Line] = []
    if back.back:
        text = ", ".join(f"{name}: {how}" for name, how in back.back.items())
        lines += wrapped(safe(f"put back and verified by {back.by}: {text}"), width, 2, "good")
    for name, note in back.notes.items():
        lines += wrapped(safe(f"note: {name}: {note}"), width, 2)
    return lines


def markdown(found: Capture) -> str:
    """Return the report."""
    return "\n".join(_report(found)) + "\n"


def _report(found: Capture) -> Iterator[str]:
    asked = found.asked
    yield f"# Capture: {_plain(found.service)}"
    yield ""
    if asked.note:
        yield from (f"Why: {_plain(asked.note)}", "")
    yield f"From {found.started} to {found.ended or 'not known'}, at {_code(found.address)}."
    yield ""
    if found.problems:
        yield from ("## Not as it should be", "", *(f"- {_plain(text)}" for text in found.problems), "")
    yield from ("## What was asked", "", *_asked(found), "")
    if found.cost:
        yield from (
            "## What it was to cost, by the plan and a recording",
            "",
            *(f"- {_plain(text)}" for text in found.cost),
            "",
        )
    yield from ("## Steps", "", *(f"- {one.at} {_plain(one.what)}" for one in found.steps), "")
    if found.levels:
        yield from ("## Levels", "", "| logger | before | during | after |", "|---|---|---|---|")
        yield from (
            f"| {_code(one.logger)} | {one.before or '?'} | {one.during or '?'} | {one.after or '?'} |" for one in found.levels
        )
        yield ""
    yield from _report_of_putting_back(found)
    yield from ("## Sections", "", "| section | log | bytes | events | lines not read |", "|---|---|---:|---:|---:|")
    for one in found.sections:
        events = number(one.events) if one.events is not None else f"· ({_plain(one.why)})"
        yield f"| {_code(one.file)} | {_code(one.log)} | {number(one.bytes)} ({show_size(one.bytes)}) | {events} | {number(one.unreadable)} |"
    yield ""
    yield from (f"- lost in {one.name}: {_plain(text)}" for one in found.sections for text in one.lost)
    yield from (f"- note on {one.name}: {_plain(text)}" for one in found.sections for text in one.notes)
    yield from _events(found)
    if found.masked is not None:
        yield from (f"Masked in the sections: {counted(found.masked, 'place')}.", "")


def _asked(found: Capture) -> Iterator[str]:
    asked = found.asked
    yield from (f"- tune {_code(text)}" for text in asked.tune)
    if not asked.tune:
        yield "- no level was changed"
    if asked.for_ is not None:
        yield f"- for {asked.for_:g} seconds"
    if asked.until:
        yield f"- until a line like {_code(asked.until)}"
    if asked.command:
        yield f"- while a command runs: {_code(' '.join(asked.command))}, which ended with {found.command_exit}"
    yield f"- for {asked.at_most:g} seconds at most; {asked.settle:g} seconds to settle"


def _report_of_putting_back(found: Capture) -> Iterator[str]:
    back = found.put_back
    if back is None:
        return
    yield from ("## Put back", "", f"By {back.by}; each level was read back from the service afterwards.", "")
    yield from (f"- {_code(name)}: {_plain(how)}" for name, how in back.back.items())
    yield from (f"- note on {_code(name)}: {_plain(why)}" for name, why in back.notes.items())
    yield from (
        f"- **changed by somebody else**, left as it is: {_code(name)}: {_plain(why)}"
        for name, why in back.changed_by_others.items()
    )
    yield from (f"- **not put back**: {_code(name)}: {_plain(why)}" for name, why in back.failed.items())
    yield ""


def _events(found: Capture) -> Iterator[str]:
    counts = [(one.name, row) for one in found.sections for row in one.counts]
    if counts:
        yield from ("## Events", "", "| section | logger | level | events |", "|---|---|---|---:|")
        yield from (f"| {name} | {_code(row.logger)} | {row.level} | {number(row.events)} |" for name, row in counts)
        yield ""
    one = found.first_error
    if one is not None:
        yield from (
            "## The first error",
            "",
            f"{one.time} {one.level} {_code(one.logger)}, line {one.line} of {one.from_}:",
            "",
        )
        yield from (*(f"    {safe(part)}" for part in [*one.message.splitlines(), *one.error.splitlines()]), "")


def _plain(text: str) -> str:
    """Return a text as one line of Markdown in which nothing of it is Markdown."""
    plain = safe(" ".join(text.split()))
    return "".join(f"\\{char}" if char in "\\`*_{}[]()#+!|<>~" else char for char in plain)


def _code(text: str) -> str:
    """Return a text as code."""
    plain = safe(" ".join(text.split())).replace("|", "\\|")
    longest = max((len(run) for run in "".join(char if char == "`" else " " for char in plain).split()), default=0)
    fence = "`" * (longest + 1)
    return f"{fence} {plain} {fence}" if longest else f"`{plain}`"
