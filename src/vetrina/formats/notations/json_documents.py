"""JSON (RFC 8259): objects, arrays and values with their places."""

from __future__ import annotations

import json
import re
from collections.abc import Callable

from vetrina.core.base.faults import Fault, Unreadable
from vetrina.core.documents.tree import Document, Part, Shape
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import DEEPEST, MOST_NODES, duplicate_key, unreadable
from vetrina.formats.json_documents import Limits, TooMany, read_json
from vetrina.formats.notations.by_members import ByMembers
from vetrina.formats.notations.parts import of_node


class JsonNotation(ByMembers):
    """JSON: paths are JSONPath."""

    name = "json"
    shape: Shape = "objects"
    quotes = True
    endings = ("json",)
    begins = "{"

    def read(self, text: str, source: Source, report: Callable[[Fault], None]) -> Document:
        """Return the document; a repeated key goes to ``report``."""
        try:
            node = read_json(text, source, Limits(DEEPEST, MOST_NODES), lambda key, first: report(duplicate_key(key, first)))
        except TooMany as many:
            raise unreadable(
                source.name, f"the document grows past {MOST_NODES:,} values here", "no configuration needs that many", "",
                many.line, many.column,
            ) from None  # fmt: skip
        if node is None:
            raise _refused(text, source.name)
        return of_node(node, source, self.name)

    def rendered(self, part: Part, text: str, *, plain: bool) -> str | None:
        """Return a value as JSON: a number, true or false stays one where the old value was one."""
        if part.plain and plain:
            return text
        return json.dumps(text, ensure_ascii=False)


def _refused(text: str, name: str) -> Unreadable:
    """Return what is wrong with a text that is no JSON."""
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        what = "the document is empty" if not text.strip() else f"this is not JSON: {error.msg[:1].lower()}{error.msg[1:]}"
        return unreadable(name, what, "", "", error.lineno, error.colno)
    except (RecursionError, ValueError):
        pass
    depth = deepest = 0
    for found in _BRACKETS.finditer(text):
        depth += 1 if found.group() in "[{" else -1 if found.group() in "]}" else 0
        deepest = max(deepest, depth)
    if deepest > DEEPEST:
        return unreadable(name, f"the document is nested more than {DEEPEST} deep", "no configuration needs that")
    return unreadable(
        name, "the document holds what is no JSON", "NaN, Infinity and half characters are none", "write it otherwise"
    )


_BRACKETS = re.compile(r'"[^"\\]*(?:\\.[^"\\]*)*"|[\[\]{}]')


NOTATION = JsonNotation()
