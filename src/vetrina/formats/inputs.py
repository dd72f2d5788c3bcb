"""Inputs of events, one or many: a file, standard input, a folder, a pattern of names, or several of these in order."""

from __future__ import annotations

import errno
import glob
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import IO, cast

from msgspec import Struct

from vetrina.core.base.faults import Fault, Unreadable, nearest
from vetrina.core.rolling.codecs import CODECS
from vetrina.formats.documents import unreadable
from vetrina.formats.opening import only_once, open_file
from vetrina.formats.packed import PackedReader
from vetrina.formats.progress import Watched, watcher
from vetrina.formats.remote import is_url, open_url, remote_size

PACKED = CODECS
ENDINGS = (".jsonl", *(f".jsonl{ending}" for ending in PACKED))
"""What the names of files of events end with, where a folder stands for those in it."""
_UNPACKED = 8
"""How many bytes a packed byte is taken for."""


class InputFile(Struct, frozen=True):
    """One file of an input: where it is read, and what it is called in messages."""

    path: str
    name: str

    @property
    def size(self) -> int:
        """How many bytes it has as it lies there; 0 where that is not known."""
        if is_url(self.path):
            return remote_size(self.path) or 0
        try:
            return os.stat(self.path).st_size  # noqa: PTH116  (of thousands of files)
        except (OSError, ValueError):
            return 0  # opening it says what is wrong

    @property
    def packed(self) -> bool:
        """Whether it is unpacked as it is read."""
        return self.path.endswith(PACKED)

    @property
    def weight(self) -> int:
        """How many bytes there are to read in it, about: packed ones become more."""
        return self.size * (_UNPACKED if self.packed else 1)


class Inputs(Struct, frozen=True):
    """What is read, one after the other, as one stream; ``label`` is what it is called as a whole."""

    parts: tuple[InputFile, ...]
    label: str

    @property
    def only_once(self) -> bool:
        """Whether a part of it can be read only once: standard input, or a pipe."""
        return any(only_once(one.path) for one in self.parts)

    @property
    def size(self) -> int | None:
        """How many bytes it has as they lie on the disk; None where a part does not tell."""
        if self.only_once:
            return None
        return sum(one.size for one in self.parts)


def files_named(names: Sequence[str]) -> Inputs:
    """Return the files of these very names, in order."""
    return Inputs(tuple(InputFile(name, name) for name in names), names[0] if len(names) == 1 else f"{len(names)} files")


def there(names: Sequence[str]) -> Inputs:
    """Return the files of these very names, in order; raise Unreadable with every one that is not there."""
    if faults := _not_there(names):
        raise Unreadable(faults)
    return files_named(names)


def _not_there(names: Sequence[str]) -> list[Fault]:
    return [missing_file(name) for name in names if name != "-" and not is_url(name) and not os.path.exists(name)]  # noqa: PTH110


class ManyFiles:
    """Several files that are opened one after the other, each when it is its turn."""

    def __init__(self, inputs: Inputs, opened: Callable[[str], Iterator[IO[bytes]]]) -> None:
        self._inputs, self._opened = inputs, opened

    def parts(self) -> Iterator[tuple[str, IO[bytes]]]:
        """Yield (name, open binary file); each is closed when the next one is asked for."""
        for one in self._inputs.parts:
            for file in self._opened(one.path):
                yield one.name, file


def inputs_of(events: str, also: Sequence[str] = ()) -> Inputs:
    """Return the files that are meant, in order; raise Unreadable with every one that is not there.

    A folder stands for its files of events by name; a text with `*`, `?` or `[` that is no file's name is a pattern.
    """
    faults: list[Fault] = []
    names = [name for text in (events, *also) for name in _meant(text, faults)]
    if names.count("-") > 1:
        fix = "put it into a file"
        faults.append(Fault("call", "standard input can be read only once", fix=fix, where="events"))
    if len(names) > 1:
        faults += _not_there(names)
    if faults:
        raise Unreadable(faults)
    return files_named(names)


