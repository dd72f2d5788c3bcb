"""The folder of a rehearsal: everything is written below it, whatever a plan says; limits, and a disk that fills up.

A path of the plan is re-rooted: made absolute and plain, its parts made harmless, and put below the folder. Folders are
made one by one and never followed through a link.
"""

from __future__ import annotations

import errno
import hashlib
import json
import os
import posixpath
import re
import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import IO, Any

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.sink_kinds import KINDS
from vetrina.rehearsal.inside import Inside

MARKER = ".vetrina-rehearsal"
OWN = (*dict.fromkeys(kind.traits.folder for kind in KINDS.values() if kind.traits.folder), "removed", "received")
LONGEST_PART = 180
MOST_SENT = 1_000_000
_ODD = re.compile(r'[\x00-\x1f\x7f\\:*?"<>|]|[^\x00-\U0010ffff]')


_LIKE_OURS = re.compile(r"-[0-9a-f]{8}\Z")


class LimitReached(VetrinaError):
    """The rehearsal has written as much, or as many files, as it may; ``fix`` says what lets it write more."""

    def __init__(self, what: str, fix: str) -> None:
        super().__init__(what)
        self.fix = fix


class DiskFull(VetrinaError):
    """The rehearsed disk has no room for this write; ``events`` are those of the group that were not written (0: all).

    ``left`` are the writes that had no room: whose, the bytes, how many times.
    """

    def __init__(self, events: int = 0, left: Sequence[tuple[int, bytes, int]] = ()) -> None:
        super().__init__()
        self.events, self.left = events, left


class Sandbox:
    """A folder that holds one rehearsal; ``used`` are the bytes that stand on its rehearsed disk."""

    def __init__(self, folder: Path, *, most_bytes: int, most_files: int, disk: int | None = None) -> None:
        self.inside = Inside(folder)
        self.folder = self.inside.folder
        self.most_bytes, self.most_files, self.disk = most_bytes, most_files, disk
        self.written = 0
        self.files = 0
        self.used = 0
        self.sent = 0
        self.mapping: dict[str, str] = {}

    def place(self, part: str, path: str) -> Path:
        """Return where a path of the plan stands below ``part`` of the folder; the folders above it are made."""
        return self.own(part, rerooted(path), path)

    def own(self, part: str, name: str, path: str = "") -> Path:
        """Return where a file of ours stands, whose ``name`` is harmless already (`as_part`)."""
        target = self.folder / part / name
        self.mapping.setdefault(path or name, f"{part}/{name}")
        self.inside.make(target.parent)
        return target

    def open(self, target: Path, *, append: bool = False) -> int:
        """Return the handle of a file to write to, made anew unless ``append``; a link is never followed."""
        if not self.inside.exists(target):
            self.files += 1
            if self.files > self.most_files:
                raise self._too_many()
        try:
            return self.inside.open(target, os.O_WRONLY | os.O_CREAT | (os.O_APPEND if append else os.O_TRUNC))
        except OSError as error:
            raise refuse(
                f"cannot be written: {error.strerror}", fix="a path of the plan may be inside another one", where=str(target)
            ) from None

    def take(self, size: int) -> None:
        """Count bytes that are about to be written; raise where the disk or the limit has no room for them."""
        if self.disk is not None and self.used + size > self.disk:
            raise DiskFull
        self.written += size
        self.used += size
        if self.written > self.most_bytes:
            raise self._too_large()

    def foresee(self, size: int, files: int = 0) -> None:
        """Raise where so many bytes or files are more than may be written, before any of it is made."""
        if self.disk is None and self.written + size > self.most_bytes:
            raise self._too_large()
        if self.files + files > self.most_files:
            raise self._too_many()

    def send(self, messages: int) -> None:
        """Count messages that are about to be sent; raise where they are more than a receiver is given."""
        self.sent += messages
        if self.sent > MOST_SENT:
            raise LimitReached(f"more than {MOST_SENT:,} messages to a receiver", "leave --send out, or give fewer events")

    def _too_large(self) -> LimitReached:
        return LimitReached(f"more than {self.most_bytes:,} bytes", "give a higher --limit, or fewer events")

    def _too_many(self) -> LimitReached:
        what = f"more than {self.most_files:,} files"
        return LimitReached(what, "give a higher --most-files, a larger at-size, or fewer events")

    def write(self, target: Path, data: bytes) -> None:
        """Write a whole file of its own."""
        self.take(len(data))
        with os.fdopen(self.open(target), "wb") as file:
            file.write(data)


