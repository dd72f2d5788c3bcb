"""What a survey of source code did not look at, told."""

from __future__ import annotations

from vetrina.commands import calling
from vetrina.work.surveying import Surveyed

_SHOWN = 20


def tell_skipped(survey: Surveyed) -> None:
    """Tell on standard error what was not looked at, and why: the first few, and how many there are."""
    for one in survey.skipped[:_SHOWN]:
        calling.remark([f"{one.place.file}:{one.place.line}:{one.place.column}: skipped: {one.why}"])
    if len(survey.skipped) > _SHOWN:
        calling.remark([f"… and {len(survey.skipped) - _SHOWN} more that were skipped"])
