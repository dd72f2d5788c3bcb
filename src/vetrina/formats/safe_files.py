"""Files written so that a reader, or a crash, finds the old whole or the new whole: beside, to the disk, renamed."""

from __future__ import annotations

import glob
import os
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from vetrina.core.faults import Refused, refuse


def replace_file(path: Path, data: bytes, *, like: Path | None = None) -> None:
    """Put ``data`` in the place of a file, which keeps its mode and owner; raise Refused with what is in the way.

    A symbolic link keeps pointing where it does. ``like`` names the file whose mode and owner a new file takes.
    """
    target = Path(os.path.realpath(path))
    model = target if target.exists() else like
    if target.exists() and not os.access(target, os.W_OK):
        raise refuse(
            "the file may not be written",
            "its permissions are in the way",
            "change them, or name another file",
            where=str(path),
        )
    beside = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{target.name[:100]}.", suffix=".new", dir=target.parent)
        beside = Path(name)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            if model is not None:
                _take_after(file.fileno(), model)
            os.fsync(file.fileno())
        beside.replace(target)
        _sync_folder(target.parent)
    except OSError as error:
        if beside is not None:
            with suppress(OSError):
                beside.unlink()
        raise cannot_write(path, error) from None


def sweep(path: Path) -> None:
    """Remove what a killed writer of this file left beside it; call it with the folder locked."""
    target = Path(os.path.realpath(path))
    for left in target.parent.glob(f".{glob.escape(target.name[:100])}.*.new"):
        with suppress(OSError):
            left.unlink()


def cannot_write(path: Path, error: OSError) -> Refused:
    """Return the refusal for a file that cannot be written."""
    return refuse(
        f"cannot be written: {error.strerror or error}", fix="check the folder, its permissions and the disk", where=str(path)
    )


def remove_file(path: Path) -> None:
    """Remove a file, to the disk."""
    try:
        path.unlink(missing_ok=True)
        _sync_folder(path.parent)
    except OSError as error:
        raise cannot_write(path, error) from None


def _take_after(handle: int, model: Path) -> None:
    status = model.stat()
    os.fchmod(handle, stat.S_IMODE(status.st_mode))
    if (status.st_uid, status.st_gid) != (os.geteuid(), os.getegid()):
        with suppress(PermissionError):  # another user's file keeps its content and mode; only its owner can give it away
            os.fchown(handle, status.st_uid, status.st_gid)


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


@contextmanager
def locked(folder: Path) -> Iterator[None]:
    """Hold a folder's lock; raise Refused when another writer holds it. A killed holder leaves none behind."""
    import fcntl  # noqa: PLC0415  (not everywhere, and only for writers)

    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError as error:
        raise cannot_write(folder, error) from None
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise refuse(
                "another command is writing here", fix="wait until it has ended, then call again", where=str(folder)
            ) from None
        yield
    finally:
        os.close(handle)
