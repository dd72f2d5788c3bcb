"""`vetrina tour [DIR]`: the whole example on the demo data, read like a story."""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
from importlib.resources import as_file, files
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.base.faults import refuse
from vetrina.demo.story import CHAPTERS, Chapter
from vetrina.views.screen import Line, Span, span, wrapped

_MARKER = ".vetrina-tour"


def run(
    folder: Annotated[Path, typer.Argument(metavar="[DIR]", help="The folder to make; it stays yours to play with.")] = Path(
        "sereno"
    ),
) -> None:
    """Walk through the whole example on the demo data, in a folder that you can play with afterwards.

    \b
    Examples:
      vetrina tour
      vetrina tour /tmp/sereno
    """
    _unpack(folder)
    width = min(calling.width(), 100)
    intro = f"The Sereno ropeway is made up; its plans and a week of its events are now in {folder}/. Every command below is real, and runs there."
    calling.print_lines([[Span("Vetrina, a tour", "title")], [], *wrapped(intro, width)])
    for number, chapter in enumerate(CHAPTERS, start=1):
        calling.print_lines(_before(number, chapter, width))
        code = _run(chapter, folder, width)
        calling.print_lines(_after(chapter, code, width))
    end = f"That is the tour. The files are in {folder}/: change plan.yaml and call the commands again."
    calling.print_lines([[], *wrapped(end, width, 0, "title")])


def _unpack(folder: Path) -> None:
    if folder.exists() and not folder.is_dir():
        raise refuse("this is a file, and the tour needs a folder", fix="name another folder", where=str(folder))
    if folder.is_dir() and any(folder.iterdir()) and not (folder / _MARKER).exists():
        raise refuse(
            "the folder is not empty, and the tour overwrites nothing of yours", fix="name a new folder", where=str(folder)
        )
    folder.mkdir(parents=True, exist_ok=True)
    _put(folder / _MARKER, b"made by vetrina tour; it may be overwritten by the next one\n")
    with as_file(files("vetrina.demo")) as demo:
        _copy(demo, folder)


def _copy(source: Path, target: Path) -> None:
    """Copy the files of a folder, and of those in it."""
    for one in sorted(source.iterdir()):
        if one.is_dir() and one.name != "__pycache__":
            (target / one.name).mkdir(exist_ok=True)
            _copy(one, target / one.name)
        elif one.is_file() and one.suffix not in {".py", ".pyc"}:
            _put(target / one.name, one.read_bytes())


def _put(target: Path, data: bytes) -> None:
    """Write a file of the tour; a link in its place is removed, not followed."""
    if target.is_symlink():
        target.unlink()
    handle = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o644)
    with os.fdopen(handle, "wb") as file:
        file.write(data)


def _before(number: int, chapter: Chapter, width: int) -> list[Line]:
    rule = Span("─" * width, "quiet")
    return [[], [rule], [Span(f"{number}. {chapter.title}", "title")], *wrapped(chapter.question, width), []]


def _run(chapter: Chapter, folder: Path, width: int) -> int:
    words = shlex.join(chapter.call)
    calling.print_lines([[Span("$ ", "quiet"), span(f"vetrina {words}", "command")], []])
    sys.stdout.flush()
    call = [sys.executable, "-m", "vetrina", *chapter.call]
    environment = {**os.environ, "COLUMNS": str(width)}
    environment.pop("ROPEWAY_LOGS", None)
    return subprocess.run(call, cwd=folder, env=environment, check=False).returncode  # noqa: S603  (our own program and words)


def _after(chapter: Chapter, code: int, width: int) -> list[Line]:
    lines: list[Line] = [[]]
    if code != chapter.code:
        lines.append([Span(f"(ended with {code}, and the tour expected {chapter.code})", "bad")])
    elif code:
        lines.append([Span(f"(exit code {code}: something was found wanting)", "quiet")])
    for at, part in enumerate(wrapped(chapter.notice, width - 4)):
        lines.append([Span("  » " if not at else "    ", "changed"), *part])
    return lines
