"""A document as it was written: scalars, lists and mappings, each with its place.

Here: the tree between reading (formats/) and layering (merging.py), and its equality. Not here: types (placeholders.py).
"""

from __future__ import annotations

from typing import TypeAlias

from msgspec import Struct

from vetrina.core.base.faults import Place


class Source(Struct, frozen=True, eq=False):
    """A text that nodes came from: a file (by its name as the user gave it), or an option.

    ``kind`` is ``file``, ``option`` or ``environment``; ``text`` is kept for editing and for showing lines.
    """

    name: str
    kind: str = "file"
    text: str = ""


class Scalar:
    """One value as written; ``plain`` when it stood without quotes (so that it may be a number, null …)."""

    __slots__ = ("aliased", "column", "end", "line", "plain", "source", "start", "text")

    def __init__(self, source: Source, text: str, plain: bool, spot: tuple[int, int, int, int]) -> None:  # noqa: FBT001
        """Keep ``spot`` as (line from 1, column from 1, index of the first character, index past the last)."""
        self.source = source
        self.text = text
        self.plain = plain
        self.line, self.column, self.start, self.end = spot
        self.aliased = False

    @property
    def place(self) -> Place:
        """Return where it stands."""
        return Place(self.source.name, self.line, self.column)

    def meant(self, text: str) -> str:
        """Return what the filled ``text`` stands for; a value of a document in another format may have words of its own."""
        return text

    def as_written(self) -> str:
        """Return it as it was written, for people: in quotes where it stood so."""
        return self.text if self.plain else f'"{self.text}"'

    def is_null(self) -> bool:
        """Tell whether it is YAML's null, which removes or leaves out."""
        return self.plain and self.text in NULLS


class Listing:
    """A list as written."""

    __slots__ = ("aliased", "column", "end", "flow", "items", "line", "source", "start")

    def __init__(self, source: Source, items: list[Node], spot: tuple[int, int, int, int], *, flow: bool = False) -> None:
        """Keep ``spot`` as for a scalar."""
        self.source = source
        self.items = items
        self.line, self.column, self.start, self.end = spot
        self.flow = flow
        self.aliased = False

    @property
    def place(self) -> Place:
        """Return where it begins."""
        return Place(self.source.name, self.line, self.column)


class Mapping:
    """A mapping as written: pairs of key and value, in their order.

    Keys are unique, but where it ``repeats``: there an entry is laid over the earlier ones of its key, as layers are.
    """

    __slots__ = ("aliased", "column", "end", "flow", "line", "pairs", "refused", "repeats", "source", "start")

    def __init__(
        self,
        source: Source,
        pairs: list[tuple[Scalar, Node]],
        spot: tuple[int, int, int, int],
        *,
        flow: bool = False,
        repeats: bool = False,
    ) -> None:
        """Keep ``spot`` as for a scalar; ``refused`` are keys that were told as unknown and left out."""
        self.repeats = repeats
        self.source = source
        self.pairs = pairs
        self.refused: tuple[str, ...] = ()
        self.line, self.column, self.start, self.end = spot
        self.flow = flow
        self.aliased = False

    @property
    def place(self) -> Place:
        """Return where it begins."""
        return Place(self.source.name, self.line, self.column)

    def get(self, name: str) -> Node | None:
        """Return the value under ``name``, None if there is none."""
        return next((value for key, value in self.pairs if key.text == name), None)


Node: TypeAlias = Scalar | Listing | Mapping
NULLS = frozenset({"", "null", "Null", "NULL", "~"})


def kind_of(node: Node) -> str:
    """Return what a node is, in the words of a message."""
    if isinstance(node, Mapping):
        return "a mapping"
    if isinstance(node, Listing):
        return "a list"
    return "nothing" if node.is_null() else f'"{node.text[:60]}"'


def same(first: Node, second: Node) -> bool:
    """Tell whether two nodes say the same, wherever they stand; the order of keys is no matter."""
    if isinstance(first, Scalar) and isinstance(second, Scalar):
        return first.text == second.text and first.plain == second.plain
    if isinstance(first, Listing) and isinstance(second, Listing):
        return len(first.items) == len(second.items) and all(map(same, first.items, second.items))
    if isinstance(first, Mapping) and isinstance(second, Mapping):
        others = {key.text: value for key, value in second.pairs}
        return len(first.pairs) == len(others) and all(
            key.text in others and same(value, others[key.text]) for key, value in first.pairs
        )
    return False


def synthetic(source: Source, text: str, *, plain: bool = True) -> Scalar:
    """Return a scalar that no file holds (a part of an option, a short form spelt out)."""
    return Scalar(source, text, plain, (1, 1, 0, 0))


def at(node: Node) -> tuple[int, int, int, int]:
    """Return the spot of ``node``, for one that takes its place."""
    return (node.line, node.column, node.start, node.end)


def is_null_node(node: Node) -> bool:
    """Tell whether a node is YAML's null."""
    return isinstance(node, Scalar) and node.is_null()