def _meant(text: str, faults: list[Fault]) -> list[str]:
    """Return the names of files that one argument means."""
    if is_url(text):
        return [text]
    if text != "-" and os.path.isdir(text):  # noqa: PTH112  (a name with odd bytes is no fault here)
        found = sorted(one.path for one in os.scandir(text) if one.name.endswith(ENDINGS) and one.is_file())
        if not found:
            what = "there are no files of events in this folder"
            faults.append(Fault("no-events", what, why=f"their names end with {', '.join(ENDINGS)}", where=text))
        return found
    found_like = like_pattern(text, faults)
    return [text] if found_like is None else found_like


def like_pattern(text: str, faults: list[Fault]) -> list[str] | None:
    """Return the files whose names are like a pattern; None for a text that is none, or is a file's name."""
    if not glob.has_magic(text) or os.path.lexists(text):
        return None
    found = sorted(name for name in glob.glob(text) if os.path.isfile(name))  # noqa: PTH113, PTH207
    if not found:
        fix = "check it, and quote it so that the shell leaves it alone"
        faults.append(Fault("no-events", "no file's name is like this pattern", fix=fix, where=text))
    return found


def missing_file(name: str) -> Fault:
    """Return the fault of a file that is not there, with names like its own beside it."""
    folder = Path(name).parent
    others = [one.name for one in folder.iterdir()] if folder.is_dir() else []
    close = nearest(Path(name).name, others)
    fix = f'did you mean "{folder / close[0]}"?' if close else "check the path"
    return Fault("no-events", "there is no such file", fix=fix, where=name)


@contextmanager
def open_input(events: str | Inputs) -> Iterator[IO[bytes] | ManyFiles]:
    """Open an input for reading bytes: `-` is standard input, compressed ones are unpacked as they are read; many are opened in turn."""
    if isinstance(events, str):
        with open_one(events) as file:
            yield file
    elif len(events.parts) == 1:
        with open_one(events.parts[0].path) as file:
            yield file
    else:
        yield ManyFiles(events, _each)


def _each(path: str) -> Iterator[IO[bytes]]:
    with open_one(path) as file:
        yield file


@contextmanager
def open_one(path: str) -> Iterator[IO[bytes]]:
    """Open one file for reading bytes: `-` is standard input, compressed ones are unpacked as they are read."""
    with open_raw(path) as raw:
        yield raw if path == "-" else unpacked(raw, path)


@contextmanager
def open_raw(path: str) -> Iterator[IO[bytes]]:
    """Open one file for reading bytes as they are; `-` is standard input."""
    reading = watcher()
    if path == "-":
        yield sys.stdin.buffer if reading is None else cast(IO[bytes], Watched(sys.stdin.buffer, reading))
        return
    if is_url(path):
        with open_url(path) as raw:
            yield raw if reading is None else cast(IO[bytes], Watched(raw, reading))
        return
    file = Path(path)
    try:
        if file.is_dir():
            raise unreadable(path, "this is a directory, not a file", fix="name the file inside it")
        raw = open_file(file)
    except FileNotFoundError:
        raise unreadable(path, "there is no such file", fix="check the path") from None
    except PermissionError:
        raise unreadable(path, "the file may not be read", "its permissions are in the way") from None
    except (OSError, ValueError) as error:
        if getattr(error, "errno", 0) == errno.EMFILE:
            what = "too many files are open at once"
            raise unreadable(path, what, fix="raise the limit (ulimit -n), or read fewer at once") from None
        raise unreadable(path, f"the file cannot be read: {getattr(error, 'strerror', '') or error}") from None
    with raw:
        yield raw if reading is None else cast(IO[bytes], Watched(raw, reading))


def unpacked(raw: IO[bytes], name: str) -> IO[bytes]:
    """Return a stream that unpacks ``raw`` by the ending of its name."""
    for ending in PACKED:
        if name.endswith(ending):
            return cast(IO[bytes], PackedReader(raw, ending))
    return raw
