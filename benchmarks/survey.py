"""How long `survey` takes beside parsing alone: `python benchmarks/survey.py FOLDER…` on source trees of your own."""

from __future__ import annotations

import ast
import sys
import time
import warnings
from contextlib import suppress
from pathlib import Path

from tree_sitter import Parser

from vetrina.core.base.levels import Scale
from vetrina.core.survey.words import LevelWords
from vetrina.formats.programs.languages import LANGUAGES, PYTHON
from vetrina.formats.programs.walking import files_of, survey


def parsed(folders: list[str]) -> float:
    """Return the seconds that parsing every file takes, and nothing else."""
    parsers: dict[str, Parser] = {}
    begun = time.perf_counter()
    for file in files_of(folders, []):
        source, suffix = Path(file.path).read_bytes(), Path(file.path).suffix.lower()
        with suppress(SyntaxError, ValueError):
            if suffix in PYTHON:
                ast.parse(source)
            else:
                language = LANGUAGES[suffix]
                parsers.setdefault(language.name, language.parser()).parse(source)
    return time.perf_counter() - begun


def main(folders: list[str]) -> None:
    warnings.simplefilter("ignore")
    bare, begun = parsed(folders), time.perf_counter()
    found = survey(folders, LevelWords(Scale(), {}), ".", lambda _count: None)
    took = time.perf_counter() - begun
    unsure = sum(not one.sure for one in found.statements)
    print(
        f"{found.lines:,} lines in {found.files:,} files: {len(found.statements):,} statements, {unsure:,} not sure, {len(found.skipped)} skipped"
    )
    print(f"survey {took:.1f} s, parsing alone {bare:.1f} s: {took / bare:.2f}x (wanted at most 3x)")


if __name__ == "__main__":
    main(sys.argv[1:])
