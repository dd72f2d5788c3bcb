"""Any XPath 1.0, worked out by elementpath over a copy of a document's tree.

Comparisons are done here, as XPath 1.0 (3.4) says: the library compares a node with a number as text.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from copy import copy
from typing import Any
from xml.etree.ElementTree import Element, ElementTree

from elementpath import ElementPathError, XPath1Parser, XPathContext
from elementpath.datatypes import UntypedAtomic
from elementpath.tree_builders import get_node_tree
from elementpath.xpath_nodes import EtreeElementNode

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.documents.tree import Document, Part


class _Node(EtreeElementNode):
    """An element whose text is that of all texts in it, in document order (5.2); the library puts some behind others."""

    __slots__ = ()

    @property
    def string_value(self) -> str:
        """Return the text."""
        return "".join(self.value.itertext())  # type: ignore[union-attr]

    @property
    def compat_string_value(self) -> str:
        """Return the text."""
        return self.string_value

    @property
    def iter_typed_values(self) -> Iterator[Any]:
        """Yield the text, which has no type."""
        yield UntypedAtomic(self.string_value)


class _Copy:
    """A document's tree as the library wants it, and the way from its nodes back to parts."""

    def __init__(self, document: Document) -> None:
        self.part_of: dict[int, Part] = {}
        self.element_of: dict[int, Any] = {}
        top = next(one for one in document.root.children if one.kind == "element")
        waiting: list[tuple[Part, Any]] = [(top, None)]
        root: Any = None
        while waiting:
            part, above = waiting.pop()
            made = Element(part.name or "", {one.name or "": one.text for one in part.attributes})
            self.part_of[id(made)], self.element_of[id(part)] = part, made
            if above is None:
                root = made
            else:
                above.append(made)
            waiting += [(one, made) for one in reversed(part.children) if one.kind == "element"]
        for part in self.part_of.values():
            self._fill(self.element_of[id(part)], part)
        self.tree: Any = get_node_tree(ElementTree(root))
        for node in self.tree.iter_lazy():
            if isinstance(node, EtreeElementNode):
                node.__class__ = _Node
        self.document = document

    def _fill(self, made: Any, part: Part) -> None:
        """Put an element's texts where the library looks for them: before the first child, or after one."""
        last = None
        for one in part.children:
            if one.kind == "element":
                last = self.element_of[id(one)]
            elif last is None:
                made.text = one.text
            else:
                last.tail = one.text

    def node(self, part: Part) -> Any:
        """Return the library's node for a part."""
        if part.kind == "document":
            return self.tree
        if part.kind == "element":
            return self.tree.elements[self.element_of[id(part)]]
        assert part.parent is not None  # noqa: S101  (attributes and texts stand in elements)
        holder = self.tree.elements[self.element_of[id(part.parent)]]
        if part.kind == "attribute":
            return next(one for one in holder.attributes if one.name == part.name)
        texts = [one for one in part.parent.children if one.kind == "text"]
        return [one for one in holder.children if one.node_kind == "text"][texts.index(part)]

    def part(self, node: Any) -> Part | None:
        """Return the part behind a node, None for one of another kind (a namespace)."""
        if node.node_kind == "document":
            return self.document.root
        if node.node_kind == "element":
            return self.part_of[id(node.value)]
        if node.node_kind not in {"attribute", "text"} or node.parent is None:
            return None
        holder = self.part_of[id(node.parent.value)]
        if node.node_kind == "attribute":
            return next(one for one in holder.attributes if one.name == node.name)
        texts = [one for one in node.parent.children if one.node_kind == "text"]
        return [one for one in holder.children if one.kind == "text"][texts.index(node)]


def _copy_of(document: Document) -> _Copy:
    if document.aside is None:
        document.aside = _Copy(document)
    found: _Copy = document.aside
    return found


class LibraryPath:
    """Any other XPath, worked out by elementpath."""

    def __init__(self, text: str, spaces: Mapping[str, str]) -> None:
        self._seen: list[tuple[Any, bool]] = []
        try:
            self._token = XPath1Parser(namespaces=dict(spaces)).parse(text)
        except (ElementPathError, RecursionError) as error:
            raise NotUnderstood(_reason(error)) from None
        for token in self._token.iter():
            if token.label == "function":
                for argument in (one for one in token if _is_path(one)):
                    argument.select = _in_order(argument.select)  # type: ignore[assignment]
            if token.symbol in _COMPARISONS and len(token) == 2:
                token.evaluate = _comparing(token, _COMPARISONS[token.symbol])  # type: ignore[method-assign]
        for token in self._token.iter():
            if token.symbol == "[":
                self._watch(token[1])
        self._operands = [] if _is_path(self._token) else list(_operands(self._token, value=True))

    def _watch(self, asked: Any) -> None:
        """Have a predicate tell what it compares at each part that it is asked of, whatever comes of it."""
        operands = [(token, token.select, value) for token, value in _operands(asked, value=False)]
        original = asked.select

        def select(context: Any = None) -> Iterator[Any]:
            if context is not None:
                for _token, nodes, value in operands:
                    self._seen += [(node, value) for node in nodes(copy(context))]
            return iter(list(original(context)))

        asked.select = select

    def select(self, part: Part) -> Sequence[Part] | str:
        """Return the parts in document order, or the text that the path makes."""
        whole = _copy_of(part.document)
        self._seen.clear()
        try:
            context = XPathContext(root=whole.tree, item=whole.node(part))
            for token, value in self._operands:
                self._seen += [(node, value) for node in token.select(copy(context))]
            result = _nodes(self._token.evaluate(context))
        except (ElementPathError, RecursionError, ArithmeticError, TypeError, ValueError) as error:
            raise NotUnderstood(_reason(error)) from None
        self._touch(whole)
        if isinstance(result, list):
            parts = [one for node in result if (one := whole.part(node)) is not None]
            return sorted({id(one): one for one in parts}.values(), key=lambda one: one.order)
        return _text(result)

    def _touch(self, whole: _Copy) -> None:
        for node, value in self._seen:
            part = whole.part(node) if hasattr(node, "node_kind") else None
            if part is not None and part.kind != "document":
                part.touch_value() if value else part.touch()
        self._seen.clear()


