"""Whether files stay as they are while they are read."""

from __future__ import annotations

from pathlib import Path

from vetrina.formats.inputs import Inputs
from vetrina.formats.opening import only_once
from vetrina.formats.pieces import changed
from vetrina.formats.remote import is_url


class Standing:
    """What the files of an input are like when the reading begins."""

    def __init__(self, inputs: Inputs) -> None:
        paths = {one.path: one.name for one in inputs.parts if not is_url(one.path) and not only_once(one.path)}
        self._names = {path: name for path, name in paths.items() if Path(path).exists()}
        self._were = {path: Path(path).stat() for path in self._names}

    def grown(self, *, apart: bool) -> list[tuple[str, int, int]]:
        """Return which files became longer, from how many bytes to how many.

        Raise Refused for one that was written anew, and where its parts were read ``apart`` for one that was replaced.
        """
        found = []
        for path, was in self._were.items():
            name = self._names[path]
            try:
                now = Path(path).stat()
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
