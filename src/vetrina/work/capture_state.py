"""What is known of a capture so far, kept on the disk while it goes on: what was asked, what was done, where each log is."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from pathlib import Path

import msgspec
from msgspec import Struct

from vetrina.core.base.faults import refuse
from vetrina.core.services.levels_now import LevelNow
from vetrina.running.logs_followed import Followed
from vetrina.views.documents.capture import CapturePutBack, CaptureStep

OWN = ".capture"
VERSION = 1


class Asked(Struct):
    """What a capture was asked for, as it was typed."""

    tune: list[str] = []
    note: str = ""
    until: str = ""
    for_: float | None = None
    at_most: float = 1800.0
    settle: float = 2.0
    command: list[str] = []
    mask: bool = False


Levels = dict[str, LevelNow]


class CaptureState(Struct):
    """A capture so far."""

    version: int
    service: str
    name: str
    asked: Asked
    started: str
    ended: str = ""
    steps: list[CaptureStep] = []
    problems: list[str] = []
    before: Levels | None = None
    during: Levels | None = None
    after: Levels | None = None
    put_back: CapturePutBack | None = None
    followed: list[Followed] = []
    exit: int | None = None
    cost: list[str] = []
    guardian_restarts: int = 0


def parts_folder(folder: Path) -> Path:
    """Return where a capture's parts of sections are."""
    return folder / OWN / "parts"


def save(folder: Path, state: CaptureState) -> None:
    """Keep a state, whole or as it was before; raise OSError where there is no room."""
    beside = folder / OWN / "state.new"
    handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(msgspec.json.encode(state))
    beside.replace(folder / OWN / "state.json")


def load(folder: Path) -> CaptureState:
    """Return the state of a capture that was cut off; raise Refused where there is none."""
    path = folder / OWN / "state.json"
    try:
        state = msgspec.json.decode(path.read_bytes(), type=CaptureState)
    except (FileNotFoundError, NotADirectoryError):
        what = "there is nothing left to collect" if (folder / "capture.json").exists() else "this is no capture's folder"
        raise refuse(what, fix="name the DIR of a capture that was cut off", where=str(folder)) from None
    except (OSError, msgspec.MsgspecError, UnicodeDecodeError) as error:
        raise refuse(
            f"what the capture kept is damaged: {error}", fix="its parts are in .capture/parts", where=str(path)
        ) from None
    if state.version != VERSION:
        raise refuse(f"the capture has version {state.version}", f"this program writes version {VERSION}", where=str(path))
    return state


def forget(folder: Path) -> None:
    """Take away what was kept for the time that the capture went on."""
    with suppress(OSError):
        shutil.rmtree(folder / OWN)
