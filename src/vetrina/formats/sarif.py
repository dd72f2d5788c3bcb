"""Findings as SARIF 2.1.0 (OASIS), for code scanners and review tools."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any
from urllib.parse import quote

from vetrina.core.base.faults import Fault, Place
from vetrina.core.checks.context import Check
from vetrina.core.checks.runner import Finding

_LEVELS = {"error": "error", "warning": "warning", "hint": "note"}
SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def sarif(
    findings: Sequence[Finding],
    checks: dict[str, Check],
    pages: dict[str, str],
    unreadable: Sequence[Fault] = (),
    *,
    version: str,
) -> dict[str, Any]:
    """Return the log of one run, with a rule for every check that found something.

    ``unreadable`` is why a plan could not be read at all: the run was then not successful.
    """
    codes = sorted({one.code for one in findings})
    return {
        "$schema": SCHEMA,
        "version": "2.1.0",
        "runs": [
            {
                "tool": {
                    "driver": {
                        "name": "vetrina",
                        "version": version,
                        "semanticVersion": version,
                        "rules": [_rule(code, checks.get(code), pages.get(code, "")) for code in codes],
                    }
                },
                "invocations": [
                    {
                        "executionSuccessful": not unreadable,
                        **({"toolExecutionNotifications": [_notification(one) for one in unreadable]} if unreadable else {}),
                    }
                ],
                "columnKind": "unicodeCodePoints",
                "results": [_result(one, codes) for one in findings],
            }
        ],
    }


def _notification(one: Fault) -> dict[str, Any]:
    """Return why a plan could not be read."""
    text = one.what + (f": {one.where}" if one.where else "") + (f". {one.why}" if one.why else "")
    found: dict[str, Any] = {"level": "error", "message": {"text": text}, "descriptor": {"id": one.code}}
    if one.place is not None:
        found["locations"] = [{"physicalLocation": _location(one.place, "")}]
    return found


def _rule(code: str, check: Check | None, page: str) -> dict[str, Any]:
    title = check.title if check else "a fault of the plan"
    rule: dict[str, Any] = {
        "id": code,
        "shortDescription": {"text": title},
        "defaultConfiguration": {"level": _LEVELS[check.severity] if check else "error"},
    }
    if page:
        rule["help"] = {"text": page}
    return rule


def _result(one: Finding, codes: list[str]) -> dict[str, Any]:
    text = one.message + (f". {one.why}" if one.why else "") + (f". Remedy: {one.remedy}" if one.remedy else "")
    found: dict[str, Any] = {
        "ruleId": one.code,
        "ruleIndex": codes.index(one.code),
        "level": _LEVELS[one.severity],
        "message": {"text": text},
        "properties": {"subject": one.subject, "stages": list(one.stages)},
    }
    if one.place is not None:
        found["locations"] = [{"physicalLocation": _location(one.place, one.swap[0] if one.swap else "")}]
        if one.swap:
            old, new = one.swap
            region = _location(one.place, old)["region"]
            change = {
                "artifactLocation": {"uri": _uri(one.place)},
                "replacements": [{"deletedRegion": region, "insertedContent": {"text": new}}],
            }
            found["fixes"] = [{"description": {"text": f'write "{new}"'}, "artifactChanges": [change]}]
    if one.related:
        found["relatedLocations"] = list(_related(one.related))
    return found


def _related(related: Iterable[tuple[Place, str]]) -> Iterable[dict[str, Any]]:
    for number, (place, words) in enumerate(related):
        yield {"id": number, "physicalLocation": _location(place, ""), "message": {"text": words}}


def _location(place: Place, text: str) -> dict[str, Any]:
    region: dict[str, Any] = {"startLine": place.line, "startColumn": place.column}
    if text:
        region |= {"endLine": place.line, "endColumn": place.column + len(text)}
    return {"artifactLocation": {"uri": _uri(place)}, "region": region}


def _uri(place: Place) -> str:
    path = place.file.replace("\\", "/")
    return ("file://" if path.startswith("/") else "") + quote(path, errors="surrogateescape")
