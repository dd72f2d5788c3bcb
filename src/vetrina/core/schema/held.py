"""What is in force at one place of a plan, and all that was said about it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, NamedTuple

from msgspec import Struct, field

from vetrina.core.base.faults import Place, nearest
from vetrina.core.schema.nodes import Mapping, Node, Scalar

LayerKind = Literal["file", "stage", "layer", "option"]


class Layer(Struct, frozen=True):
    """One voice: the plan file itself, a stage, a layer file or an option.

    ``kind`` is ``file``, ``stage``, ``layer`` or ``option``; ``label`` is what a person calls it.
    """

    kind: LayerKind
    label: str


class Assignment(NamedTuple):
    """What one layer said about a value; ``node`` is None where only a part of it was spoken of."""

    layer: Layer
    node: Node


class MergedNode(Struct, eq=False):
    """A value in force: what decided it, what is in it, and all that was said about it, the latest last."""

    layer: Layer
    node: Node
    key: Scalar | None = None
    children: dict[str, MergedNode] | None = None
    items: list[MergedNode] | None = None
    said: list[Assignment] = field(default_factory=list)
    gone: bool = False

    def living(self) -> Iterator[tuple[str, MergedNode]]:
        """Yield the members of a mapping that are in force."""
        for name, child in (self.children or {}).items():
            if not child.gone:
                yield name, child

    def get(self, name: str) -> MergedNode | None:
        """Return a member that is in force."""
        child = (self.children or {}).get(name)
        return None if child is None or child.gone else child

    def misspells(self, name: str) -> bool:
        """Tell whether a key that was told as unknown here was meant to be ``name``."""
        refused = [word for said in self.said if isinstance(said.node, Mapping) for word in said.node.refused]
        return any(nearest(word, [name]) for word in refused)

    @property
    def place(self) -> Place:
        """Return where the deciding layer wrote it."""
        return self.node.place

    @property
    def key_place(self) -> Place:
        """Return where its key stands, else the value itself."""
        return self.key.place if self.key else self.node.place
