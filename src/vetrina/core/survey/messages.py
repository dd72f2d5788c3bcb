"""Messages as they stand in source code, with holes of every notation written as `{name}`, or `{1}`, `{2}` where they have no name."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from vetrina.core.survey.code import Arg, Call, Expr, Filled, Keys, Name, Text

_HOLE = re.compile(
    r"\{\{|\}\}|\{([@$]?)([A-Za-z_][A-Za-z0-9_.-]*)?[0-9]*(?:![rsa])?(?:,-?[0-9]+)?(?::[^{}]*)?\}|\$\{([A-Za-z_][A-Za-z0-9_.]*)\}"
)
_PERCENT = re.compile(r"%%|%(?:\(([A-Za-z_][A-Za-z0-9_.-]*)\))?[-#0+]*(?:[0-9]+|\*)?(?:\.(?:[0-9]+|\*))?[hlLqzt]*[A-Za-z@]")
_EITHER = re.compile(f"{_HOLE.pattern}|{_PERCENT.pattern}")
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_.-]*\Z")
_OWN = frozenset({"self", "this", "cls", "@"})


class Message:
    """A message that is put together: its text, and the names of its holes."""

    def __init__(self, expr: Expr, *, filled: bool) -> None:
        """Read a message; where values follow it, ``filled``, `%s` is a hole too."""
        self.names: list[str] = []
        self.known = False
        self._count = 0
        self.text = "".join(self._pieces(expr, filled=filled))

    def _pieces(self, expr: Expr, *, filled: bool) -> Iterator[str]:
        if isinstance(expr, Filled):
            yield from self._pieces(expr.text, filled=True)
        elif isinstance(expr, Text):
            for part in expr.parts:
                if isinstance(part, str):
                    self.known = self.known or bool(part)
                    yield self._scanned(part, filled=filled) if expr.scanned else part
                elif isinstance(part, Text | Filled):
                    yield from self._pieces(part, filled=filled)
                else:
                    yield self._hole(name_of(part))
        else:
            yield self._hole(name_of(expr))

    def _scanned(self, text: str, *, filled: bool) -> str:
        return _EITHER.sub(self._either, text) if filled else _HOLE.sub(self._brace, text)

    def _either(self, match: re.Match[str]) -> str:
        whole = match.group()
        if whole.startswith("%"):
            return _PERCENT.sub(self._percent, whole)
        return _HOLE.sub(self._brace, whole)

    def _brace(self, match: re.Match[str]) -> str:
        whole = match.group()
        return whole[0] if whole in {"{{", "}}"} else self._hole(match.group(2) or match.group(3))

    def _percent(self, match: re.Match[str]) -> str:
        return "%" if match.group() == "%%" else self._hole(match.group(1))

    def _hole(self, name: str | None) -> str:
        if name is None:
            self._count += 1
            return f"{{{self._count}}}"
        self.names.append(name)
        return f"{{{name}}}"


def name_of(expr: Expr) -> str | None:
    """Return the name that a value has in a hole, None for one without."""
    if not isinstance(expr, Name):
        return None
    path = [part.lstrip("@$") for part in expr.path]
    name = ".".join(path[1:] if len(path) > 1 and path[0] in _OWN else path)
    return name if _NAME.match(name) else None


def is_text(expr: Expr) -> bool:
    """Tell whether an expression is a text, put together or filled."""
    return isinstance(expr, Text) or (isinstance(expr, Filled) and is_text(expr.text))


def constant(expr: Expr | None) -> str | None:
    """Return a text in which nothing is put, None for anything else."""
    if isinstance(expr, Text) and all(isinstance(part, str) for part in expr.parts):
        return "".join(part for part in expr.parts if isinstance(part, str))
    return None


def field_names(args: Sequence[Arg], holes: Sequence[str]) -> tuple[str, ...]:
    """Return the names of the values that go along: those of holes, of named arguments, and of mappings that are written out."""
    found = dict.fromkeys(holes)
    for name, value in args:
        if isinstance(value, Keys):
            found.update(dict.fromkeys(value.names))
        elif (name is not None and not isinstance(value, Call)) or name is not None:
            found[name] = None
    return tuple(found)
