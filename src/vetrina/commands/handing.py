"""The page that several commands write: made of a plan in force, a recording, and a change that was asked about."""

from __future__ import annotations

import os
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from msgspec import Struct

from vetrina import __version__
from vetrina.commands import calling
from vetrina.core.changes.outcome import Outcome, verdict
from vetrina.core.checks import load
from vetrina.core.checks.runner import check
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.views import whatif as view
from vetrina.views.documents.page import Page
from vetrina.views.page.change import address_of
from vetrina.views.page.parts import Made, Making, TriedChange, made_page
from vetrina.views.screen import Width, plain
from vetrina.work.checking import circumstances
from vetrina.work.handing import window
from vetrina.work.recording import Recording


class Tried(Struct, frozen=True):
    """A change: its options, the plan with it, and what it does to the recording (None without one)."""

    words: tuple[str, ...]
    after: ResolvedPlan
    outcome: Outcome | None


class Written(Struct, frozen=True):
    """A page that was written."""

    document: Page
    left_out: tuple[str, ...]


def write_page(
    path: Path, found: ResolvedPlan, recording: Recording | None, title: str = "", tried: Tried | None = None
) -> Written:
    """Write the page of a plan in force; tell what is left out of it."""
    seen = window(found, calling.asked_text(found), recording)
    known = circumstances(found.plan, recording)
    findings = check(found, known)
    ran = sum(one.needs in known.needs() for one in load().values())
    change = _change(found, tried)
    made = made_page(seen, findings, Making(_now(), __version__, ran, title), change)
    calling.write_file(path, made.text)
    return Written(_document(path, made, found, recording, len(findings), change), made.left_out)


def _now() -> datetime:
    """Return the time at which the page is made; SOURCE_DATE_EPOCH, as reproducible builds have it, stands in for the clock."""
    given = os.environ.get("SOURCE_DATE_EPOCH", "")
    return datetime.fromtimestamp(int(given), tz=UTC) if given.isdigit() and len(given) <= 11 else datetime.now(tz=UTC)


def tell(written: Written) -> None:
    """Tell on standard error what was written, and what is not in it."""
    calling.remark([f"written: {written.document.file}", *(f"left out of the page: {one}" for one in written.left_out)])


def _change(found: ResolvedPlan, tried: Tried | None) -> TriedChange | None:
    if tried is None:
        return None
    outcome = tried.outcome
    sentences: Sequence[str] = ()
    lines: tuple[str, ...] = ()
    estimates = outcome is not None and (outcome.effects.foreseen is not None or outcome.effects.streamed > 0)
    if outcome is not None:
        sentences = verdict(outcome)
        told = view.outcome_lines([outcome], (), found, [tried.after], Width(110, whole=True), "")
        lines = tuple(plain(calling.without_secrets(told, found.plan)).splitlines())
    return TriedChange(" ".join(tried.words), tuple(sentences), lines, address_of(found, tried.after), estimates)


def _document(
    path: Path, made: Made, found: ResolvedPlan, recording: Recording | None, findings: int, change: TriedChange | None
) -> Page:
    return Page(
        str(path),
        path.stat().st_size,
        len(found.plan.loggers),
        len(found.plan.appenders),
        made.events,
        recording.unreadable if recording is not None else 0,
        findings,
        change.words if change is not None else None,
        change.tried if change is not None else False,
        list(made.left_out),
    )
