"""`vetrina tour [DIR]`: the whole example on the demo data, read like a story."""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import time
from contextlib import ExitStack
from importlib.resources import as_file, files
from importlib.util import find_spec
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.base.faults import refuse
from vetrina.demo.story import CHAPTERS, Chapter
from vetrina.views.screen import Line, Span, span, wrapped

_MARKER = ".vetrina-tour"
_PATIENCE = 300


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
    with ExitStack() as background:
        for number, chapter in enumerate(_possible(), start=1):
            calling.print_lines(_before(number, chapter, width))
            code = _run(chapter, folder, width, background)
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
    if (folder / "INC-7" / "capture.json").is_file():  # of an earlier tour
        shutil.rmtree(folder / "INC-7")
    _put(folder / _MARKER, b"made by vetrina tour; it may be overwritten by the next one\n")
    with as_file(files("vetrina.demo")) as demo:
        _copy(demo, folder)


def _copy(source: Path, target: Path, ours: frozenset[str] = frozenset({".py", ".pyc"})) -> None:
    """Copy the files of a folder, and of those in it; ``ours`` are the endings of the package's own."""
    for one in sorted(source.iterdir()):
        if one.is_dir() and one.name != "__pycache__":
            (target / one.name).mkdir(exist_ok=True)
            _copy(one, target / one.name, frozenset({".pyc"}))
        elif one.is_file() and one.suffix not in ours:
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


def _possible() -> tuple[Chapter, ...]:
    """Return the chapters that can be shown: some need libraries of an extra."""
    found = CHAPTERS
    if find_spec("httpx") is None:
        calling.remark(["the last chapters, of a running service, are left out: pip install 'vetrina[live]'"])
        found = tuple(
            one for one in found if one.call[0] not in {"mimic", "live", "capture"} and "INC-7/events.jsonl" not in one.call
        )
    if find_spec("numpy") is None:
        calling.remark(["the chapter of what debug will cost is left out: pip install 'vetrina[learn]'"])
        found = tuple(one for one in found if "--learn" not in one.call)
    if find_spec("tree_sitter_java") is None:
        calling.remark(["the chapter of the program's source is left out: pip install 'vetrina[survey]'"])
        found = tuple(one for one in found if one.call[0] != "survey")
    return found


def _run(chapter: Chapter, folder: Path, width: int, background: ExitStack) -> int:
    aside = chapter.call[-1] == "&"
    words = chapter.call[:-1] if aside else chapter.call
    calling.print_lines([[Span("$ ", "quiet"), span(f"vetrina {shlex.join(words)}{' &' if aside else ''}", "command")], []])
    sys.stdout.flush()
    call = [sys.executable, "-m", "vetrina", *words]
    environment = {**os.environ, "COLUMNS": str(width)}
    environment.pop("ROPEWAY_LOGS", None)
    if aside:
        return _aside(call, environment, folder, chapter.until, background)
    return subprocess.run(call, cwd=folder, env=environment, check=False).returncode  # noqa: S603  (our own program and words)


def _aside(call: list[str], environment: dict[str, str], folder: Path, until: str, background: ExitStack) -> int:
    """Start a command that goes on in the background; wait until it has written a file."""
    (folder / until).unlink(missing_ok=True)
    process = subprocess.Popen(call, cwd=folder, env=environment, stderr=subprocess.DEVNULL)  # noqa: S603  (our own)
    background.callback(process.wait)
    background.callback(process.terminate)
    for _ in range(_PATIENCE):
        if (folder / until).exists() or process.poll() is not None:
            break
        time.sleep(0.1)
    time.sleep(0.2)  # what it says of itself comes right after
    return process.poll() or 0


def _after(chapter: Chapter, code: int, width: int) -> list[Line]:
    lines: list[Line] = [[]]
    if code != chapter.code:
        lines.append([Span(f"(ended with {code}, and the tour expected {chapter.code})", "bad")])
    elif code:
        lines.append([Span(f"(exit code {code}: something was found wanting)", "quiet")])
    for at, part in enumerate(wrapped(chapter.notice, width - 4)):
        lines.append([Span("  » " if not at else "    ", "changed"), *part])
    return lines
