"""The record of changes to a running service, beside its file: 0600, written beside, synced, renamed."""

from __future__ import annotations

import os
import stat
import tempfile
from contextlib import suppress
from pathlib import Path

import msgspec

from vetrina.core.base.faults import refuse
from vetrina.core.services.records import VERSION, Record
from vetrina.formats.safe_files import cannot_write, remove_file, sync_folder

_MOST = 16 << 20


def record_path(service: Path) -> Path:
    """Return where the record of a service lies, beside its file."""
    return service.with_name(f".{service.name}.put-back.json")


def read_record(service: Path, address: str) -> Record:
    """Return what is on record, an empty record where there is none; raise Refused for a damaged one."""
    path = record_path(service)
    try:
        handle = os.open(path, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0))
    except FileNotFoundError:
        return Record(VERSION, address)
    except OSError as error:
        raise refuse(f"the record of what is to be put back cannot be read: {error.strerror}", where=str(path)) from None
    try:
        with os.fdopen(handle, "rb") as file:
            if not stat.S_ISREG(os.fstat(handle).st_mode):
                raise refuse("the record of what is to be put back is no file", fix="move it away", where=str(path))
            record = msgspec.json.decode(file.read(_MOST + 1), type=Record)
    except (msgspec.MsgspecError, UnicodeDecodeError, OSError, RecursionError):
        fix = "look into it: it says which levels were there; move it away when they are put back by hand"
        raise refuse(
            "the record of what is to be put back is damaged", "nothing can be put back by it", fix, where=str(path)
        ) from None
    if record.version != VERSION:
        raise refuse(f"the record has version {record.version}", f"this program writes version {VERSION}", where=str(path))
    return record


def write_record(service: Path, record: Record) -> None:
    """Write a service's record, or remove it where nothing is left to put back; raise Refused where that cannot be."""
    path = record_path(service)
    if not record.steps:
        remove_file(path)
        return
    data = msgspec.json.format(msgspec.json.encode(record), indent=1) + b"\n"
    beside = None
    try:
        handle, name = tempfile.mkstemp(prefix=f"{path.name[:120]}.", suffix=".new", dir=path.parent)  # its mode is 0600
        beside = Path(name)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(path)
        sync_folder(path.parent)
    except OSError as error:
        if beside is not None:
            with suppress(OSError):
                beside.unlink()
        raise cannot_write(path, error) from None
