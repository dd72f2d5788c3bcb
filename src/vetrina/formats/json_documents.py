"""JSON documents (RFC 8259) to nodes with their places: every JSON document is a plan too."""

from __future__ import annotations

import json
import re
from bisect import bisect_right
from collections.abc import Callable
from typing import NamedTuple

from vetrina.core.base.errors import VetrinaError
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, Source

_BLANK = re.compile(r"[ \t\r\n]*")
_LITERAL = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][-+]?[0-9]+)?|true|false|null")
_STRING = re.compile(r'"[^"\\\x00-\x1f]*(?:\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4})[^"\\\x00-\x1f]*)*"')


class _NotJson(VetrinaError):
    """The text is not JSON; YAML's own reader shall say what is wrong with it."""


class TooMany(VetrinaError):
    """The document has more values than it may have, from this place on."""

    def __init__(self, line: int, column: int) -> None:
        super().__init__(f"{line}:{column}")
        self.line, self.column = line, column


class Limits(NamedTuple):
    """How deep a document may be, and how many values it may have."""

    deepest: int
    most: int


def read_json(text: str, source: Source, limits: Limits, repeated: Callable[[Scalar, Scalar], None]) -> Node | None:
    """Return the document, None where ``text`` is not JSON; ``repeated`` is told of each key that is given again."""
    reader = _JsonReader(text, source, limits)
    try:
        node, end = reader.value(reader.blank(0), 0)
        if reader.blank(end) != len(text):
            return None
    except _NotJson:
        return None
    for key, first in reader.repeats:
        repeated(key, first)
    return node


class _JsonReader:
    """Recursive descent, within limits."""

    def __init__(self, text: str, source: Source, limits: Limits) -> None:
        self._text, self._source, self._limits = text, source, limits
        self._count = 0
        self._lines = [0, *(found.end() for found in re.finditer("\n", text))]
        self.repeats: list[tuple[Scalar, Scalar]] = []

    def blank(self, position: int) -> int:
        """Return the position after blanks."""
        found = _BLANK.match(self._text, position)
        return found.end() if found else position

    def value(self, position: int, depth: int) -> tuple[Node, int]:
        """Read one value; return it and the position after it."""
        self._count += 1
        if self._count > self._limits.most:
            raise TooMany(*self._spot(position, position)[:2])
        if depth > self._limits.deepest:
            raise _NotJson
        char = self._text[position : position + 1]
        if char == "{":
            return self._object(position, depth)
        if char == "[":
            return self._array(position, depth)
        if char == '"':
            return self._string(position)
        found = _LITERAL.match(self._text, position)
        if not found:
            raise _NotJson
        return Scalar(self._source, found.group(), True, self._spot(position, found.end())), found.end()

    def _spot(self, start: int, end: int) -> tuple[int, int, int, int]:
        line = bisect_right(self._lines, start)
        return (line, start - self._lines[line - 1] + 1, start, end)

    def _string(self, position: int) -> tuple[Scalar, int]:
        found = _STRING.match(self._text, position)
        if not found:
            raise _NotJson
        text = json.loads(found.group())
        try:
            text.encode()
        except UnicodeEncodeError:
            raise _NotJson from None
        return Scalar(self._source, text, False, self._spot(position, found.end())), found.end()

    def _object(self, start: int, depth: int) -> tuple[Mapping, int]:
        pairs: list[tuple[Scalar, Node]] = []
        seen: dict[str, Scalar] = {}
        position = self.blank(start + 1)
        while self._text[position : position + 1] != "}" or pairs:
            key, position = self._string(position)
            self._count += 1
            position = self._expect(":", position)
            node, position = self.value(position, depth + 1)
            if key.text in seen:
                self.repeats.append((key, seen[key.text]))
            else:
                seen[key.text] = key
                pairs.append((key, node))
            position = self.blank(position)
            if self._text[position : position + 1] == "}":
                break
            position = self._expect(",", position)
        return Mapping(self._source, pairs, self._spot(start, position + 1), flow=True), position + 1

    def _array(self, start: int, depth: int) -> tuple[Listing, int]:
        items: list[Node] = []
        position = self.blank(start + 1)
        while self._text[position : position + 1] != "]" or items:
            node, position = self.value(position, depth + 1)
            items.append(node)
            position = self.blank(position)
            if self._text[position : position + 1] == "]":
                break
            position = self._expect(",", position)
        return Listing(self._source, items, self._spot(start, position + 1), flow=True), position + 1

    def _expect(self, char: str, position: int) -> int:
        position = self.blank(position)
        if self._text[position : position + 1] != char:
            raise _NotJson
        return self.blank(position + 1)
