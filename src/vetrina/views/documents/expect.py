"""`expect --json`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
from msgspec import Struct

from vetrina.core.changes.expecting import Verdict


class CaseFailure(Struct):
    """One way in which a case does not hold; `remedy` is the nearest change that would let the event arrive."""

    stage: str | None
    event: dict[str, Any]
    what: str
    why: str
    remedy: str


class CaseVerdict(Struct):
    """One case; `tried` counts its events over all its stages."""

    say: str
    file: str
    line: int
    holds: bool
    tried: int
    failures: list[CaseFailure]


class Expect(Struct):
    """`expect --json`."""

    cases: list[CaseVerdict]
    failed: int


def document(verdicts: Sequence[Verdict]) -> Expect:
    """Return the verdicts as a document."""
    return Expect([_case(one) for one in verdicts], sum(bool(one.failures) for one in verdicts))


def _case(one: Verdict) -> CaseVerdict:
    failures = [
        CaseFailure(failure.stage or None, msgspec.to_builtins(failure.event), failure.what, failure.why, failure.remedy)
        for failure in one.failures
    ]
    place = one.case.place
    return CaseVerdict(one.case.say, place.file, place.line, not one.failures, one.tried, failures)
