"""A document as a tree of parts, whatever its notation: each with its place, and whether anything has read it.

Here: parts, documents, what is left over. Not here: from bytes to parts (formats/notations/), what a mapping takes
(lookups.py).
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Iterator
from typing import Any, Literal

from vetrina.core.base.faults import Place
from vetrina.core.schema.nodes import Source

Shape = Literal["elements", "objects", "sections", "lines"]
"""How documents of a notation are built: elements with attributes, objects of objects, sections of texts, one object of texts."""
PartKind = Literal["document", "element", "attribute", "text", "object", "array", "value"]
Spot = tuple[int, int, int, int]
_BLOCK = 2048
_HOLDERS = frozenset({"object", "array"})


class Part:
    """One part of a document: an element, attribute or text; an object, an array or a value in it.

    ``name`` is an element's or attribute's (`{space}local`), or the member's under which a value stands; ``label`` is how
    that is written. ``text`` is the value; a ``plain`` one stood without quotes. ``start`` and ``end`` bound the value in
    the document's text (of an element, its tag), ``key_start`` is where the name stands. ``inner`` bounds what an element
    holds, between its tags; None where there is one tag alone. ``order`` counts in document order.
    """

    __slots__ = (
        "attributes", "children", "document", "end", "inner", "key_start", "kind", "label", "name", "order", "parent", "plain",
        "spot_", "start", "text", "touched",
    )  # fmt: skip

    def __init__(self, document: Document, kind: PartKind, parent: Part | None, start: int, end: int) -> None:
        """Make a part without a name, children or text; it becomes no child by itself."""
        self.document = document
        self.kind = kind
        self.parent = parent
        self.start = self.key_start = start
        self.end = end
        self.inner: tuple[int, int] | None = None
        self.name: str | None = None
        self.label = ""
        self.text = ""
        self.plain = True
        self.children: list[Part] = []
        self.attributes: list[Part] = []
        self.touched = False
        self.spot_: Spot | None = None
        self.order = document.count()

    def touch(self) -> None:
        """Mark the part as read, and so all that holds it."""
        part: Part | None = self
        while part is not None and not part.touched:
            part.touched = True
            part = part.parent

    def touch_value(self) -> None:
        """Mark the part with the text that it has."""
        self.touch()
        if self.children:
            for one in self.texts():
                one.touch()

    def texts(self) -> Iterator[Part]:
        """Yield the texts within an element, in document order."""
        for one in self.children:
            if one.kind == "text":
                yield one
            elif one.kind == "element":
                yield from one.texts()

    def string(self) -> str:
        """Return the value as text: of an element, all texts within it, as XPath 1.0 (5.2) says."""
        if self.kind in {"element", "document"}:
            return "".join(one.text for one in self.texts())
        return self.text

    def values(self) -> Iterator[Part]:
        """Yield what a look-up takes of this: an array's items for an array, else the part itself."""
        if self.kind == "array":
            for one in self.children:
                yield from one.values()
        else:
            yield self

    def inside(self, holders: frozenset[int]) -> bool:
        """Tell whether this part, or one that holds it, is among ``holders`` (by identity)."""
        part: Part | None = self
        while part is not None:
            if id(part) in holders:
                return True
            part = part.parent
        return False

    def member(self, name: str) -> Part | None:
        """Return the member of an object with this name, None where there is none."""
        return self.document.members_of(self).get(name) if self.kind == "object" else None

    @property
    def spot(self) -> Spot:
        """Return line, column, start and end of the value; of an element, of its tag; of a text, without its blanks."""
        if self.spot_ is None:
            self.spot_ = (*self.document.line_column(self.start), self.start, self.end)
        return self.spot_

    @property
    def value_spot(self) -> Spot:
        """Return the spot of the text that a look-up takes: of an element, of the texts in it."""
        if self.kind != "element":
            return self.spot
        inner = [one for one in self.texts() if one.text.strip()]
        if not inner:
            return self.spot
        return (*self.document.line_column(inner[0].start), inner[0].start, inner[-1].end)

    @property
    def place(self) -> Place:
        """Return where it begins: a member and an attribute with its name."""
        return Place(self.document.source.name, *self.document.line_column(self.key_start))

    def source_text(self) -> str:
        """Return what stands there: an attribute's, a text's or a value's own text, else the part as it is written."""
        if self.kind in {"attribute", "text", "value"}:
            return self.string().strip()
        text = self.document.source.text
        if self.kind != "element":
            return text[self.start : self.end]
        close = self.end if self.inner is None else self.inner[1]
        return text[self.start : text.find(">", close) + 1]

    @property
    def path(self) -> str:
        """Return where it stands in its document: a path that takes this part alone."""
        return self.document.path_of(self)


