"""One changer at a time for each service, whatever copy of its file is used: a lock by the service's address.

The lock lies in the user's state folder (XDG_STATE_HOME, else ~/.local/state). It is the system's own, on an open file:
a dead process does not hold it, and a process that inherits the open file holds it too.
"""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import msgspec
from msgspec import Struct

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.faults import refuse
from vetrina.core.services.service import Service


class Holder(Struct, frozen=True):
    """Who holds a lock: the process, since when, and what it is at."""

    process: int
    since: str
    work: str


class Held(VetrinaError):
    """Somebody else changes this service; ``holder`` says who, as far as that is known."""

    def __init__(self, holder: Holder | None) -> None:
        self.holder = holder
        known = "" if holder is None else f": process {holder.process}, {holder.work}, since {holder.since}"
        super().__init__(f"another command is changing this service{known}")


def state_folder() -> Path:
    """Return the folder for locks, made where it is not there; raise Refused where that cannot be."""
    given = os.environ.get("XDG_STATE_HOME", "")
    base = Path(given) if given.startswith("/") else Path(os.path.expanduser("~")) / ".local" / "state"  # noqa: PTH111
    folder = base / "vetrina" / "services"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    except (OSError, ValueError) as error:
        fix = "name another one in XDG_STATE_HOME"
        raise refuse(
            f"the state folder cannot be made: {getattr(error, 'strerror', error)}",
            "nothing was changed",
            fix,
            where=str(folder),
        ) from None
    return folder


def lock_path(service: Service, part: str = "lock") -> Path:
    """Return the lock of a service, by its address."""
    return state_folder() / f"{hashlib.sha256(service.identity.encode('utf-8', 'surrogatepass')).hexdigest()[:24]}.{part}"


class Hold:
    """A lock that is held, until ``release`` or the process's end; ``handle`` can be inherited."""

    def __init__(self, handle: int) -> None:
        self.handle = handle

    def release(self) -> None:
        """Give it back."""
        if self.handle >= 0:
            os.close(self.handle)
            self.handle = -1


def hold(service: Service, holder: Holder) -> Hold:
    """Take the lock of a service; raise Held where somebody else has it."""
    import fcntl  # noqa: PLC0415  (not everywhere)

    path = lock_path(service)
    try:
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
    except OSError as error:
        raise refuse(f"the lock cannot be opened: {error.strerror}", "nothing was changed", where=str(path)) from None
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        known = _read_holder(handle)
        os.close(handle)
        raise Held(known) from None
    note_holder(handle, holder)
    return Hold(handle)


def note_holder(handle: int, holder: Holder) -> None:
    """Write into a lock who holds it, for those who find it held."""
    with suppress(OSError):  # it is for people only
        os.ftruncate(handle, 0)
        os.pwrite(handle, msgspec.json.encode(holder), 0)


def _read_holder(handle: int) -> Holder | None:
    try:
        return msgspec.json.decode(os.pread(handle, 1 << 16, 0), type=Holder)
    except (msgspec.MsgspecError, UnicodeDecodeError, OSError):
        return None


@contextmanager
def turn(path: Path, patience: float) -> Iterator[None]:
    """Take turns in changing levels: the changer and its guardian hold one lock together. Wait for the other one only so long."""
    import fcntl  # noqa: PLC0415  (not everywhere)

    handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
    until = time.monotonic() + patience
    try:
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > until:  # it may be stopped; sending twice what was there before does no harm
                    break
                time.sleep(0.02)
        yield
    finally:
        os.close(handle)
