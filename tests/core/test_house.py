"""The house is kept: commands are thin, functions and modules short."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

SOURCE = Path(__file__).parent.parent.parent / "src" / "vetrina"
MODULES = sorted(SOURCE.rglob("*.py"))
COMMANDS = sorted(path for path in (SOURCE / "commands").glob("*.py") if "def run(" in path.read_text(encoding="utf-8"))


def functions(path: Path) -> Iterator[ast.FunctionDef | ast.AsyncFunctionDef]:
    tree = ast.parse(path.read_text(encoding="utf-8"))
    return (node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef))


def statements(function: ast.AST) -> int:
    """Return how many statements a function has, at every depth, without its docstring."""
    found = sum(isinstance(node, ast.stmt) for node in ast.walk(function)) - 1
    return found - (ast.get_docstring(function) is not None)  # type: ignore[arg-type]


def body_lines(function: ast.FunctionDef | ast.AsyncFunctionDef) -> int:
    """Return how many lines a function's body has, without its docstring."""
    body = function.body[1:] if ast.get_docstring(function) is not None else function.body
    return (body[-1].end_lineno or 0) - body[0].lineno + 1 if body else 0


@pytest.mark.parametrize("path", COMMANDS, ids=lambda path: path.stem)
def test_a_command_reads_asks_and_shows(path: Path) -> None:
    (run,) = [one for one in functions(path) if one.name == "run" and isinstance(one.body[0], ast.Expr)]

    assert statements(run) <= 15


def test_no_function_is_longer_than_fifty_lines() -> None:
    lines = {f"{path.relative_to(SOURCE)}:{one.name}": body_lines(one) for path in MODULES for one in functions(path)}
    assert {name: count for name, count in lines.items() if count > 50} == {}


def test_no_module_is_longer_than_four_hundred_lines() -> None:
    lines = {str(path.relative_to(SOURCE)): path.read_text(encoding="utf-8").count("\n") for path in MODULES}
    assert {name: count for name, count in lines.items() if count > 400} == {}
