"""Files written so that a reader, or a crash, finds the old whole or the new whole: beside, to the disk, renamed."""

from __future__ import annotations

import errno
import glob
import os
import stat
import tempfile
import time
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager, suppress
from pathlib import Path
from typing import IO

from vetrina.core.base.faults import Refused, refuse


def replace_file(
    path: Path, data: bytes, *, like: Path | None = None, was: bytes | None = None, writable: bool = False
) -> None:
    """Put ``data`` in the place of a file, which keeps its mode and owner; raise Refused with what is in the way.

    A symbolic link keeps pointing where it does; of several hard links this one alone gets the new text. ``like`` names
    the file whose mode and owner a new file takes, ``writable`` lets its owner write it whatever that mode is. With
    ``was`` the file must still hold just that: an edit made meanwhile is not lost.
    """
    target = Path(os.path.realpath(path))
    if target.exists() and not target.is_file():
        raise refuse("this is no file, and only files are replaced", fix="name a file", where=str(path))
    model = target if target.exists() else like
    refuse_unwritable(path)
    beside = None
    try:
        handle, name = tempfile.mkstemp(prefix=_BESIDE.format(target.name[:100]), suffix=".new", dir=target.parent)
        beside = Path(name)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            if model is not None:
                _take_after(file.fileno(), model)
            if writable:
                os.fchmod(file.fileno(), stat.S_IMODE(os.fstat(file.fileno()).st_mode) | stat.S_IWUSR | stat.S_IRUSR)
            os.fsync(file.fileno())
        if was is not None and target.read_bytes() != was:
            beside.unlink()
            raise refuse(
                "the file has been edited meanwhile",
                "what was read is not what is there now; nothing was written",
                "call again",
                where=str(path),
            )
        beside.replace(target)
        sync_folder(target.parent)
    except OSError as error:
        if beside is not None:
            with suppress(OSError):
                beside.unlink()
        raise cannot_write(path, error) from None


@contextmanager
def replacing(path: Path) -> Iterator[IO[bytes]]:
    """Yield a file to write into that takes the place of ``path`` when all is well; raise Refused with what is in the way.

    A device or a pipe stays what it is, and is written to.
    """
    target = Path(os.path.realpath(path))
    if target.is_dir():
        raise refuse("this is a folder", fix="name a file in it", where=str(path))
    refuse_unwritable(path)
    if target.exists() and not target.is_file():
        try:
            with os.fdopen(_opened_node(target), "wb") as file:
                yield file
        except OSError as error:
            raise cannot_write(path, error) from None
        return
    try:
        handle, name = tempfile.mkstemp(prefix=_BESIDE.format(target.name[:100]), suffix=".new", dir=target.parent)
    except (OSError, ValueError) as error:
        raise cannot_write(path, error) from None
    beside = Path(name)
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
            if target.exists():
                _take_after(file.fileno(), target)
            else:
                mask = os.umask(0)
                os.umask(mask)
                os.fchmod(file.fileno(), 0o666 & ~mask)
        beside.replace(target)
    except OSError as error:
        raise cannot_write(path, error) from None
    finally:
        with suppress(OSError):
            beside.unlink(missing_ok=True)


def _opened_node(target: Path) -> int:
    """Open a device or a pipe for writing; a pipe has a few seconds for its reader to come."""
    until = time.monotonic() + _READER
    while True:
        try:
            handle = os.open(target, os.O_WRONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        except OSError as error:
            if error.errno != errno.ENXIO or time.monotonic() > until:
                raise
            time.sleep(0.05)
            continue
        os.set_blocking(handle, True)
        return handle


_READER = 5.0
_BESIDE = ".{}.vetrina-"
"""What the name of a file begins with that is written beside another one."""


def refuse_unwritable(path: Path) -> None:
    """Raise Refused for a file that is there and may not be written."""
    target = Path(os.path.realpath(path))
    if target.exists() and not os.access(target, os.W_OK):
        raise refuse(
            "the file may not be written",
            "its permissions are in the way",
            "change them, or name another file",
            where=str(path),
        )


def sweep(path: Path) -> None:
    """Remove what a killed writer of this file left beside it; call it with the folder locked."""
    target = Path(os.path.realpath(path))
    for left in target.parent.glob(f"{glob.escape(_BESIDE.format(target.name[:100]))}????????.new"):
        with suppress(OSError):
            left.unlink()


def cannot_write(path: Path, error: OSError | ValueError) -> Refused:
    """Return the refusal for a file that cannot be written."""
    return refuse(
        f"cannot be written: {getattr(error, 'strerror', '') or error}",
        fix="check the folder, its permissions and the disk",
        where=str(path),
    )


def remove_file(path: Path) -> None:
    """Remove a file, to the disk."""
    try:
        path.unlink(missing_ok=True)
        sync_folder(path.parent)
    except OSError as error:
        raise cannot_write(path, error) from None


def _take_after(handle: int, model: Path) -> None:
    status = model.stat()
    os.fchmod(handle, stat.S_IMODE(status.st_mode))
    if (status.st_uid, status.st_gid) != (os.geteuid(), os.getegid()):
        with suppress(PermissionError):  # another user's file keeps its content and mode; only its owner can give it away
            os.fchown(handle, status.st_uid, status.st_gid)


def sync_folder(folder: Path) -> None:
    """Have the names in a folder written to the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


_PATIENCE = 5.0
_PAUSE = 0.02


def locked_files(plan: Path, *others: Path) -> AbstractContextManager[None]:
    """Hold the locks of a plan's folder, and of the folders in which it and other files really are (`locked`)."""
    return locked(plan.absolute().parent, *(Path(os.path.realpath(path)).parent for path in (plan, *others)))


@contextmanager
def locked(*folders: Path) -> Iterator[None]:
    """Hold the locks of the folders in which files are written; wait shortly for another writer, then raise Refused.

    A folder is what it really is (links are followed), and named twice it is locked once; all writers take their locks in one
    order, so that none waits for another for ever. A killed holder leaves no lock behind.
    """
    import fcntl  # noqa: PLC0415  (not everywhere, and only for writers)

    handles: dict[tuple[int, int], tuple[int, Path]] = {}
    try:
        for folder in folders:
            real = Path(os.path.realpath(folder))
            try:
                handle = os.open(real, os.O_RDONLY)
            except OSError as error:
                raise cannot_write(folder, error) from None
            status = os.fstat(handle)
            other = handles.setdefault((status.st_dev, status.st_ino), (handle, folder))
            if other[0] != handle:
                os.close(handle)
        until = time.monotonic() + _PATIENCE
        for _, (handle, folder) in sorted(handles.items()):
            while True:
                try:
                    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    break
                except BlockingIOError:
                    if time.monotonic() > until:
                        why = _holder(handle)
                        raise refuse(
                            "another command is writing here",
                            why,
                            "wait until it has ended, then call again",
                            where=str(folder),
                        ) from None
                    time.sleep(_PAUSE)
        yield
    finally:
        for handle, _ in handles.values():
            os.close(handle)


def _holder(handle: int) -> str:
    """Return who holds the lock of an open folder, as far as this system tells."""
    inode = str(os.fstat(handle).st_ino)
    try:
        for line in Path("/proc/locks").read_text(encoding="ascii").splitlines():
            words = line.split()
            if len(words) > 5 and words[1] == "FLOCK" and words[5].rpartition(":")[2] == inode:
                command = (
                    Path(f"/proc/{int(words[4])}/cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace").strip()
                )
                return f"process {words[4]} holds it: {command[:120]}"
    except (OSError, ValueError):
        pass
    return ""
