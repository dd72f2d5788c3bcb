"""Findings for people, and as data."""

from __future__ import annotations

from collections.abc import Sequence

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import SEVERITIES, Check
from vetrina.core.checks.runner import Finding
from vetrina.views.screen import Column, Line, Span, safe, span, table, whole, wrapped

_STYLES = {"error": "bad", "warning": "raised", "hint": "low"}


def finding_lines(findings: Sequence[Finding], checked: int, plans: int, width: int) -> list[Line]:
    """Return findings as lines: `file:line:column: severity code: what`, then why, remedy and edit, indented."""
    lines: list[Line] = []
    for one in findings:
        lines += _headline(one, width)
        if one.stages:
            lines.append([Span("  only under: ", "quiet"), span(", ".join(one.stages), "changed")])
        for label, text in (("why: ", one.why), ("do:  ", one.remedy)):
            if text:
                parts = wrapped(safe(text), max(30, width - 8))
                lines.append([Span(f"  {label}", "quiet"), *parts[0]])
                lines += [[Span("       "), *part] for part in parts[1:]]
        if one.edit:
            lines.append([Span("  try: ", "quiet"), span(one.edit, "command")])
        lines += [
            [Span("  see: ", "quiet"), span(place, "place"), span(f" ({words})", "quiet")] for place, words in one.related
        ]
        lines.append([])
    lines.append(_sum(findings, checked, plans))
    return lines


def _headline(one: Finding, width: int) -> list[Line]:
    """Return place, severity, code and what: one line where nothing is cut off, else broken at blanks."""
    where, head = safe(str(one.place) if one.place else one.where), f"{one.severity} {one.code}: "
    begun: Line = [Span(where, "place"), Span(": "), Span(head, _STYLES[one.severity])]
    lead = f"{where}: {head}"
    if whole(width):
        return [[*begun, span(one.message)]]
    first, *rest = wrapped(lead + safe(one.message), width, 4)
    text = "".join(part.text for part in first)
    if not text.startswith(lead):  # too narrow even for that
        return [begun, *wrapped(safe(one.message), width, 4)]
    return [[*begun, Span(text.removeprefix(lead))], *rest]


def _sum(findings: Sequence[Finding], checked: int, plans: int) -> Line:
    over = f" over {counted(plans, 'plan')}" if plans > 1 else ""
    if not findings:
        return [Span(f"Nothing found: {counted(checked, 'check')} looked{over}.", "good")]
    parts = []
    for severity in SEVERITIES:
        count = sum(1 for one in findings if one.severity == severity)
        if count:
            parts.append(counted(count, severity))
    return [
        Span(f"{counted(len(findings), 'finding')}: ", "title"),
        Span(", ".join(parts)),
        Span(f" ({counted(checked, 'check')} looked{over})", "quiet"),
    ]


def list_lines(checks: dict[str, Check], width: int) -> list[Line]:
    """Return all checks as a table."""
    notes = {
        "events": "needs --events",
        "source": "needs --source",
        "probe": "needs --probe",
        "network": "needs --probe-network",
        "document": "looks at documents in other formats",
        "fault": "told while reading",
        "plan": "",
    }
    rows = [
        [span(code), span(one.severity, _STYLES[one.severity]), span(one.title), span(notes[one.needs], "quiet")]
        for code, one in checks.items()
    ]
    return table([Column("code"), Column("severity"), Column("what", least=24), Column("", least=12)], rows, width)


def page_lines(check: Check, page: str) -> list[Line | str]:
    """Return a check's page."""
    limits = [f"  --limit {check.code}.{name}=VALUE (now {value:g})" for name, value in check.limits.items()]
    return [
        [Span(check.code, "title"), Span(f"  {check.severity}", _STYLES[check.severity])],
        "",
        *page.splitlines(),
        *([""] if limits else []),
        *limits,
    ]
