"""The files that a plan's appenders have on this disk, looked at: how big, from when to when."""

from __future__ import annotations

import io
import os
from collections.abc import Sequence
from contextlib import suppress
from datetime import datetime

from vetrina.core.base.events import Event
from vetrina.core.base.faults import Refused
from vetrina.core.rolling.codecs import ERRORS
from vetrina.formats.inputs import open_one
from vetrina.formats.sources import Layout
from vetrina.views.documents.find import FileThere
from vetrina.work.sources import OnDisk, Written

_ENDS = 1 << 18


def standing_files(found: Sequence[OnDisk], written: Written) -> list[FileThere]:
    """Return what the files are like. Times are those of the first and the last event that can be read at their ends."""
    files = []
    for one in found:
        assert written.plan is not None  # noqa: S101  (there are files of a plan only)
        layout = written.layout(written.plan.appenders[one.appender])
        begun, ended = _ends(one.path)
        first, last = _times(begun, layout, one.path), _times(ended, layout, one.path)
        files.append(FileThere(one.appender, one.path, _size(one.path), first[0], last[1]))
    return files


def _size(path: str) -> int:
    try:
        return os.stat(path).st_size  # noqa: PTH116  (names as the system has them)
    except OSError:
        return 0


def _ends(path: str) -> tuple[bytes, bytes]:
    """Return some bytes from the beginning of a file, and from its end from the beginning of a line on."""
    with suppress(Refused, OSError, EOFError, ValueError, *ERRORS), open_one(path) as file:
        begun = _filled(file.read, _ENDS)
        if not hasattr(file, "tell"):
            return begun, _last(begun, file.read)
        size = file.seek(0, io.SEEK_END)
        if size <= _ENDS:
            return begun, begun
        file.seek(size - _ENDS)
        return begun, _from_a_line(file.read())
    return b"", b""


def _filled(read: object, size: int) -> bytes:
    found = b""
    while len(found) < size and (block := read(size - len(found))):  # type: ignore[operator]
        found += block
    return found


def _last(begun: bytes, read: object) -> bytes:
    """Return what stands at the end of a stream."""
    kept, whole = begun, True
    while block := read(_ENDS):  # type: ignore[operator]
        kept = kept + block
        if len(kept) > 2 * _ENDS:
            kept, whole = kept[-_ENDS:], False
    return kept if whole else _from_a_line(kept)


def _from_a_line(data: bytes) -> bytes:
    return data[data.find(b"\n") + 1 :]


def _times(data: bytes, layout: Layout, name: str) -> tuple[datetime | None, datetime | None]:
    """Return the times of the first and of the last event in some lines."""
    events: list[Event] = []
    with suppress(Refused):
        for event in layout.reader().read(io.BytesIO(data), name):
            events = [*events[:1], event]
    return (events[0].time, events[-1].time) if events else (None, None)
