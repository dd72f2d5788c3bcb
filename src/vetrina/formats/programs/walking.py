"""The files of a program's source, one after the other, and the statements in each."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path, PurePath
from typing import TYPE_CHECKING

from msgspec import Struct

from vetrina.core.base.faults import Fault, Place, Unreadable
from vetrina.core.survey.code import Unit
from vetrina.core.survey.statements import Reader, Statement
from vetrina.core.survey.words import WRITES, LevelWords
from vetrina.formats.programs.languages import LANGUAGES, PYTHON, Language
from vetrina.formats.programs.python_source import module_of, python_unit
from vetrina.formats.programs.tree_source import tree_unit

if TYPE_CHECKING:
    from tree_sitter import Parser

LARGEST = 5_000_000
MOST_FILES = 200_000


class SourceFile(Struct, frozen=True):
    """A file, and the folder from which its module is named."""

    path: str
    root: str


class Skipped(Struct, frozen=True):
    """A file, or a folder, that was not looked at, and why."""

    place: Place
    why: str


class Read(Struct, frozen=True):
    """What was read of one file."""

    file: str
    lines: int
    statements: tuple[Statement, ...]
    skipped: Skipped | None = None


def files_of(sources: Iterable[str], skipped: list[Skipped]) -> Iterator[SourceFile]:
    """Yield the source files of files and folders, by name; raise Unreadable for what is not there, or beyond 200,000.

    Links are not followed, and what is hidden (its name begins with a dot) is not looked into.
    """
    faults = [_missing(one) for one in sources if not os.path.exists(one)]  # noqa: PTH110  (a name with odd bytes is no fault)
    if faults:
        raise Unreadable(faults)
    count = 0
    for source in sources:
        if os.path.isdir(source):  # noqa: PTH112
            found: Iterable[SourceFile] = (SourceFile(path, source) for path in _walk(source, skipped))
        else:
            found = [SourceFile(source, os.path.dirname(source) or ".")]  # noqa: PTH120
        for one in found:
            count += 1
            if count > MOST_FILES:
                raise Unreadable(
                    [
                        Fault(
                            "too-many-files",
                            f"there are more than {MOST_FILES:,} source files",
                            fix="name fewer folders",
                            where=source,
                        )
                    ]
                )
            yield one


def _missing(source: str) -> Fault:
    return Fault("no-file", "no such file or folder", fix="check the name", where=source)


def _walk(folder: str, skipped: list[Skipped]) -> Iterator[str]:
    def refused(error: OSError) -> None:
        skipped.append(Skipped(Place(str(error.filename), 1, 1), f"cannot be read: {error.strerror}"))

    for here, folders, names in os.walk(folder, onerror=refused):
        folders[:] = sorted(name for name in folders if not name.startswith(".") and name != "__pycache__")
        for name in sorted(names):
            suffix = os.path.splitext(name)[1].lower()  # noqa: PTH122
            path = os.path.join(here, name)  # noqa: PTH118
            if (suffix in LANGUAGES or suffix in PYTHON) and not os.path.islink(path):  # noqa: PTH114
                yield path


class Sources:
    """Reads source files, each by the way of its language; raise ImportError for a grammar that is not installed."""

    def __init__(self, words: LevelWords, separator: str) -> None:
        self._words, self._reader = words, Reader(words, separator)
        self._patterns = {called: words.pattern(called=called) for called in (True, False)}
        self._parsers: dict[str, Parser] = {}
        self._packages: dict[PurePath, bool] = {}

    def settled(self, statements: list[Statement]) -> list[Statement]:
        """Return the statements of all files, see `Reader.settled`."""
        return self._reader.settled(statements)

    def wanted(self, name: str) -> bool:
        """Tell whether a call of this name may write to a log."""
        return self._words.of_call(name) is not None or name.lower() in WRITES or name == "exception"

    def read(self, file: SourceFile) -> Read:
        """Return the statements of a file, or why there are none."""
        name, suffix = file.path, os.path.splitext(file.path)[1].lower()  # noqa: PTH122
        try:
            size = os.stat(name).st_size  # noqa: PTH116
            if size > LARGEST:
                return _skipped(name, f"larger than {LARGEST // 1_000_000} MB, and not looked at")
            source = Path(name).read_bytes()
        except OSError as error:
            return _skipped(name, f"cannot be read: {error.strerror}")
        lines = source.count(b"\n") + (not source.endswith(b"\n") and bool(source))
        if suffix not in PYTHON and suffix not in LANGUAGES:
            return _skipped(name, "its ending names no language that is read", lines)
        pattern = self._patterns[suffix != ".rb"]
        if not pattern.search(source) and not (suffix in PYTHON and b"ogger" in source):
            return Read(name, lines, ())
        try:
            unit = self._unit(file, source, suffix, pattern)
        except SyntaxError as error:
            return _skipped(name, f"not understood: {error.msg}", lines, error.lineno or 1, error.offset or 1)
        except (ValueError, RecursionError, MemoryError) as error:
            return _skipped(name, f"not understood: {error}", lines)
        return Read(name, lines, () if unit is None else tuple(self._reader.statements(unit)))

    def _unit(self, file: SourceFile, source: bytes, suffix: str, pattern: re.Pattern[bytes]) -> Unit | None:
        path = PurePath(file.path)
        if suffix in PYTHON:
            return python_unit(file.path, source, self._python_module(path, PurePath(file.root)), self.wanted)
        language = LANGUAGES[suffix]
        return tree_unit(file.path, source, self._parser(language), language, _module(path, file.root), pattern, self.wanted)

    def _python_module(self, path: PurePath, root: PurePath) -> tuple[str, ...]:
        """Return a module's dotted name: from the topmost package around it, else from the folder that was named."""
        found = module_of(path, self._is_package)
        if len(found) > 1 or path.parent == root:
            return found
        return _module(path, str(root)) if not self._is_package(path.parent) else found

    def _is_package(self, folder: PurePath) -> bool:
        known = self._packages.get(folder)
        if known is None:
            known = self._packages[folder] = os.path.isfile(folder / "__init__.py")  # noqa: PTH113
        return known

    def _parser(self, language: Language) -> Parser:
        known = self._parsers.get(language.module + language.function)
        if known is None:
            known = self._parsers[language.module + language.function] = language.parser()
        return known


