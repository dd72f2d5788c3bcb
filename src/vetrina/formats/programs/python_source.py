"""Python source code, by the language's own parser."""

from __future__ import annotations

import ast
import warnings
from collections.abc import Callable, Iterator
from pathlib import PurePath

from vetrina.core.survey.code import Arg, Bindings, Call, Expr, Filled, Keys, Member, Name, Site, Text, Unit, Unknown
from vetrina.core.survey.messages import is_text

_UNKNOWN = Unknown()
_DEEPEST = 60


def python_unit(file: str, source: bytes, module: tuple[str, ...], wanted: Callable[[str], bool]) -> Unit:
    """Return what a file says; calls are those whose last name is ``wanted``. Raise SyntaxError, ValueError or RecursionError."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        tree = ast.parse(source)
    bindings = Bindings()
    imports: dict[str, tuple[str, ...]] = {}
    sites: list[tuple[int, int, Site]] = []
    waiting: list[tuple[ast.AST, tuple[str, ...], frozenset[str]]] = [(tree, (), frozenset())]
    while waiting:
        node, types, caught = waiting.pop()
        if isinstance(node, ast.Call):
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            if wanted(name):
                found = _expr(node, 0)
                if isinstance(found, Call):
                    sites.append((node.lineno, node.col_offset, Site(found, types, caught)))
        elif isinstance(node, ast.ClassDef):
            types = (*types, node.name)
        elif isinstance(node, ast.ExceptHandler):
            caught = caught | {node.name} if node.name else caught
        elif isinstance(node, ast.Import | ast.ImportFrom):
            imports |= dict(_imports(node, module))
        else:
            for target, value in _bound(node):
                bindings.add(target, node.lineno, types, _expr(value, 0))  # type: ignore[attr-defined]
        waiting += [(child, types, caught) for child in ast.iter_child_nodes(node)]
    ordered = tuple(site for _, _, site in sorted(sites, key=lambda one: one[:2]))
    logging = next((name for name, path in imports.items() if path == ("logging",)), "")
    return Unit(file, module, ordered, bindings.of, imports, by_type=False, made=bindings.outside(), standard_log=logging)


def module_of(path: PurePath, packages: Callable[[PurePath], bool]) -> tuple[str, ...]:
    """Return a file's dotted name: from the topmost folder around it that is a package (``packages`` tells), else its own."""
    parts = [] if path.stem == "__init__" else [path.stem]
    folder = path.parent
    while packages(folder) and folder.name:
        parts.insert(0, folder.name)
        folder = folder.parent
    return tuple(parts) or (path.parent.name,)


def _imports(node: ast.Import | ast.ImportFrom, module: tuple[str, ...]) -> Iterator[tuple[str, tuple[str, ...]]]:
    if isinstance(node, ast.Import):
        for one in node.names:
            path = tuple(one.name.split("."))
            yield (one.asname, path) if one.asname else (path[0], path[:1])
        return
    base = module[: len(module) - node.level] if node.level else ()
    path = (*base, *(node.module.split(".") if node.module else ()))
    for one in node.names:
        yield one.asname or one.name, (*path, one.name)


def _bound(node: ast.AST) -> Iterator[tuple[str, ast.expr]]:
    """Yield the names that a statement sets, with their values."""
    targets: list[ast.expr] = []
    value: ast.expr | None = None
    if isinstance(node, ast.Assign):
        targets, value = node.targets, node.value
    elif isinstance(node, ast.AnnAssign | ast.NamedExpr):
        targets, value = [node.target], node.value
    for target in targets if value is not None else ():
        assert value is not None  # noqa: S101  (asked in the line above)
        if isinstance(target, ast.Name):
            yield target.id, value
        elif isinstance(target, ast.Attribute):
            yield target.attr, value


def _expr(node: ast.AST, depth: int) -> Expr:
    """Return an expression as far as it matters."""
    if depth > _DEEPEST:
        return _UNKNOWN
    if isinstance(node, ast.Constant):
        return (
            Text((node.value,))
            if isinstance(node.value, str)
            else Name((str(node.value),))
            if node.value is None or isinstance(node.value, bool)
            else _UNKNOWN
        )
    if isinstance(node, ast.Name):
        return Name((node.id,))
    if isinstance(node, ast.Attribute):
        inner = _expr(node.value, depth + 1)
        return Name((*inner.path, node.attr)) if isinstance(inner, Name) else Member(inner, node.attr)
    if isinstance(node, ast.JoinedStr):
        return Text(tuple(_part(one, depth) for one in node.values), scanned=False)
    if isinstance(node, ast.BinOp):
        return _joined(node, depth)
    if isinstance(node, ast.Call):
        return _call(node, depth)
    if isinstance(node, ast.Dict):
        return Keys(tuple(key.value for key in node.keys if isinstance(key, ast.Constant) and isinstance(key.value, str)))
    return _UNKNOWN


def _part(node: ast.AST, depth: int) -> str | Expr:
    if isinstance(node, ast.FormattedValue):
        return _expr(node.value, depth + 1)
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else _UNKNOWN


def _joined(node: ast.BinOp, depth: int) -> Expr:
    """Return texts that are put together, or filled by the operator for it."""
    left = _expr(node.left, depth + 1)
    if isinstance(node.op, ast.Mod) and is_text(left):
        values = node.right.elts if isinstance(node.right, ast.Tuple) else [node.right]
        return Filled(left, tuple(Arg(None, _expr(one, depth + 1)) for one in values))
    right = _expr(node.right, depth + 1)
    if isinstance(node.op, ast.Add) and (is_text(left) or is_text(right)):
        return Text((left, right))
    return _UNKNOWN


def _call(node: ast.Call, depth: int) -> Expr:
    callee = _expr(node.func, depth + 1)
    args = [Arg(None, _expr(one.value if isinstance(one, ast.Starred) else one, depth + 1)) for one in node.args]
    args += [Arg(one.arg, _expr(one.value, depth + 1)) for one in node.keywords if one.arg is not None]
    if isinstance(callee, Member) and callee.name == "format" and is_text(callee.of):
        return Filled(callee.of, tuple(args))
    if isinstance(callee, Name | Member):
        return Call(callee, tuple(args), node.lineno)
    return _UNKNOWN
