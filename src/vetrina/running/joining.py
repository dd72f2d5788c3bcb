"""A section's parts put together into one file, in order."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

from vetrina.running.copies import Section
from vetrina.running.pieces import TELLING, Piece


def joined(section: Section, folder: Path, target: Path) -> int:
    """Put a section's parts together into one file, in order; return its bytes."""
    size = 0
    handle = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o600)
    skipping, first = _moved_heading(section)
    with os.fdopen(handle, "wb") as out:
        for piece in section.pieces:
            if piece is first:
                size += out.write(piece.head[: piece.start])
            with suppress(FileNotFoundError), (folder / piece.part).open("rb") as part:
                part.seek(0 if piece is not skipping or first is None else first.start)
                while data := part.read(1 << 20):
                    size += out.write(data)
    return size


def _moved_heading(section: Section) -> tuple[Piece | None, Piece | None]:
    """Return the rolled file in which now stands what stood in the open one at the start, and the open one; nothing where it stayed.

    A heading that every file begins with tells nothing: only that an older rolled file came to light shows that the open
    one was copied and emptied, and begins anew.
    """
    first = next((one for one in section.pieces if one.first), None)
    if first is None or not 0 < first.start < TELLING:
        return None, None
    before = section.pieces[: section.pieces.index(first)]
    moved = next((one for one in before if not one.start and one.head.startswith(first.head[: first.start])), None)
    return (None, None) if moved is None else (moved, first)
