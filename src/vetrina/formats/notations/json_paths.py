"""JSONPath (RFC 9535) over a document's parts.

Plain names, indexes and wildcards are walked here; everything else goes to jsonpath-rfc9535, over plain values that are
made when the first such path is asked. Expressions in its `match` and `search` are RE2's.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.config.placeholders import typed
from vetrina.core.documents.notation import Path
from vetrina.core.documents.tree import Document, Part

_SEGMENT = re.compile(
    r"""(?P<deep>\.\.)?(?:
      (?P<dot>(?<=\.\.)|\.)(?P<name>[A-Za-z_\u0080-\U0010ffff][\w\u0080-\U0010ffff]*|\*)
    | \[(?:(?P<single>'(?:[^'\\\x00-\x1f])*')|(?P<double>"(?:[^"\\\x00-\x1f])*")|(?P<index>0|[1-9]\d{0,8})|(?P<all>\*))\]
    )""",
    re.VERBOSE,
)


class Segment(Struct, frozen=True):
    """One segment: the member or item that it wants (None: all), also further down where it is deep."""

    wanted: str | int | None
    deep: bool = False


def compiled(text: str, spaces: Mapping[str, str]) -> Path:
    """Return a compiled path; raise NotUnderstood with the reason where it is no JSONPath."""
    del spaces
    plain = plain_path(text.strip())
    return plain if plain is not None else _LibraryPath(text.strip())


def plain_path(text: str) -> PlainPath | None:
    """Return a path of plain segments, None for any other."""
    if not text.startswith("$"):
        return None
    segments = []
    position = 1
    while position < len(text):
        found = _SEGMENT.match(text, position)
        if found is None:
            return None
        segments.append(Segment(_wanted(found), found["deep"] is not None))
        position = found.end()
    return PlainPath(tuple(segments))


def _wanted(found: re.Match[str]) -> str | int | None:
    if found["index"]:
        return int(found["index"])
    if found["name"]:
        return None if found["name"] == "*" else found["name"]
    quoted = found["single"] or found["double"]
    return quoted[1:-1] if quoted else None


class PlainPath(Struct, frozen=True):
    """A path of plain segments."""

    segments: tuple[Segment, ...]

    def select(self, part: Part) -> Sequence[Part]:
        """Return the parts in document order."""
        found = [part]
        for segment in self.segments:
            holders: Iterable[Part] = (one for part in found for one in _subtree(part)) if segment.deep else found
            found = [one for holder in holders for one in _below(holder, segment.wanted)]
        if any(one.deep for one in self.segments):
            found = sorted({id(one): one for one in found}.values(), key=lambda one: one.order)
        return found


def _below(part: Part, wanted: str | int | None) -> Iterable[Part]:
    if wanted is None:
        return part.children
    if isinstance(wanted, int):
        return part.children[wanted : wanted + 1] if part.kind == "array" else ()
    found = part.member(wanted)
    return () if found is None else (found,)


def _subtree(part: Part) -> Iterator[Part]:
    yield part
    for child in part.children:
        if child.children:
            yield from _subtree(child)


class _Values:
    """A document as plain values, for the library."""

    def __init__(self, document: Document) -> None:
        self.of: dict[int, Any] = {}
        self._make(document.root)

    def _make(self, part: Part) -> Any:
        if part.kind == "object":
            made: Any = {one.name: self._make(one) for one in part.children}
        elif part.kind == "array":
            made = [self._make(one) for one in part.children]
        else:
            made = typed(part.text) if part.plain and part.document.typed else part.text
        self.of[id(part)] = made
        return made


def _value(part: Part) -> Any:
    """Return a part as a plain value."""
    if part.document.aside is None:
        part.document.aside = _Values(part.document)
    return part.document.aside.of[id(part)]


def _at(part: Part, location: tuple[str | int, ...]) -> Part:
    """Return what stands at a location below a part."""
    for step in location:
        found = part.children[step] if isinstance(step, int) else part.member(step)
        assert found is not None  # noqa: S101  (the library found it there)
        part = found
    return part


def environment() -> Any:
    """Return the library's environment, with RE2 in `match` and `search`."""
    from jsonpath_rfc9535 import JSONPathEnvironment  # noqa: PLC0415  (70 ms, for such paths only)
    from jsonpath_rfc9535.function_extensions import ExpressionType, FilterFunction  # noqa: PLC0415

    class Found(FilterFunction):
        """An expression found in a text, or matching all of it; a value that is no text, or no expression, is not."""

        arg_types = [ExpressionType.VALUE, ExpressionType.VALUE]  # noqa: RUF012  (so the library reads it)
        return_type = ExpressionType.LOGICAL

        def __init__(self, frame: str) -> None:
            self._frame = frame
            self._known: dict[str, Expression | None] = {}

        def __call__(self, text: object, expression: object) -> bool:
            if not isinstance(text, str) or not isinstance(expression, str):
                return False
            if expression not in self._known:
                try:
                    self._known[expression] = Expression(self._frame.format(expression))
                except BadExpression:
                    self._known[expression] = None
            known = self._known[expression]
            return known is not None and known.found_in(text)

    made = JSONPathEnvironment()
    made.max_recursion_depth = 1000
    made.function_extensions["match"] = Found("\\A(?:{})\\z")
    made.function_extensions["search"] = Found("{}")
    return made


class _LibraryPath:
    """Any other JSONPath, worked out by the library."""

    def __init__(self, text: str) -> None:
        from jsonpath_rfc9535 import JSONPathError  # noqa: PLC0415  (70 ms, for such paths only)

        self._error = JSONPathError
        self._touched: list[tuple[Any, Any]] = []
        try:
            self._query = environment().compile(text)
        except (JSONPathError, RecursionError) as error:
            raise NotUnderstood(str(error).split("\n", 1)[0][:200]) from None
        self._watch(self._query)

    def _watch(self, query: Any) -> None:
        """Have filters tell what they compare at each part that they are asked of, whatever comes of it."""
        for segment in query.segments:
            segment.selectors = tuple(self._watched(one) for one in segment.selectors)

    def _watched(self, selector: Any) -> Any:
        from jsonpath_rfc9535.selectors import FilterSelector  # noqa: PLC0415  (loaded with the path)

        if not isinstance(selector, FilterSelector):
            return selector
        asked = list(_queries(selector.expression))
        for one in asked:
            self._watch(one.query)
        told = self._touched

        class Watched(FilterSelector):
            def resolve(self, node: Any) -> Iterable[Any]:
                for name, value in _members(node.value):
                    child = node.new_child(value, name, node)
                    for query in asked:
                        relative = type(query).__name__ == "RelativeFilterQuery"
                        start, base = (value, child.location) if relative else (node.root, ())
                        told.extend((base, one.location) for one in query.query.finditer(start))
                return super().resolve(node)

        return Watched(env=selector.env, token=selector.token, expression=selector.expression)

    def select(self, part: Part) -> Sequence[Part]:
        """Return the parts in document order."""
        self._touched.clear()
        try:
            nodes = list(self._query.finditer(_value(part)))
        except (self._error, RecursionError) as error:
            raise NotUnderstood(str(error).split("\n", 1)[0][:200]) from None
        for base, location in self._touched:
            _at(part, (*base, *location)).touch()
        parts = [_at(part, node.location) for node in nodes]
        return sorted({id(one): one for one in parts}.values(), key=lambda one: one.order)


def _members(value: Any) -> Iterable[tuple[str | int, Any]]:
    return value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()


def _queries(expression: Any) -> Iterator[Any]:
    """Yield the queries within a filter's expression."""
    if hasattr(expression, "query"):
        yield expression
    for name in ("expression", "left", "right"):
        inner = getattr(expression, name, None)
        if inner is not None and not isinstance(inner, str):
            yield from _queries(inner)
    for one in getattr(expression, "args", ()):
        yield from _queries(one)
