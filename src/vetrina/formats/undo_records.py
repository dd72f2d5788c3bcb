"""What was there before a change, kept beside the plan so that it can be put back, also after a crash.

The record is one JSON file of steps, the oldest first. A step is written before the files are; whether a file still
holds the old text, the new one, or has been edited since is seen from the file itself, so no state can be wrong.
"""

from __future__ import annotations

import os
import stat
from difflib import SequenceMatcher
from itertools import pairwise
from pathlib import Path

import msgspec
from msgspec import Struct

from vetrina.core.base.faults import refuse
from vetrina.formats.notations.encodings import encoded, text_of
from vetrina.formats.safe_files import remove_file, replace_file

VERSION = 2
UTF_8 = "utf-8"
_BOM = "\ufeff"


class Version(Struct):
    """One file of a step: where it is, from the record's folder on; its text before (None: it was not there) and after.

    ``codec`` makes bytes of the text; that of a plan is UTF-8, of which the text keeps its byte-order mark.
    """

    file: str
    before: str | None
    after: str
    codec: str = UTF_8


class AppliedStep(Struct):
    """One change: when, by which options, the files it wrote, and the device and inode of the record's folder then."""

    time: str
    words: list[str]
    files: list[Version]
    folder: tuple[int, int] = (0, 0)


class Record(Struct):
    """All steps that can be taken back."""

    version: int
    steps: list[AppliedStep]


def record_path(plan: Path) -> Path:
    """Return where a plan's record lies: beside the plan, hidden."""
    return plan.with_name(f".{plan.name}.vetrina-undo.json")


def read_record(plan: Path) -> Record:
    """Return a plan's record, an empty one where there is none; raise Refused for one that is damaged."""
    path = record_path(plan)
    if path.is_symlink():
        raise refuse(
            "the undo record is a link",
            "a record may lie beside its plan only",
            "look where it points; remove it",
            where=str(path),
        )
    try:
        data = _file_bytes(path)
    except FileNotFoundError:
        return Record(VERSION, [])
    except OSError as error:
        raise refuse(f"the undo record cannot be read: {error.strerror}", where=str(path)) from None
    try:
        record = msgspec.json.decode(data, type=Record)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise refuse(
            f"the undo record is damaged: {error}", "nothing can be taken back from it", "move it away", where=str(path)
        ) from None
    if record.version != VERSION:
        raise refuse(f"the undo record has version {record.version}", f"this program writes version {VERSION}", where=str(path))
    return record


def named_in(plan: Path, file: Path) -> str:
    """Return how a record beside a plan names a file: from its own folder on."""
    return os.path.relpath(file.absolute(), plan.parent.absolute())


def folder_id(plan: Path) -> tuple[int, int]:
    """Return the device and inode of the folder that a plan's record lies in."""
    status = plan.absolute().parent.stat()
    return (status.st_dev, status.st_ino)


def file_of(plan: Path, step: AppliedStep, version: Version) -> tuple[Path, bool]:
    """Return a file that a step names, and whether it lies outside the record's folder, or is reached through a link.

    The plan itself may be a link: whoever names it knows that.

    Raise Refused for a name that no record of this folder holds: an absolute one, or one that leads out of a folder in
    which the record was not written (it was copied, or planted).
    """
    inside = os.path.normpath(version.file)
    outside = inside.startswith("..")
    if Path(version.file).is_absolute() or "\0" in version.file or (outside and step.folder != folder_id(plan)):
        raise refuse(
            "the undo record names a file that it may not name",
            f"{version.file[:200]} lies outside the folder, and the record was not written here",
            "put the change back by hand; vetrina undo --list shows what was there",
            where=str(record_path(plan)),
        )
    return plan.parent / inside, outside or linked(plan, plan.parent / inside)


def linked(plan: Path, file: Path) -> bool:
    """Tell whether a link stands on the way from a plan's folder to another file: what that names may be anywhere."""
    if os.path.abspath(file) == os.path.abspath(plan):  # noqa: PTH100  (as they are called)
        return False
    called = os.path.join(os.path.realpath(plan.parent), os.path.relpath(file, plan.parent))  # noqa: PTH118
    return os.path.realpath(file) != os.path.normpath(called)


def write_record(plan: Path, record: Record) -> None:
    """Write a plan's record, or remove it where nothing is left to take back."""
    path = record_path(plan)
    if record.steps:
        replace_file(path, msgspec.json.format(msgspec.json.encode(record), indent=1), like=plan, writable=True)
    else:
        remove_file(path)