def _module(path: PurePath, root: str) -> tuple[str, ...]:
    """Return a file's dotted name from the folder that was named."""
    try:
        inside = path.relative_to(root)
    except ValueError:
        inside = PurePath(path.name)
    parts = [part for part in inside.with_suffix("").parts if part not in {".", ".."}]
    return tuple(parts[:-1] if parts and parts[-1] in {"mod", "index", "__init__"} and len(parts) > 1 else parts)


def _skipped(name: str, why: str, lines: int = 0, line: int = 1, column: int = 1) -> Read:
    return Read(name, lines, (), Skipped(Place(name, line, column), why))


class Survey(Struct):
    """What all files of a program say."""

    statements: list[Statement]
    files: int
    lines: int
    skipped: list[Skipped]


def survey(sources: Iterable[str], words: LevelWords, separator: str, tell: Callable[[int], None]) -> Survey:
    """Return the statements of source files and folders; ``tell`` hears how many files were read so far."""
    reader = Sources(words, separator)
    skipped: list[Skipped] = []
    statements: list[Statement] = []
    files = lines = 0
    for files, file in enumerate(files_of(sources, skipped), start=1):
        found = reader.read(file)
        skipped += [found.skipped] if found.skipped is not None else []
        for one in found.statements:
            if "\ufffd" in one.message:
                skipped.append(
                    Skipped(Place(one.file, one.line, 1), "a statement whose message is no text in UTF-8 is left out")
                )
            else:
                statements.append(one)
        lines += found.lines
        tell(files)
    return Survey(reader.settled(statements), files, lines, skipped)
