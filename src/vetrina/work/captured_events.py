"""What a capture collected: sections read back into events, merged by time, counted; masked where that is wanted."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path
from typing import IO

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import ErrorDetail
from vetrina.core.base.faults import Refused
from vetrina.core.base.hidden import MASK
from vetrina.core.base.levels import HIGHEST, Scale, Severities
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.order import in_order
from vetrina.core.templates.masking import Mask, masker
from vetrina.formats.inputs import InputFile
from vetrina.formats.sources import Layout, Source, SourceReader
from vetrina.views.documents.capture import CapturedError
from vetrina.views.documents.find import FoundEvents
from vetrina.views.json_text import json_line

ERROR = 17
_TOGETHER = 500
_BLOCK = 1 << 22
_AWAY = {0xDC80 + byte: 0x10F000 + byte for byte in range(128)}
_BACK = {there: here for here, there in _AWAY.items()}
"""Bytes that are no UTF-8 stand for a moment as characters that nobody uses: expressions take no others."""


class SectionFile(Struct):
    """A collected section: its file, and its layout where that is known."""

    name: str
    path: str
    file: Path
    size: int
    lost: list[str]
    layout: Layout | None
    no_events: str = ""
    notes: list[str] = []


class Merged(Struct):
    """What the sections hold: events by section, logger and level; lines that were none; the first error."""

    events: int = 0
    counts: dict[str, Counter[tuple[str, str]]] = {}
    unreadable: dict[str, int] = {}
    first_error: CapturedError | None = None


def merge(sections: list[SectionFile], scale: Scale, day: date, target: Path) -> Merged:
    """Write the events of all sections whose layout is known, merged by time; a section that cannot be read says why."""
    found = Merged()
    readers: list[tuple[SectionFile, SourceReader]] = []
    for one in sections:
        if one.layout is None or not one.size:
            continue
        source = Source(InputFile(str(one.file), one.name), replace(one.layout, day=day))
        try:
            source.layout.reader()  # type: ignore[union-attr]
        except Refused as refused:
            one.no_events = refused.faults[0].what
            continue
        readers.append((one, SourceReader(source, len(readers), scale)))
        found.counts[one.name] = Counter()
    _write(readers, scale, found, target)
    for one, reader in readers:
        found.unreadable[one.name] = reader.read.unreadable
    return found


def _write(readers: list[tuple[SectionFile, SourceReader]], scale: Scale, found: Merged, target: Path) -> None:
    names = [one.name for one, _ in readers]
    severities, records = Severities(scale), FoundEvents(names, scale)
    handle = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o600)
    with os.fdopen(handle, "wb") as out:
        streams = [reader.entries(None, every=True) for _, reader in readers]
        for entry in in_order(streams):
            name, severity = names[entry.source], severities[entry.event.level]
            found.events += 1
            found.counts[name][entry.event.logger or "root", scale.name(severity)] += 1
            if found.first_error is None and ERROR <= severity <= HIGHEST:
                found.first_error = _first(entry, name, scale.name(severity))
            out.write(json_line(records.records([entry])[0]).encode("utf-8", "surrogateescape"))


def _first(entry: Entry, name: str, level: str) -> CapturedError:
    event = entry.event
    error = event.error
    if isinstance(error, ErrorDetail):
        head = ": ".join(part for part in (error.type, error.message) if part)
        error = "\n".join(part for part in (head if not (error.stack or "").startswith(head) else "", error.stack) if part)
    time = event.time.isoformat(timespec="milliseconds")
    return CapturedError(name, entry.line, time, level, event.logger or "root", event.message, error or "")


def mask_files(files: list[Path], mask: Mask) -> int:
    """Mask what must be hidden in collected files, in place; return in how many places."""
    hide = masker(mask)
    return sum(_mask_file(path, hide) for path in files)


def _mask_file(path: Path, hide: Callable[[str], str]) -> int:
    """Mask a file by runs of lines; a private key of many lines is within one run as long as that is 4 MiB."""
    count = 0
    beside = path.with_name(f"{path.name}.masked")
    with path.open("rb") as source, beside.open("wb") as out:
        for block in _runs(source):
            text = block.decode("utf-8", "surrogateescape").translate(_AWAY)
            hidden = hide(text)
            count += max(0, hidden.count(MASK) - text.count(MASK))
            out.write(hidden.translate(_BACK).encode("utf-8", "surrogateescape"))
    beside.replace(path)
    return count


def _runs(source: IO[bytes]) -> Iterator[bytes]:
    left = b""
    while data := source.read(_BLOCK):
        left += data
        end = left.rfind(b"\n") + 1
        if b"-----BEGIN" in left and b"-----END" not in left[left.rfind(b"-----BEGIN") :] and len(left) < 4 * _BLOCK:
            continue
        if end:
            yield left[:end]
            left = left[end:]
    if left:
        yield left
