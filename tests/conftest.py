"""Shared by all tests: the installed program as a subprocess, and small builders."""

from __future__ import annotations

import json
import os
import pty
import signal
import subprocess
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from support import PROGRAM, Ran, Run
from warm import Warm

settings.register_profile("vetrina", deadline=None, max_examples=10, print_blob=True)
settings.register_profile("long", deadline=None, max_examples=40, print_blob=True)
settings.load_profile("vetrina")


def pytest_configure(config: pytest.Config) -> None:
    """Under --long, try each property on more examples, unless it says how many; let what tests start hear Ctrl-C, also where a shell's background does not."""
    signal.signal(signal.SIGINT, signal.default_int_handler)
    if config.getoption("--long"):
        settings.load_profile("long")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out what is long, and try each property on 40 examples at most; under --few on fewer: enough to go every way."""
    if not config.getoption("--long"):
        left = [item for item in items if item.get_closest_marker("long") is not None]
        config.hook.pytest_deselected(items=left)
        items[:] = [item for item in items if item not in left]
        most = 25 if config.getoption("--few") else 40
        for item in items:
            test = getattr(item, "obj", None)
            known = getattr(test, "_hypothesis_internal_use_settings", None)
            if test is not None and known is not None and item.get_closest_marker("whole") is None:
                test._hypothesis_internal_use_settings = settings(known, max_examples=min(known.max_examples, most))


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--few", action="store_true", help="try properties on 25 examples at most")
    parser.addoption("--cold", action="store_true", help="start the program anew for every call")
    parser.addoption("--long", action="store_true", help="also what is marked long, and more examples of each property")
    parser.addoption("--regold", action="store_true", help="write the golden screens anew")


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return tmp_path


@pytest.fixture(scope="session")
def warm(request: pytest.FixtureRequest) -> Iterator[Warm | None]:
    if request.config.getoption("--cold"):
        yield None
        return
    found = Warm()
    yield found
    found.close()


@pytest.fixture
def run(folder: Path, warm: Warm | None) -> Run:
    """Call the installed program in the test's own folder, in a process of its own."""

    def call(*words: object, stdin: bytes | None = None, env: dict[str, str] | None = None, cwd: Path | None = None) -> Ran:
        environment = {name: value for name, value in os.environ.items() if not name.startswith("ROPEWAY_")}
        environment |= {"COLUMNS": "100", "PYTHONUTF8": "1", **(env or {})}
        line, there, given = [str(PROGRAM), *map(str, words)], cwd or folder, stdin or b""
        if warm is not None and warm.serves(environment):
            code, out, err = warm.call(PROGRAM, line[1:], there, environment, given, 120)
        else:
            done = subprocess.run(line, cwd=there, env=environment, input=given, capture_output=True, timeout=120, check=False)
            code, out, err = done.returncode, done.stdout, done.stderr
        assert b"Traceback" not in err, err.decode()
        return Ran(code, out.decode(), err.decode())

    return call


@pytest.fixture
def write(folder: Path) -> Callable[..., Path]:
    """Write a file into the test's folder; events may be given as a list of records."""

    def put(name: str, content: str | bytes | list[Any]) -> Path:
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if isinstance(content, bytes):
            path.write_bytes(content)
        elif isinstance(content, str):
            path.write_text(content, encoding="utf-8")
        else:
            path.write_text("".join(json.dumps(row) + "\n" for row in content), encoding="utf-8")
        return path

    return put


@pytest.fixture
def run_on_terminal(folder: Path) -> Callable[..., Ran]:
    """Call the installed program with a terminal as standard output, without colour; standard error stays a pipe."""

    def call(*words: object, columns: int = 80, env: dict[str, str] | None = None) -> Ran:
        ours, theirs = pty.openpty()
        environment = {**os.environ, "COLUMNS": str(columns), "NO_COLOR": "1", "PYTHONUTF8": "1", **(env or {})}
        program = subprocess.Popen(
            [str(PROGRAM), *map(str, words)], cwd=folder, env=environment, stdin=subprocess.DEVNULL, stdout=theirs, stderr=subprocess.PIPE
        )  # fmt: skip
        os.close(theirs)
        pieces = []
        with suppress(OSError):  # the terminal's end
            while piece := os.read(ours, 1 << 16):
                pieces.append(piece)
        os.close(ours)
        _, said = program.communicate(timeout=120)
        return Ran(program.returncode, b"".join(pieces).decode().replace("\r\n", "\n"), said.decode())

    return call