def _text(result: object) -> str:
    """Return a boolean or a number as XPath 1.0 (4.2) makes text of it."""
    if isinstance(result, bool):
        return str(result).lower()
    if isinstance(result, str):
        return result
    number = float(result)  # type: ignore[arg-type]
    if number != number or number in {float("inf"), float("-inf")}:  # noqa: PLR0124  (what is no number differs from itself)
        return {"nan": "NaN", "inf": "Infinity", "-inf": "-Infinity"}[str(number)]
    return str(int(number)) if number.is_integer() else repr(number)


_COMPARISONS: dict[str, Callable[[Any, Any], bool]] = {
    "=": operator.eq, "!=": operator.ne, "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip
_NUMBER = re.compile(r"\s*-?(?:\d+(?:\.\d*)?|\.\d+)\s*\Z")


def _comparing(token: Any, compare: Callable[[Any, Any], bool]) -> Callable[..., bool]:
    """Return how a comparison is evaluated, as XPath 1.0 (3.4) says."""

    def evaluate(context: Any = None) -> bool:
        left, right = (_nodes(one.evaluate(copy(context))) for one in token)
        return _compared(left, right, compare)

    return evaluate


def _in_order(select: Callable[[Any], Iterator[Any]]) -> Callable[[Any], Iterator[Any]]:
    """Return how a function's argument is found: in document order, whatever the axis, for many take its first node."""

    def found(context: Any = None) -> Iterator[Any]:
        return iter(sorted(select(context), key=lambda node: getattr(node, "position", 0)))

    return found


def _nodes(value: Any) -> Any:
    """Return a single node as the set that it is."""
    return [value] if hasattr(value, "node_kind") else value


def _compared(left: Any, right: Any, compare: Callable[[Any, Any], bool]) -> bool:
    if isinstance(left, bool) or isinstance(right, bool):
        return compare(_truth(left), _truth(right))
    if isinstance(left, list):
        return any(_compared(one.string_value, right, compare) for one in left)
    if isinstance(right, list):
        return any(_compared(left, one.string_value, compare) for one in right)
    if isinstance(left, str) and isinstance(right, str) and compare in {operator.eq, operator.ne}:
        return compare(left, right)
    return compare(_as_number(left), _as_number(right))


def _truth(value: Any) -> bool:
    """Return a value as a boolean (4.3): a set of nodes is true where it holds one, a number where it is not 0 or NaN."""
    return bool(value) if isinstance(value, bool | list | str) else value == value and value != 0  # noqa: PLR0124  (NaN differs from itself)


def _as_number(value: Any) -> float:
    """Return a value as a number (4.4): of a text that is none, NaN."""
    if isinstance(value, str):
        return float(value) if _NUMBER.match(value) else float("nan")
    return float(value)


_PATHS = frozenset({"/", "//", "[", "(name)", "*", "@", ".", "..", ":", "|"})
_VALUES = frozenset({"=", "!=", "<", "<=", ">", ">=", "+", "-", "div", "mod"})
_EXISTENCE = frozenset({"and", "or", "not", "boolean", "count", "name", "local-name", "namespace-uri"})


def _is_path(token: Any) -> bool:
    return token.symbol in _PATHS or token.label in {"axis", "kind test"}


def _operands(token: Any, *, value: bool) -> Iterable[tuple[Any, bool]]:
    """Yield the paths that an expression looks at, and whether at their values or only whether they are there."""
    if token.symbol == "|":
        for one in token:
            yield from _operands(one, value=value)
    elif _is_path(token):
        yield token, value
    else:
        below = token.symbol not in _EXISTENCE and (value or token.symbol in _VALUES or token.label == "function")
        for one in token:
            yield from _operands(one, value=below)


def _reason(error: Exception) -> str:
    text = str(error).split("\n", 1)[0]
    return re.sub(r"^\[err:\w+\]\s*|^\S+ \S+ at line \d+, column \d+: \[err:\w+\]\s*", "", text)[:200] or "it is no XPath"
