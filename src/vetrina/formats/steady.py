"""Whether files stay as they are while they are read."""

from __future__ import annotations

import os
import stat

from vetrina.formats.inputs import Inputs
from vetrina.formats.pieces import changed


class Standing:
    """What the files of an input are like when the reading begins."""

    def __init__(self, inputs: Inputs) -> None:
        self._names = {one.path: one.name for one in inputs.parts}
        self._were = {path: found for path in self._names if (found := _regular(path)) is not None}

    def grown(self, *, apart: bool) -> list[tuple[str, int, int]]:
        """Return which files became longer, from how many bytes to how many.

        Raise Refused for one that was written anew, and where its parts were read ``apart`` for one that was replaced.
        """
        found = []
        for path, was in self._were.items():
            name = self._names[path]
            try:
                now = os.stat(path)  # noqa: PTH116  (of thousands of files)
            except OSError:
                if apart:
                    raise changed(name, "it is gone") from None
                continue
            if (now.st_ino, now.st_dev) != (was.st_ino, was.st_dev):
                if apart:
                    raise changed(name, "another one took its place")
            elif now.st_size < was.st_size:
                raise changed(name, "it became shorter")
            elif now.st_size > was.st_size:
                found.append((name, was.st_size, now.st_size))
            elif now.st_mtime_ns != was.st_mtime_ns:
                raise changed(name, "it was written anew")
        return found


def _regular(path: str) -> os.stat_result | None:
    """Return what a regular file is like, None for anything else."""
    try:
        found = os.stat(path)  # noqa: PTH116  (of thousands of files)
    except (OSError, ValueError):
        return None
    return found if stat.S_ISREG(found.st_mode) else None
