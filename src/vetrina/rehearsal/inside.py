"""Files below one folder, reached step by step from its descriptor: no link is followed, whenever it was put there."""

from __future__ import annotations

import errno
import os
from collections import OrderedDict
from pathlib import Path

from vetrina.core.base.faults import Refused, refuse

_FOLDER = os.O_RDONLY | sum(
    getattr(os, name, 0) for name in ("O_DIRECTORY", "O_NOFOLLOW", "O_CLOEXEC")
)  # as the system has them
_KEPT = 64


class Inside:
    """A folder and what is below it. Paths given are those of the folder itself and below it."""

    def __init__(self, folder: Path) -> None:
        self.folder = Path(os.path.realpath(folder))
        self._known: OrderedDict[Path, int] = OrderedDict()
        self._root = -1
        self._root = os.open(self.folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)

    def __del__(self) -> None:
        """Give the descriptors back."""
        for handle in (*self._known.values(), self._root):
            if handle >= 0:  # the folder itself may not have been opened
                os.close(handle)

    def make(self, folder: Path) -> int:
        """Make a folder and those above it where they are not there; return its descriptor, which stays ours."""
        known = self._known.get(folder)
        if known is not None:
            self._known.move_to_end(folder)
            return known
        handle = os.dup(self._root)
        here = self.folder
        for name in folder.relative_to(self.folder).parts:
            here = here / name
            try:
                below = _step(handle, name)
            except OSError as error:
                raise _no_folder(error, here) from None
            finally:
                os.close(handle)
            handle = below
        self._known[folder] = handle
        if len(self._known) > _KEPT:
            os.close(self._known.popitem(last=False)[1])
        return handle

    def open(self, target: Path, flags: int) -> int:
        """Open a file; raise OSError for a link and for what else the system says."""
        return os.open(target.name, flags | os.O_NOFOLLOW | os.O_CLOEXEC, 0o644, dir_fd=self.make(target.parent))

    def exists(self, target: Path) -> bool:
        """Tell whether there is something of this name, a link too."""
        try:
            os.stat(target.name, dir_fd=self.make(target.parent), follow_symlinks=False)
        except FileNotFoundError:
            return False
        return True

    def size(self, target: Path) -> int:
        """Return a file's bytes."""
        return os.stat(target.name, dir_fd=self.make(target.parent), follow_symlinks=False).st_size

    def move(self, source: Path, target: Path) -> None:
        """Rename a file, over another one where there is one."""
        below = self.make(target.parent)
        os.replace(source.name, target.name, src_dir_fd=self.make(source.parent), dst_dir_fd=below)

    def remove(self, target: Path) -> None:
        """Remove a file."""
        os.unlink(target.name, dir_fd=self.make(target.parent))


def _step(handle: int, name: str) -> int:
    """Return the descriptor of a folder in a folder, made where it is not there."""
    try:
        return os.open(name, _FOLDER, dir_fd=handle)
    except FileNotFoundError:
        os.mkdir(name, dir_fd=handle)
        return os.open(name, _FOLDER, dir_fd=handle)


def _no_folder(error: OSError, here: Path) -> Refused:
    if error.errno == errno.ELOOP or (error.errno == errno.ENOTDIR and here.is_symlink()):
        return refuse("a link stands where a folder is needed", "it could lead out of the folder", "remove it", where=str(here))
    if error.errno in {errno.ENOTDIR, errno.EEXIST}:
        return refuse(
            "a file stands where a folder is needed", fix="look at the plan's paths: one is inside another", where=str(here)
        )
    return refuse(f"cannot be made: {error.strerror}", fix="look at the folder's permissions and room", where=str(here))
