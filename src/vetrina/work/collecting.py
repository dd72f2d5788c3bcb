"""What a capture leaves: sections, events, levels, the report; also of one that was cut off."""

from __future__ import annotations

import os
import zipfile
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from vetrina.core.base import clocks
from vetrina.core.base.hidden import shown
from vetrina.core.base.levels import Scale
from vetrina.core.services.levels_now import rows
from vetrina.core.templates.masking import Mask, masker
from vetrina.running.changing import now_text
from vetrina.running.joining import joined
from vetrina.running.logs_followed import Logs, logs_known
from vetrina.running.opening import Known
from vetrina.views import capture as view
from vetrina.views.documents import capture as documents
from vetrina.views.documents.live import LiveLevel, levels
from vetrina.views.json_text import json_text
from vetrina.work.capture_state import CaptureState, Levels, forget, parts_folder, save
from vetrina.work.captured_events import Merged, SectionFile, mask_files, merge

Say = Callable[[str], None]


def resumed(known: Known, into: Path, state: CaptureState, say: Say) -> None:
    """Take the rest of the logs of a capture that was cut off, from where it had come to."""
    logs = Logs(logs_known(known), parts_folder(into))
    logs.resume(state.followed)
    state.followed = logs.followed
    logs.finish()
    state.ended = state.ended or now_text()
    text = "this capture was cut off, and collected afterwards: its sections go on to the time of collecting"
    state.problems.append(text)
    say(text)
    save(into, state)


def collect(known: Known, into: Path, state: CaptureState, say: Say, *, zip_: bool) -> documents.Capture:
    """Write all that a capture leaves into its folder; return its document. What cannot be written is a problem in it."""
    sections = _sections(known, into, state)
    masked = _masked(known, sections, state)
    merged = _merged(known, into, sections, state)
    _forgotten(into, state)
    hide = masker(Mask() if known.plan is None else known.plan.mask)
    found = documents.document(
        state, known.service.name, known.service.address, sections, merged, masked, _levels_of(known, state)
    )
    found.asked.command = list(map(hide, found.asked.command))  # what is typed there may be secret
    if zip_:
        found.zip = str(into.with_name(f"{into.name}.zip"))
    try:
        _write(into / "levels.json", json_text(documents.LevelsFile(**_levels_of(known, state))) + "\n")
        _write(into / "capture.json", documents.text(found))
        _write(into / "capture.md", shown(view.markdown(found)))
        if zip_:
            _zip(into, Path(found.zip or ""))
        forget(into)
    except OSError as error:
        found.problems.append(
            f"the report could not be written: {error.strerror or error}; vetrina capture --collect {into} collects again"
        )
        found.exit = 1
        say(found.problems[-1])
    return found


def _sections(known: Known, into: Path, state: CaptureState) -> list[SectionFile]:
    logs = logs_known(known)
    folder = into / "sections"
    found = []
    try:
        folder.mkdir(mode=0o700, exist_ok=True)
        for one in state.followed:
            section = one.section
            target = folder / f"{section.name}.log"
            size = joined(section, parts_folder(into), target)
            found.append(
                SectionFile(section.name, section.path, target, size, section.lost, logs[one.log].layout, notes=section.notes)
            )
            state.problems += [text for text in section.lost if text not in state.problems]
    except OSError as error:
        state.problems.append(f"the sections could not be written: {error.strerror or error}")
    return found


def _masked(known: Known, sections: list[SectionFile], state: CaptureState) -> int | None:
    if not state.asked.mask:
        return None
    mask = Mask() if known.plan is None else known.plan.mask
    try:
        return mask_files([one.file for one in sections], mask)
    except OSError as error:
        state.problems.append(f"the sections could not be masked: {error.strerror or error}")
        return None


def _merged(known: Known, into: Path, sections: list[SectionFile], state: CaptureState) -> Merged:
    plan = known.plan
    zone = clocks.zone("UTC" if plan is None else plan.zone)
    day = datetime.fromisoformat(state.started).astimezone(zone).date()
    try:
        return merge(sections, Scale() if plan is None else plan.scale, day, into / "events.jsonl")
    except OSError as error:
        state.problems.append(f"the events could not be written: {error.strerror or error}")
        return Merged()


def _levels_of(known: Known, state: CaptureState) -> dict[str, list[LiveLevel] | None]:
    def made(some: Levels | None) -> list[LiveLevel] | None:
        return None if some is None else levels(rows(some, known.plan, known.words), known.words)

    return {"before": made(state.before), "during": made(state.during), "after": made(state.after)}


def _forgotten(into: Path, state: CaptureState) -> None:
    state.steps.append(documents.CaptureStep(now_text(), "collected"))
    with suppress(OSError):
        save(into, state)


def _write(path: Path, text: str) -> None:
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8", errors="backslashreplace") as file:
        file.write(text)


def _zip(into: Path, target: Path) -> None:
    """Pack a capture's folder into one file beside it; one that is there is not written over."""
    with zipfile.ZipFile(target, "x", zipfile.ZIP_DEFLATED) as archive:
        for path in sorted(into.rglob("*")):
            if path.is_file() and ".capture" not in path.relative_to(into).parts:
                archive.write(path, f"{into.name}/{path.relative_to(into)}")
