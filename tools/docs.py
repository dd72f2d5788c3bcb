"""Run the examples of README and guide, and write what they print into them: `python tools/docs.py`.

A block that begins with `$ vetrina …` is run in a folder with the demo's files (and README's small.yaml); what follows
the call is replaced by what it prints; so is a text block that follows a Python block. The pages of docs/reference/ are made from the program's tables. The tests call `refreshed` and want no difference.
"""

from __future__ import annotations

import io
import os
import re
import shlex
import subprocess
import sys
import tempfile
from collections.abc import Callable
from contextlib import chdir, redirect_stdout
from pathlib import Path

from reference import FOLDER, pages

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "src" / "vetrina" / "demo"
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs" / "guide").glob("*.md"))]
_BLOCK = re.compile(r"```console\n(\$ vetrina [^\n]*)\n(.*?)```", re.DOTALL)
_CODE = re.compile(r"```python\n(.*?)```\n\n```text\n.*?```", re.DOTALL)
_SMALL = re.compile(r"```yaml\n# small.yaml\n(.*?)```", re.DOTALL)


def prepare(folder: Path) -> None:
    """Put the demo's files and README's small plan into ``folder``."""
    for source in DEMO.rglob("*"):
        if source.is_file() and source.suffix != ".pyc" and (source.suffix != ".py" or source.parent != DEMO):
            target = folder / source.relative_to(DEMO)
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(source.read_bytes())
    small = _SMALL.search((ROOT / "README.md").read_text(encoding="utf-8"))
    if small:
        (folder / "small.yaml").write_text(small.group(1), encoding="utf-8")


_MAPPING = re.compile(r"```yaml\n# (\S+\.mapping\.yaml)\n(.*?)```", re.DOTALL)


Call = Callable[[list[str], Path, dict[str, str]], str]


def refreshed(page: Path, folder: Path, ask: Call | None = None) -> str:
    """Return a page with its examples' output made anew; ``folder`` has been prepared. The page's own mappings are put there.

    ``ask`` calls the program, where somebody else is to do that, and returns its output and then what it says besides.
    """
    for found in _MAPPING.finditer(page.read_text(encoding="utf-8")):
        (folder / found[1]).write_text(found[2], encoding="utf-8")

    def again(found: re.Match[str]) -> str:
        call, said = found.groups()
        words = shlex.split(call.removeprefix("$ "))[1:]
        if words[-1] == "&":
            return f"```console\n{call}\n{_settled(aside(words[:-1], folder, running))}```"
        environment = {**os.environ, "COLUMNS": "96", "PYTHONUTF8": "1"}
        program = Path(sys.executable).with_name("vetrina")
        together = words[0] in {"live", "capture"}
        if ask is not None and not together and not running:
            told = ask(words, folder, environment)
        else:
            done = subprocess.run(  # noqa: S603  (the project's own examples)
                [program, *words], cwd=folder, env=environment, stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT if together else subprocess.PIPE, text=True, check=False,
            )  # fmt: skip
            told = done.stdout + (done.stderr or "")
        whole = re.sub(rf"{re.escape(str(folder))} *( #)?", r"/home/duty/sereno \1", told)
        whole = re.sub(r"read in \d+\.\d\d s", "read in 0.02 s", whole)
        whole = _settled(whole) if running else whole
        lines = whole.splitlines()
        if said.rstrip().endswith("…"):
            kept = len(said.rstrip().splitlines()) - 1
            whole = "\n".join([*lines[:kept], "…"]) + "\n"
        return f"```console\n{call}\n{whole}```"

    running: list[subprocess.Popen[str]] = []
    try:
        return _CODE.sub(_printed(folder), _BLOCK.sub(again, page.read_text(encoding="utf-8")))
    finally:
        for one in running:
            one.terminate()
            one.communicate()


_VARYING = (
    (r"127\.0\.0\.1:\d+", "127.0.0.1:8700"),
    (r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z", "2026-11-13T10:41:02.123Z"),
    (r"(?m)^\d\d:\d\d:\d\d\.\d{3}  ", "10:41:02.123  "),
    (r"process \d+", "process 4711"),
    (r"\b\S+ on \S+, process", "duty on valley, process"),
    (r"(?<=last by )\S+", "duty"),
)


def _settled(text: str) -> str:
    """Return what a running service's page shows: times, ports and processes as they always are there."""
    for pattern, usual in _VARYING:
        text = re.sub(pattern, usual, text)
    return text


def aside(words: list[str], folder: Path, running: list[subprocess.Popen[str]]) -> str:
    """Start a command that goes on in the background to the end of the page; return its first two lines."""
    program = Path(sys.executable).with_name("vetrina")
    process = subprocess.Popen(  # noqa: S603  (the project's own examples)
        [program, *words], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    running.append(process)
    assert process.stdout is not None  # noqa: S101  (a pipe)
    return process.stdout.readline() + process.stdout.readline()


def _printed(folder: Path) -> Callable[[re.Match[str]], str]:
    """Return what runs a page's Python, block after block in one namespace, and puts what each prints after it."""
    names: dict[str, object] = {}

    def again(found: re.Match[str]) -> str:
        code, out = found.group(1), io.StringIO()
        with chdir(folder), redirect_stdout(out):
            exec(compile(code, "<page>", "exec"), names)  # noqa: S102  (the project's own examples)
        return f"```python\n{code}```\n\n```text\n{out.getvalue()}```"

    return again


def main() -> None:
    """Refresh every page, and make those of the reference."""
    for name, text in pages().items():
        (FOLDER / name).write_text(text, encoding="utf-8")
    for page in PAGES:
        with tempfile.TemporaryDirectory() as name:
            prepare(Path(name))
            page.write_text(refreshed(page, Path(name)), encoding="utf-8")


if __name__ == "__main__":
    main()
