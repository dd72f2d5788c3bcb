"""Members of an object that is read line by line: the last of a repeated key wins, and the others are kept aside."""

from __future__ import annotations

from vetrina.core.base.faults import Place
from vetrina.core.documents.tree import Document, Part, Shape
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import MOST_NODES, unreadable


class Members:
    """A document of texts by their keys, as it grows."""

    def __init__(self, text: str, source: Source, notation: str, shape: Shape) -> None:
        """Begin an empty document."""
        self.document = Document(source, notation, shape)
        self.document.root = Part(self.document, "object", None, 0, len(text))
        self._known: dict[tuple[int, str], Part] = {}
        self._lost: list[tuple[Part, Part, str]] = []
        self._count = 0

    def section(self, name: str, start: int, end: int) -> Part:
        """Return the section of that name, a new one where there is none."""
        known = self._known.get((id(self.document.root), name))
        if known is not None:
            return known
        part = self._counted(Part(self.document, "object", self.document.root, start, end))
        part.name = name
        self.document.root.children.append(part)
        self._known[id(self.document.root), name] = part
        return part

    def put(self, holder: Part, key: str, value: str, key_start: int, start: int, end: int) -> None:
        """Add a member."""
        part = self._counted(Part(self.document, "value", holder, start, end))
        part.name, part.text, part.key_start, part.plain = key, value, key_start, False
        earlier = self._known.get((id(holder), key))
        if earlier is not None:
            self._lost.append((earlier, holder, key))
        holder.children.append(part)
        self._known[id(holder), key] = part

    def finish(self) -> Document:
        """Return the document, without the members that a later one replaced."""
        lost = {id(part) for part, _, _ in self._lost}
        for holder in {id(holder): holder for _, holder, _ in self._lost}.values():
            holder.children = [one for one in holder.children if id(one) not in lost]
        self.document.repeated = [(part, self._known[id(holder), key]) for part, holder, key in self._lost]
        return self.document

    def _counted(self, part: Part) -> Part:
        self._count += 1
        if self._count > MOST_NODES:
            place: Place = part.place
            raise unreadable(self.document.source.name, f"the document grows past {MOST_NODES:,} values here",
                             "no configuration needs that many", "", place.line, place.column)  # fmt: skip
        return part
