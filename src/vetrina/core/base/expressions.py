"""Regular expressions by RE2: linear time on any input."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from vetrina.core.base.errors import VetrinaError


class BadExpression(VetrinaError):
    """Why a regular expression is none."""


def _quiet(options: Any) -> Any:
    """Return options of RE2 with which it writes nothing by itself."""
    options.log_errors = False
    return options


def _reason(error: Exception) -> str:
    """Return RE2's reason, which may be bytes."""
    reason = error.args[0] if error.args else error
    return reason.decode("utf-8", "replace") if isinstance(reason, bytes) else str(reason)


class Expression:
    """An RE2 expression, searched in a text; ``groups`` are the names of its groups, ``names`` these in their order."""

    __slots__ = ("_compiled", "_search", "groups", "names", "text")

    def __init__(self, text: str) -> None:
        """Compile ``text``; raise BadExpression with RE2's reason."""
        import re2  # noqa: PLC0415  (16 ms of start-up, for plans with expressions only)

        self.text = text
        try:
            self._compiled = re2.compile(text, _quiet(re2.Options()))
        except re2.error as error:
            raise BadExpression(_reason(error)) from None
        except UnicodeEncodeError as error:
            raise BadExpression(f"bytes at character {error.start + 1} are no UTF-8") from None

        self._search = self._compiled.search
        index = self._compiled.groupindex
        self.names: tuple[str, ...] = tuple(sorted(index, key=index.__getitem__))
        self.groups: frozenset[str] = frozenset(index)

    def __reduce__(self) -> tuple[type[Expression], tuple[str]]:
        """Travel between processes as a text."""
        return type(self), (self.text,)

    def found_in(self, text: str) -> bool:
        """Tell whether the expression is found anywhere in ``text``."""
        return self._search(text) is not None

    def search(self, text: str, start: int = 0) -> Any:
        """Return the first match from ``start`` on, None where there is none; it answers as matches of `re` do."""
        return self._search(text, start)

    def match(self, text: str, start: int = 0) -> Any:
        """Return the match that begins at ``start``, None where there is none."""
        return self._compiled.match(text, start)

    def fullmatch(self, text: str) -> Any:
        """Return the match of the whole text, None where it does not match."""
        return self._compiled.fullmatch(text)

    def finditer(self, text: str) -> Iterator[Any]:
        """Yield the matches, from left to right."""
        found: Iterator[Any] = self._compiled.finditer(text)
        return found

    def __eq__(self, other: object) -> bool:
        """Two expressions are one when their texts are."""
        return isinstance(other, Expression) and self.text == other.text

    def __hash__(self) -> int:
        """Hash by text."""
        return hash(self.text)

    def __repr__(self) -> str:
        """Show the text."""
        return f"Expression({self.text!r})"


_TOGETHER = 500


def pattern_set(texts: Sequence[str]) -> Callable[[str], list[int]]:
    """Return the function from a text to the places of the expressions that match all of it, in order.

    Raise BadExpression with RE2's reason for one that is none.
    """
    import re2  # noqa: PLC0415  (16 ms of start-up, for what needs it only)

    options = _quiet(re2.Options())
    options.max_mem = 256 << 20
    sets: list[tuple[int, Any]] = []
    for begun in range(0, len(texts), _TOGETHER):
        one = re2.Set.FullMatchSet(options)
        for text in texts[begun : begun + _TOGETHER]:
            try:
                one.Add(text)
            except re2.error as error:
                raise BadExpression(_reason(error)) from None
        one.Compile()
        sets.append((begun, one))

    def places(text: str) -> list[int]:
        clean = text if text.isascii() else text.encode("utf-8", "replace").decode()
        return sorted(begun + at for begun, one in sets for at in one.Match(clean) or ())

    return places
