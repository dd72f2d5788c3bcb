"""The house is kept: commands are thin, functions and modules short."""

from __future__ import annotations

import ast
import re
import tomllib
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path

import pytest
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

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


def test_all_that_is_installed_is_pinned_within_what_is_asked_for() -> None:
    root = SOURCE.parent.parent
    asked = tomllib.loads((root / "pyproject.toml").read_text(encoding="utf-8"))
    lines = (root / "constraints.txt").read_text(encoding="utf-8").splitlines()
    pins = {canonicalize_name(name): version for name, _, version in (one.partition("==") for one in lines if one[0] != "#")}
    wanted = [asked["build-system"]["requires"], asked["project"]["dependencies"]]
    wanted += asked["project"]["optional-dependencies"].values()
    rows = [Requirement(one) for group in wanted for one in group if not one.startswith("vetrina[")]

    assert [str(one) for one in rows if not one.specifier.contains(pins.get(canonicalize_name(one.name), "0"))] == []


_NOUNS = (
    "appenders|blocks|bytes|changes|characters|checks|columns|days|deliveries|entries|events|fields|files|findings|hits|hours|keys|levels|"
    "lines|loggers|logs|mails|messages|parts|plans|records|requests|rows|rules|runs|sections|sources|stages|statements|values"
)
_MANY = re.compile(rf" (?:(?:more|further|other|whole|new) )?(?:{_NOUNS})\b")
_NEVER_ONE = {
    "label", "level", "text", "layer.label", "mapping",  # names before a verb, not numbers
    "len(sources)", "len(files)", "len(names)", "len(self.days)", "count", "opened", "enough", "len(opened)", "a_day or 0",  # told only of several
    "most", "self.most_files", "self.most_bytes", "size", "size * times", "runs", "len(hours)", "len(text)", "len(logger)",  # beyond a bound
    "number(round(reading.events / (now - self._begun)))", "number(now)", "number(found.events)", "plain(count_of(shift.gained))",
    "roles.values[0][0].label",
}  # fmt: skip
"""What stands before a noun in the plural and is no number of things that may be one."""


def test_what_may_be_one_is_counted_by_one_function() -> None:
    found = []
    for path in MODULES:
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            for value, text in pairwise(node.values) if isinstance(node, ast.JoinedStr) else ():
                if not (
                    isinstance(value, ast.FormattedValue) and isinstance(text, ast.Constant) and _MANY.match(str(text.value))
                ):
                    continue
                told = ast.unparse(value.value)
                if told not in _NEVER_ONE and not re.search(r"\b_?[A-Z][A-Z_]+\b", told):  # a bound of the program is many
                    found.append(f"{path.relative_to(SOURCE)}:{value.lineno}: {told}{str(text.value)[:20]}")

    assert found == [], "core.base.wording.counted writes a number and its noun"