def _file_bytes(path: Path) -> bytes:
    """Return a file's bytes; refuse what is no file: a pipe would be waited for, a device never ends."""
    if not stat.S_ISREG(path.stat().st_mode):
        raise refuse("this is no file, and only files are changed", fix="name a file", where=str(path))
    return path.read_bytes()


def read_text(path: Path, codec: str = UTF_8) -> str | None:
    """Return a file's text, that in UTF-8 with its byte-order mark; None where there is no file."""
    try:
        return text_of(_file_bytes(path), codec)
    except FileNotFoundError:
        return None
    except (OSError, UnicodeDecodeError) as error:
        raise refuse(f"the file cannot be read: {error}", where=str(path)) from None


def bytes_of(text: str, codec: str) -> bytes:
    """Return a text as bytes; raise Refused where its encoding has no such character."""
    try:
        return encoded(text, codec)
    except UnicodeEncodeError as error:
        what = f"{error.object[error.start : error.end][:10]!r} has no place in {codec.upper()}"
        raise refuse(what, "the document is in that encoding", "write it otherwise", where="apply") from None


def taken_back(version: Version, now: str | None) -> str | None:
    """Return a file's text without a change, later edits elsewhere kept; None for a file that was not there before.

    Raise Refused where the file was edited since in the same place.
    """
    if now in {version.before, version.after}:
        return version.before
    if now is None or version.before is None:
        raise refuse("the file has been edited or removed since", "it cannot be put back without losing that",
                     "put it back by hand", where=version.file)  # fmt: skip
    merged = _merged(_lines(version.after), _lines(version.before), _lines(now))
    if merged is None:
        raise refuse("the file has been edited since in the same place", "taking the change back would lose that edit",
                     "put it back by hand; vetrina undo --list shows what was there", where=version.file)  # fmt: skip
    return "".join(merged)


def _lines(text: str) -> list[str]:
    return text.splitlines(keepends=True)


def _merged(base: list[str], first: list[str], second: list[str]) -> list[str] | None:
    """Return two changes of one text together, None where they touch the same or neighbouring lines."""
    changes = sorted([*_changes(base, first), *_changes(base, second)])
    if any(after[0] <= before[1] for before, after in pairwise(changes)):
        return None
    result: list[str] = []
    at = 0
    for start, end, new in changes:
        result += [*base[at:start], *new]
        at = end
    return [*result, *base[at:]]


def _changes(base: list[str], other: list[str]) -> list[tuple[int, int, list[str]]]:
    """Return the stretches of lines that differ; what both texts begin and end with is not looked at."""
    head = 0
    while head < min(len(base), len(other)) and base[head] == other[head]:
        head += 1
    tail = 0
    while tail < min(len(base), len(other)) - head and base[-1 - tail] == other[-1 - tail]:
        tail += 1
    inner = SequenceMatcher(None, base[head : len(base) - tail], other[head : len(other) - tail], autojunk=False)
    return [
        (head + start, head + end, other[head + new_start : head + new_end])
        for tag, start, end, new_start, new_end in inner.get_opcodes()
        if tag != "equal"
    ]


def difference(name: str, before: str | None, after: str | None, context: int = 2) -> list[str]:
    """Return a unified diff of two texts, line by line."""
    old, new = _lines(before or ""), _lines(after or "")
    lines = [
        f"--- {name}",
        f"+++ {name}" + ("" if before is not None else " (new)") + ("" if after is not None else " (removed)"),
    ]
    groups: list[list[tuple[int, int, list[str]]]] = []
    for change in _changes(old, new):
        if groups and change[0] - groups[-1][-1][1] <= 2 * context:
            groups[-1].append(change)
        else:
            groups.append([change])
    shift = 0
    for group in groups:
        first, last = max(0, group[0][0] - context), min(len(old), group[-1][1] + context)
        body, at = [], first
        for start, end, text in group:
            body += (
                [f" {line}" for line in old[at:start]] + [f"-{line}" for line in old[start:end]] + [f"+{line}" for line in text]
            )
            at = end
        body += [f" {line}" for line in old[at:last]]
        grown = sum(len(text) - (end - start) for start, end, text in group)
        lines.append(f"@@ -{first + 1},{last - first} +{first + 1 + shift},{last - first + grown} @@")
        lines += [line.rstrip("\r\n") for line in body]
        shift += grown
    return lines if groups else []
