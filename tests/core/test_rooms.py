"""The rooms: no circle of files, and what begins with an underscore is imported inside its own room only."""

from __future__ import annotations

import ast
from functools import cache
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[2] / "src"
MODULES = {
    ".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix(".__init__"): path
    for path in (SOURCE / "vetrina").rglob("*.py")
}


@cache
def imported(module: str, *, at_start: bool) -> frozenset[str]:
    """Return the modules of ours that a module imports; ``at_start`` leaves out what is imported inside functions."""
    tree = ast.parse(MODULES[module].read_text())
    nodes = tree.body if at_start else ast.walk(tree)
    found: set[str] = set()
    for node in nodes:
        if isinstance(node, ast.ImportFrom) and node.module:
            found |= {
                whole if (whole := f"{node.module}.{name.name}") in MODULES else node.module for name in node.names
            } & MODULES.keys()
        elif isinstance(node, ast.Import):
            found |= {name.name for name in node.names} & MODULES.keys()
    return frozenset(found - {module})


def room(module: str) -> str:
    """Return the package that a module stands in."""
    return module if MODULES[module].name == "__init__.py" else module.rpartition(".")[0]


def test_no_circle_of_files() -> None:
    done: set[str] = set()

    def visit(module: str, way: tuple[str, ...]) -> None:
        assert module not in way, " -> ".join([*way[way.index(module) :], module])
        if module not in done:
            for other in sorted(imported(module, at_start=True)):
                visit(other, (*way, module))
            done.add(module)

    for module in sorted(MODULES):
        visit(module, ())


@pytest.mark.parametrize("module", sorted(MODULES))
def test_private_modules_stay_in_their_room(module: str) -> None:
    for other in imported(module, at_start=False):
        private = [at for at, part in enumerate(other.split(".")) if part.startswith("_") and not part.startswith("__")]
        if private:
            owner = ".".join(other.split(".")[: private[0]])
            assert module == owner or module.startswith(f"{owner}."), f"{module} imports {other}"


def test_private_names_stay_in_their_module() -> None:
    found = [
        f"{path.relative_to(SOURCE)}: {name.name}"
        for path in SOURCE.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("vetrina")
        for name in node.names
        if name.name.startswith("_") and not name.name.startswith("__")
    ]
    assert found == []


def test_every_name_that_is_offered_is_there() -> None:
    import vetrina

    assert all(getattr(vetrina, name) is not None for name in vetrina.__all__)
