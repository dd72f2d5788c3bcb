"""The page that several commands write."""

from __future__ import annotations

from pathlib import Path

from vetrina.commands import calling
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.views.documents.page import Page
from vetrina.work.handing import Handed, Tried, handed
from vetrina.work.recording import Recording


def write_page(
    path: Path, found: ResolvedPlan, recording: Recording | None, title: str = "", tried: Tried | None = None
) -> Page:
    """Write the page of a plan in force; return what was written, and what had to be left out of it."""
    made = handed(found, recording, title, tried)
    calling.write_file(path, made.page.text)
    return _document(path, made, found, 0 if recording is None else recording.unreadable)


def tell(written: Page) -> None:
    """Tell on standard error what was written, and what is not in it."""
    calling.remark([f"written: {written.file}", *(f"left out of the page: {one}" for one in written.left_out)])


def _document(path: Path, made: Handed, found: ResolvedPlan, unreadable: int) -> Page:
    change = made.change
    return Page(
        str(path),
        path.stat().st_size,
        len(found.plan.loggers),
        len(found.plan.appenders),
        made.page.events,
        unreadable,
        len(made.findings),
        None if change is None else change.words,
        change is not None and change.tried,
        list(made.page.left_out),
    )
