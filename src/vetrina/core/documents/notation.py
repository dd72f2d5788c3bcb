"""What a notation of documents does: read, find by path, write one value."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Protocol

from vetrina.core.base.faults import Fault
from vetrina.core.documents.tree import Document, Part, Shape
from vetrina.core.schema.nodes import Source


class Path(Protocol):
    """A compiled path: what it takes below a part, or a text that it makes of what stands there."""

    def select(self, part: Part) -> Sequence[Part] | str:
        """Return the parts in document order, or a text; what its predicates compare is touched.

        Raise NotUnderstood where it cannot be worked out here.
        """


class Notation(Protocol):
    """One notation: xml, json, yaml, ini, lines."""

    name: str
    whole: str
    """The path of a whole document."""
    shape: Shape
    """How its documents are built: paths are XPath where they are elements, else JSONPath."""
    quotes: bool
    """Whether every text stands in double quotes, as in JSON."""
    endings: tuple[str, ...]
    """The endings of such files."""
    begins: str
    """What such a text begins with, where that tells it from others."""

    def decode(self, data: bytes, name: str) -> tuple[str, str]:
        """Return the text without its byte-order mark, and the codec that makes these bytes of it again."""

    def read(self, text: str, source: Source, report: Callable[[Fault], None]) -> Document:
        """Return the document; raise Unreadable where it is none."""

    def path(self, text: str, spaces: Mapping[str, str]) -> Path:
        """Return a compiled path; raise NotUnderstood with the reason where it is none."""

    def rendered(self, part: Part, text: str, *, plain: bool) -> str | None:
        """Return what stands for a new value at a part's place, None where this notation cannot say it there."""