class Document:
    """A document that was read: its source and its parts.

    ``repeated`` are members that a later one of the same name replaced, each with that one. ``aside`` is what the paths of
    this notation keep of it.
    """

    def __init__(self, source: Source, notation: str, shape: Shape, *, typed: bool = False) -> None:
        """Begin a document; whoever reads it gives it its root. In a ``typed`` one values have types of their own."""
        self.source = source
        self.notation = notation
        self.shape = shape
        self.typed = typed
        self.root = Part.__new__(Part)
        self.repeated: list[tuple[Part, Part]] = []
        self.aside: Any = None
        self._count = 0
        self._lines: Callable[[int], tuple[int, int]] | None = None
        self._members: dict[int, dict[str | None, Part]] = {}
        self._elements: dict[str, list[Part]] | None = None
        self._turns: dict[int, dict[int, tuple[int, int]]] = {}

    def count(self) -> int:
        """Return the next number in document order."""
        self._count += 1
        return self._count

    def line_column(self, start: int) -> tuple[int, int]:
        """Return line and column, both from 1, of a character."""
        if self._lines is None:
            self._lines = lines_of(self.source.text)
        return self._lines(start)

    def members_of(self, part: Part) -> dict[str | None, Part]:
        """Return an object's members by their names."""
        found = self._members.get(id(part))
        if found is None:
            found = self._members[id(part)] = {one.name: one for one in part.children}
        return found

    def elements(self, name: str) -> list[Part]:
        """Return all elements of that name, of any where it is empty, in document order."""
        if self._elements is None:
            self._elements = {"": []}
            waiting = [self.root]
            while waiting:
                part = waiting.pop()
                if part.kind == "element":
                    self._elements[""].append(part)
                    self._elements.setdefault(part.name or "", []).append(part)
                waiting += [one for one in reversed(part.children) if one.kind == "element"]
        return self._elements.get(name, [])

    def turn_of(self, part: Part, parent: Part) -> tuple[int, int]:
        """Return the how-manieth (from 1) of its likes a part is below its parent, and how many there are."""
        turns = self._turns.get(id(parent))
        if turns is None:
            alike: dict[tuple[str, str], list[Part]] = {}
            for one in parent.children:
                alike.setdefault((one.kind, one.label) if self.shape == "elements" else ("", ""), []).append(one)
            turns = {id(one): (at, len(group)) for group in alike.values() for at, one in enumerate(group, 1)}
            self._turns[id(parent)] = turns
        return turns[id(part)]

    def path_of(self, part: Part) -> str:
        """Return the path that takes a part alone: XPath of an xml document, else JSONPath."""
        steps: list[str] = []
        here: Part | None = part
        while here is not None and here.parent is not None:
            steps.append(_xml_step(here, here.parent) if self.shape == "elements" else _json_step(here, here.parent))
            here = here.parent
        return ("" if self.shape == "elements" else "$") + "".join(reversed(steps))

    def left_over(self) -> Iterator[Part]:
        """Yield what nothing has read, in document order, each at its top."""
        waiting = [self.root]
        while waiting:
            part = waiting.pop()
            if part.touched:
                waiting += reversed([*part.attributes, *part.children])
            elif part.kind == "text":
                if part.text.strip():
                    yield part
            elif part.kind == "document":
                waiting += reversed(part.children)
            elif part.kind not in _HOLDERS or part.children or part.parent is not None:
                yield part


def lines_of(text: str, many: int = 1_000_000) -> Callable[[int], tuple[int, int]]:
    """Return what tells line and column of a character in a text; of ``many`` lines only some beginnings are kept."""
    if text.count("\n") >= many:
        return _by_blocks(text)
    starts = [0, *(found.end() for found in re.finditer("\n", text))]

    def told(start: int) -> tuple[int, int]:
        line = bisect_right(starts, start)
        return line, start - starts[line - 1] + 1

    return told


def _by_blocks(text: str) -> Callable[[int], tuple[int, int]]:
    """Keep, for each stretch of a text, the line in which it begins and the line break before it; count within it when asked."""
    known, line, last = [], 1, -1
    for begin in range(0, len(text) + 1, _BLOCK):
        known.append((line, last))
        found = text.rfind("\n", begin, begin + _BLOCK)
        if found >= 0:
            line, last = line + text.count("\n", begin, begin + _BLOCK), found

    def told(start: int) -> tuple[int, int]:
        line, last = known[start // _BLOCK]
        begin = start - start % _BLOCK
        found = text.rfind("\n", begin, start)
        return (line, start - last) if found < 0 else (line + text.count("\n", begin, start), start - found)

    return told


def _xml_step(part: Part, parent: Part) -> str:
    if part.kind == "attribute":
        return f"/@{part.label}"
    turn, of = part.document.turn_of(part, parent)
    bare = (part.name or "").startswith("{") and ":" not in part.label  # of a namespace that has no prefix there
    name = "text()" if part.kind == "text" else f"*[local-name()='{part.label}']" if bare else part.label
    return f"/{name}" if of == 1 else f"/{name}[{turn}]"


def _json_step(part: Part, parent: Part) -> str:
    if parent.kind == "array":
        return f"[{part.document.turn_of(part, parent)[0] - 1}]"
    name = part.name or ""
    if re.fullmatch(r"[A-Za-z_]\w*", name):
        return f".{name}"
    return "['" + name.replace("\\", "\\\\").replace("'", "\\'") + "']"
