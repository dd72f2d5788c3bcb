"""XPath 1.0 over a document's parts.

Plain steps (names, attributes, axes, `[@name='text']`) are walked here; everything else goes to elementpath, over a
copy of the tree that is made when the first such path is asked. Measured: docs/benchmarks.md, "a document of 10,000
loggers": the library alone takes over ten times as long for `@name`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from copy import copy
from typing import Any

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.documents.notation import Path
from vetrina.core.documents.tree import Document, Part

_XML = "http://www.w3.org/XML/1998/namespace"
_NAME = r"[^\W\d][\w.-]*"
_STEP = re.compile(
    rf"""(?:(?P<axis>child|attribute|self|parent|ancestor|ancestor-or-self|descendant|descendant-or-self)::|(?P<at>@))?
    (?P<test>{_NAME}(?::{_NAME})?|\*)(?![\w(:.-])(?P<asked>(?:\[\s*@{_NAME}\s*=\s*(?:'[^']*'|"[^"]*")\s*\])*)|(?P<dots>\.\.?)(?![\w.])""",
    re.VERBOSE,
)
_ASKED = re.compile(rf"""\[\s*@({_NAME})\s*=\s*(?:'([^']*)'|"([^"]*)")\s*\]""")


class _Step(Struct, frozen=True):
    """One step: its axis, the name it wants (empty: any), what its attributes must be, and whether `//` stands before it."""

    axis: str
    name: str
    asked: tuple[tuple[str, str], ...] = ()
    deep: bool = False


def compiled(text: str, spaces: Mapping[str, str]) -> Path:
    """Return a compiled path; raise NotUnderstood with the reason where it is no XPath."""
    plain = _plain(text.strip(), spaces)
    return plain if plain is not None else _LibraryPath(text, spaces)


def _plain(text: str, spaces: Mapping[str, str]) -> PlainPath | None:
    """Return a path of plain steps, None for any other."""
    absolute = text.startswith("/")
    if text == "/":
        return PlainPath((), absolute=True)
    steps: list[_Step] = []
    position = 0
    while position < len(text) or not steps:
        slashes = 2 if text.startswith("//", position) else 1 if text.startswith("/", position) else 0
        if bool(slashes) != bool(steps or absolute):
            return None
        found = _STEP.match(text, position + slashes)
        step = _step(found, spaces, deep=slashes == 2) if found else None
        if found is None or step is None:
            return None
        steps.append(step)
        position = found.end()
    return PlainPath(tuple(steps), absolute=absolute)


def _step(found: re.Match[str], spaces: Mapping[str, str], *, deep: bool) -> _Step | None:
    if found["dots"]:
        return None if deep else _Step("self" if found["dots"] == "." else "parent", "")
    axis = found["axis"] or ("attribute" if found["at"] else "child")
    name = "" if found["test"] == "*" else _expanded(found["test"], spaces)
    if name is None or (deep and axis not in {"child", "attribute"}):
        return None
    asked = tuple((one[1], one[2] if one[2] is not None else one[3]) for one in _ASKED.finditer(found["asked"] or ""))
    return _Step(axis, name, asked, deep)


def _expanded(name: str, spaces: Mapping[str, str]) -> str | None:
    prefix, colon, local = name.partition(":")
    if not colon:
        return name
    space = spaces.get(prefix, _XML if prefix == "xml" else None)
    return None if space is None else f"{{{space}}}{local}"


class PlainPath(Struct, frozen=True):
    """A path of plain steps."""

    steps: tuple[_Step, ...]
    absolute: bool

    def select(self, part: Part) -> Sequence[Part]:
        """Return the parts in document order."""
        steps = self.steps
        if len(steps) == 1 and not self.absolute and steps[0].axis in {"attribute", "child"} and not steps[0].asked:
            return _AXES[steps[0].axis](part, steps[0].name)
        found: list[Part] = [part.document.root] if self.absolute else [part]
        if self.absolute and steps and steps[0].deep and steps[0].axis == "child":
            found = list(part.document.elements(steps[0].name))
            found = [one for one in found if _has(one, steps[0].asked)] if steps[0].asked else found
            steps = steps[1:]
        for step in steps:
            found = _walk(found, step)
            if not found:
                break
        return found


def _walk(parts: list[Part], step: _Step) -> list[Part]:
    """Return what one step takes from some parts, each once, in document order."""
    axis, name = _AXES[step.axis], step.name
    if step.deep:
        parts = [one for part in parts for one in _subtree(part)]
    found = [one for part in parts for one in axis(part, name)]
    if step.asked:
        found = [one for one in found if _has(one, step.asked)]
    if len(parts) > 1 and len(found) > 1:
        found = sorted({id(one): one for one in found}.values(), key=_order)
    elif step.axis in _BACKWARD:
        found.reverse()
    return found


def _order(part: Part) -> int:
    return part.order


def _has(part: Part, asked: tuple[tuple[str, str], ...]) -> bool:
    """Tell whether an element's attributes are as asked; what is compared is touched, whatever comes of it."""
    fits = True
    for name, wanted in asked:
        given = next((one for one in part.attributes if one.name == name), None)
        if given is not None:
            given.touch()
        fits = fits and given is not None and given.text == wanted
    return fits


def _subtree(part: Part) -> Iterator[Part]:
    if part.kind in {"element", "document"}:
        yield part
        for child in part.children:
            if child.kind == "element":
                yield from _subtree(child)


def _children(part: Part, name: str) -> list[Part]:
    return [one for one in part.children if one.kind == "element" and (not name or one.name == name)]


def _attributes(part: Part, name: str) -> list[Part]:
    return [one for one in part.attributes if not name or one.name == name]


def _self(part: Part, name: str) -> list[Part]:
    return [part] if not name or (part.kind == "element" and part.name == name) else []


def _parent(part: Part, name: str) -> list[Part]:
    return [] if part.parent is None or (name and part.parent.name != name) else [part.parent]


def _ancestors(part: Part, name: str) -> list[Part]:
    found, here = [], part.parent
    while here is not None:
        if here.kind == "element" and (not name or here.name == name):
            found.append(here)
        here = here.parent
    return found


def _ancestors_or_self(part: Part, name: str) -> list[Part]:
    own = [part] if part.kind == "element" and (not name or part.name == name) else []
    return own + _ancestors(part, name)


def _descendants(part: Part, name: str) -> list[Part]:
    return [one for one in _subtree(part) if one is not part and (not name or one.name == name)]


def _descendants_or_self(part: Part, name: str) -> list[Part]:
    return [one for one in _subtree(part) if one.kind == "element" and (not name or one.name == name)]


_BACKWARD = {"ancestor", "ancestor-or-self"}
_AXES: dict[str, Callable[[Part, str], list[Part]]] = {
    "child": _children,
    "attribute": _attributes,
    "self": _self,
    "parent": _parent,
    "ancestor": _ancestors,
    "ancestor-or-self": _ancestors_or_self,
    "descendant": _descendants,
    "descendant-or-self": _descendants_or_self,
}


class _Copy:
    """A document's tree as the library wants it, and the way from its nodes back to parts."""

    def __init__(self, document: Document) -> None:
        from xml.etree.ElementTree import Element, ElementTree  # noqa: PLC0415  (nothing is parsed by it)

        from elementpath.tree_builders import get_node_tree  # noqa: PLC0415  (0.2 s, for such paths only)

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


class _LibraryPath:
    """Any other XPath, worked out by elementpath."""

    def __init__(self, text: str, spaces: Mapping[str, str]) -> None:
        from elementpath import ElementPathError, XPath1Parser  # noqa: PLC0415  (0.2 s, for such paths only)

        self._error = ElementPathError
        self._seen: list[tuple[Any, bool]] = []
        try:
            self._token = XPath1Parser(namespaces=dict(spaces)).parse(text)
        except (ElementPathError, RecursionError) as error:
            raise NotUnderstood(_reason(error)) from None
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
        from elementpath import XPathContext  # noqa: PLC0415  (loaded with the path)

        whole = _copy_of(part.document)
        self._seen.clear()
        try:
            context = XPathContext(root=whole.tree, item=whole.node(part))
            for token, value in self._operands:
                self._seen += [(node, value) for node in token.select(copy(context))]
            result = self._token.evaluate(context)
        except (self._error, RecursionError, ArithmeticError, TypeError, ValueError) as error:
            raise NotUnderstood(_reason(error)) from None
        self._touch(whole)
        if isinstance(result, list):
            parts = [one for node in result if (one := whole.part(node)) is not None]
            return sorted({id(one): one for one in parts}.values(), key=_order)
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