def write_whole(file: IO[bytes], data: bytes) -> None:
    """Write all of ``data`` to an unbuffered file; raise OSError where the disk takes only a part of it, and leave whole lines."""
    view, done = memoryview(data), 0
    try:
        while done < len(data):
            count = file.write(view[done:])
            if not count:
                raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))  # noqa: TRY301  (as if the system had said it)
            done += count
    except OSError:
        if done:
            os.ftruncate(file.fileno(), os.fstat(file.fileno()).st_size - (done - (data.rfind(b"\n", 0, done) + 1)))
        raise


def rerooted(path: str) -> str:
    """Return an absolute path as one below a folder: no `..`, no drive, no part that is too long or odd.

    Parts that had to be changed bear a few digits of their own, so that two paths never become one.
    """
    plain = posixpath.normpath("/" + path.lstrip("/"))
    return "/".join(_harmless(part) for part in plain.split("/") if part) or "_"


def as_part(name: str) -> str:
    """Return a name as one part of a path; two names never become one."""
    return _harmless(name.replace("/", ":"))


def _harmless(part: str) -> str:
    clean = _ODD.sub("_", part).encode("utf-8", "replace")[:LONGEST_PART].decode("utf-8", "ignore")
    if clean == part and part not in {".", ".."} and not _LIKE_OURS.search(part):
        return part
    return f"{clean.strip('.') or '_'}-{hashlib.sha256(part.encode('utf-8', 'surrogatepass')).hexdigest()[:8]}"


def enter(folder: Path, *, clean: bool, by: str = "rehearse") -> str:
    """Make or check the folder of a rehearsal (or, ``by`` receive, of what was received), and mark it; return what is worth a word.

    Call it with the folder locked. What a rehearsal left that was cut off is cleared, for it is made again; what was
    received is kept. Raise Refused for a folder that is not ours, or that holds something finished.
    """
    marker = folder / MARKER
    told = ""
    try:
        found = json.loads(marker.read_text(encoding="utf-8")) if marker.is_file() else {"state": ""}
        state, owner = found["state"], found.get("by", "rehearse")
        state = state if state in {"", "running", "done"} else "unknown"
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        state, owner = "unknown", ""
    if not state and any(folder.iterdir()):
        raise refuse(
            "the folder is not empty, and not a rehearsal's",
            "nothing of yours is overwritten",
            "name a new folder",
            where=str(folder),
        )
    if state == "running" and owner == by:
        told = "an earlier rehearsal was cut off here; what it left has been cleared"
        if by == "receive" and not clean:
            told = "an earlier vetrina receive was cut off here; what it kept stays, and what arrives is put beside it"
    elif state and not clean:
        what = {"unknown": "the folder's marker is damaged", "done": f"the folder holds an earlier {_WORK.get(owner, owner)}"}
        raise refuse(
            what.get(state, f"the folder holds what vetrina {owner} left when it was cut off"),
            fix="say --clean to clear that first, or name a new folder",
            where=str(folder),
        )
    if state and (clean or by != "receive"):
        _clear(folder)
    mark(folder, {"state": "running", "by": by})
    return told


_WORK = {"rehearse": "rehearsal", "receive": "reception", "mimic": "stand-in's run"}


def mark(folder: Path, content: dict[str, Any]) -> None:
    """Write the marker that says whose folder this is."""
    write_own(folder, MARKER, (json.dumps(content) + "\n").encode())


def write_own(folder: Path, name: str, data: bytes) -> None:
    """Write a file of ours at the top of a folder; what stands in its place goes, and no link is followed."""
    beside = folder / f"{name}.new"
    beside.unlink(missing_ok=True)
    with os.fdopen(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o644), "wb") as file:
        file.write(data)
    beside.replace(folder / name)


def _clear(folder: Path) -> None:
    """Remove what a rehearsal makes; other things in the folder are kept. Links are removed, never followed."""
    for name in OWN:
        one = folder / name
        try:
            if one.is_symlink() or one.is_file():
                one.unlink()
            elif one.is_dir():
                shutil.rmtree(one)
        except OSError as error:
            raise refuse(f"cannot be cleared: {error.strerror}", where=str(error.filename or one)) from None


def make_folder(folder: Path) -> None:
    """Make the folder itself, with those above it."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise _no_folder(folder, error) from None


def _no_folder(folder: Path, error: OSError) -> Refused:
    return refuse(f"the folder cannot be made: {error.strerror}", fix="name another folder", where=str(folder))
