"""Cases and their verdicts, like a run of tests."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.wording import counted
from vetrina.core.changes.expecting import Failure, Verdict
from vetrina.views.screen import Line, Span, most, span, whole, wrapped

_MOST = 3


def failure_words(failure: Failure) -> tuple[str, ...]:
    """Return a failure as lines: who and what, why, the nearest way."""
    stage = f" under stage {failure.stage}" if failure.stage else ""
    head = f"{failure.event.logger or 'root'} at {failure.event.level}{stage}: {failure.what}"
    return tuple(text for text in (head, failure.why, f"nearest way: {failure.remedy}" if failure.remedy else "") if text)


def _failure(failure: Failure, width: int) -> list[Line]:
    head, *more = (span(text).text for text in failure_words(failure))
    lines = [[Span(" " * 7), *line] for line in wrapped(head, width - 7, 2)]
    lines += [[Span(" " * 9), *line] for text in more for line in wrapped(text, width - 9, 2, "quiet")]
    return lines


def expected_lines(verdicts: Sequence[Verdict], width: int) -> list[Line]:
    """Return one line for each case, what went wrong under those that fail, and the sum."""
    lines: list[Line] = []
    for one in verdicts:
        mark = Span("fails  ", "bad") if one.failures else Span("holds  ", "good")
        lines.append([mark, span(one.case.say), span(f"  {one.case.place}" if one.failures else "", "place")])
        for failure in one.failures[: most(width, _MOST)]:
            lines += _failure(failure, width)
        if len(one.failures) > _MOST and not whole(width):
            lines.append(
                [
                    Span(
                        f"       … and {len(one.failures) - _MOST} more of {counted(one.tried, 'event')} (--wide, --json)",
                        "quiet",
                    )
                ]
            )
    failed = sum(bool(one.failures) for one in verdicts)
    tried = sum(one.tried for one in verdicts)
    end = (
        f"{counted(failed, 'case')} of {len(verdicts)} fail{'s' if failed == 1 else ''}"
        if failed
        else f"all {counted(len(verdicts), 'case')} hold"
    )
    end = "the one case holds" if not failed and len(verdicts) == 1 else end
    return [*lines, [], [Span(end, "bad" if failed else "good"), Span(f"; {counted(tried, 'event')} tried")]]
