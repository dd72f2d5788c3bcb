"""A file is replaced whole or not at all, whichever call of the system fails, and nothing is left beside it."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any, Self

import pytest

from vetrina.core.base.faults import Refused
from vetrina.formats import safe_files
from vetrina.formats.safe_files import locked, remove_file, replace_file, sweep

OLD, NEW = b"old\n", b"new\n" * 1000


def failing(error: int, real: Callable[..., Any] | None = None, after: int = 0) -> Callable[..., Any]:
    """Return a call that fails, the first ``after`` times not."""
    turns = iter(range(1_000_000))

    def call(*arguments: Any, **more: Any) -> Any:
        if real is not None and next(turns) < after:
            return real(*arguments, **more)
        raise OSError(error, os.strerror(error))

    return call


class _FullFile:
    """A file on a disk that has no room: opened like another, and every write fails."""

    def __init__(self, real: Any) -> None:
        self._real = real

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._real.close()

    def write(self, _data: bytes) -> int:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    def __getattr__(self, name: str) -> Any:
        return getattr(self._real, name)


@pytest.mark.parametrize(
    "name, error, said",
    [
        ("tempfile.mkstemp", errno.EACCES, "Permission denied"),
        ("tempfile.mkstemp", errno.EROFS, "Read-only file system"),
        ("os.fdopen", errno.ENOSPC, "No space left on device"),
        ("os.fchmod", errno.EPERM, "Operation not permitted"),
        ("os.fsync", errno.EIO, "Input/output error"),
        ("pathlib.Path.replace", errno.EXDEV, "Invalid cross-device link"),
    ],
)
def test_whatever_fails_the_old_file_is_whole(
    folder: Path, monkeypatch: pytest.MonkeyPatch, name: str, error: int, said: str
) -> None:
    path = folder / "plan.yaml"
    path.write_bytes(OLD)
    with monkeypatch.context() as patch:
        if name == "os.fdopen":
            real = os.fdopen
            patch.setattr(name, lambda *arguments: _FullFile(real(*arguments)))
        else:
            patch.setattr(name, failing(error))
        with pytest.raises(Refused, match=said) as refused:
            replace_file(path, NEW)

    assert refused.value.faults[0].where == str(path)
    assert path.read_bytes() == OLD
    assert [one.name for one in folder.iterdir()] == ["plan.yaml"]


def test_a_folder_that_cannot_be_synced_leaves_the_new_file_whole(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = folder / "plan.yaml"
    path.write_bytes(OLD)
    monkeypatch.setattr(os, "fsync", failing(errno.EIO, os.fsync, after=1))

    with pytest.raises(Refused, match="Input/output error"):
        replace_file(path, NEW)
    assert path.read_bytes() == NEW
    assert [one.name for one in folder.iterdir()] == ["plan.yaml"]


def test_an_edit_made_meanwhile_is_not_lost(folder: Path) -> None:
    path = folder / "plan.yaml"
    path.write_bytes(b"edited\n")

    with pytest.raises(Refused, match="edited meanwhile"):
        replace_file(path, NEW, was=OLD)
    assert path.read_bytes() == b"edited\n"
    assert [one.name for one in folder.iterdir()] == ["plan.yaml"]
    replace_file(path, NEW, was=b"edited\n")
    assert path.read_bytes() == NEW


@pytest.mark.parametrize("mode", [0o600, 0o640, 0o664])
def test_mode_link_and_new_files(folder: Path, mode: int) -> None:
    path, link, new = folder / "plan.yaml", folder / "link.yaml", folder / "new.yaml"
    path.write_bytes(OLD)
    path.chmod(mode)
    link.symlink_to(path.name)
    replace_file(link, NEW)
    replace_file(new, NEW, like=path)

    assert link.is_symlink()
    assert path.read_bytes() == new.read_bytes() == NEW
    assert stat.S_IMODE(path.stat().st_mode) == stat.S_IMODE(new.stat().st_mode) == mode


def test_of_two_hard_links_one_alone_is_replaced(folder: Path) -> None:
    path, other = folder / "plan.yaml", folder / "other.yaml"
    path.write_bytes(OLD)
    other.hardlink_to(path)
    replace_file(path, NEW)

    assert (path.read_bytes(), other.read_bytes()) == (NEW, OLD)


def test_what_a_killed_writer_left_is_swept_and_other_files_stay(folder: Path) -> None:
    path = folder / "plan.yaml"
    kept = [folder / name for name in (".plan.yaml.vetrina-x.new", ".other.yaml.vetrina-abcdefgh.new", "plan.yaml.new")]
    for one in (path, *kept, folder / ".plan.yaml.vetrina-abcdefgh.new"):
        one.write_bytes(OLD)
    sweep(path)

    assert sorted(folder.iterdir()) == sorted([path, *kept])


def test_removing(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = folder / "record"
    remove_file(path)
    path.write_bytes(OLD)
    remove_file(path)
    assert not path.exists()
    path.write_bytes(OLD)
    monkeypatch.setattr("pathlib.Path.unlink", failing(errno.EACCES))
    with pytest.raises(Refused, match="Permission denied"):
        remove_file(path)
    assert path.exists()


def test_a_lock_is_held_once_for_a_folder_whatever_it_is_called(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(safe_files, "_PATIENCE", 0.05)
    (folder / "other").mkdir()
    (folder / "same").symlink_to("other")

    with locked(folder / "other", folder / "same", folder / "other" / ".." / "other"):
        with pytest.raises(Refused, match="another command is writing here"), locked(folder / "same"):
            pass
        with locked(folder):
            pass
    with locked(folder / "same"):
        pass
    with pytest.raises(Refused, match="No such file"), locked(folder / "absent"):
        pass
