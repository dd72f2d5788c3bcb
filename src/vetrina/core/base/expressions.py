"""Regular expressions by RE2: linear time on any input."""

from __future__ import annotations

from vetrina.core.base.errors import VetrinaError


class BadExpression(VetrinaError):
    """Why a regular expression is none."""


class Expression:
    """An RE2 expression, searched in a text."""

    __slots__ = ("_search", "text")

    def __init__(self, text: str) -> None:
        """Compile ``text``; raise BadExpression with RE2's reason."""
        import re2  # noqa: PLC0415  (16 ms of start-up, for plans with expressions only)

        options = re2.Options()
        options.log_errors = False
        self.text = text
        try:
            self._search = re2.compile(text, options).search
        except re2.error as error:
            reason = error.args[0] if error.args else error
            raise BadExpression(reason.decode("utf-8", "replace") if isinstance(reason, bytes) else str(reason)) from None

    def __reduce__(self) -> tuple[type[Expression], tuple[str]]:
        """Travel between processes as a text."""
        return type(self), (self.text,)

    def found_in(self, text: str) -> bool:
        """Tell whether the expression is found anywhere in ``text``."""
        return self._search(text) is not None

    def __eq__(self, other: object) -> bool:
        """Two expressions are one when their texts are."""
        return isinstance(other, Expression) and self.text == other.text

    def __hash__(self) -> int:
        """Hash by text."""
        return hash(self.text)

    def __repr__(self) -> str:
        """Show the text."""
        return f"Expression({self.text!r})"
