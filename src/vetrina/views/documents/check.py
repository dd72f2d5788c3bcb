"""`check --json`: findings; the checks themselves."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

from msgspec import Struct

from vetrina.core.checks.context import Check
from vetrina.core.checks.runner import Finding
from vetrina.views.documents.shared import spot


class FindingEntry(Struct):
    """One finding; `edit` is a ready option that mends it, `stages` those under which alone it holds."""

    code: str
    severity: Literal["error", "warning", "hint"]
    message: str
    why: str
    remedy: str
    file: str | None
    line: int | None
    column: int | None
    subject: str
    edit: str
    stages: list[str]


class CheckResult(Struct):
    """`check --json`."""

    findings: list[FindingEntry]


class CheckPage(Struct):
    """One check, as `check --explain CODE --json` prints it; `needs` is what it looks at besides the plan."""

    code: str
    severity: Literal["error", "warning", "hint"]
    title: str
    needs: Literal["plan", "events", "source", "probe", "network", "document", "fault"]
    limits: dict[str, float]
    page: str


class CheckList(Struct):
    """`check --list --json`."""

    checks: list[CheckPage]


def document(findings: Sequence[Finding]) -> CheckResult:
    """Return the findings as a document."""
    return CheckResult(
        [
            FindingEntry(
                one.code,
                one.severity,
                one.message,
                one.why,
                one.remedy,
                *spot(one.place),
                one.subject,
                one.edit,
                list(one.stages),
            )
            for one in findings
        ]
    )


def page_document(check: Check, page: str) -> CheckPage:
    """Return one check with its page as a document."""
    return CheckPage(check.code, check.severity, check.title, check.needs, dict(check.limits), page)


def list_document(checks: Iterable[tuple[Check, str]]) -> CheckList:
    """Return all checks with their pages as a document."""
    return CheckList([page_document(one, page) for one, page in checks])
