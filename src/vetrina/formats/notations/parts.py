"""From a YAML or JSON document's nodes to parts."""

from __future__ import annotations

from vetrina.core.documents.tree import Document, Part
from vetrina.core.schema.nodes import Listing, Mapping, Node, Source

SHARED = "shared"
"""The label of a part that an alias shares: it stands in several places at once."""


def of_node(node: Node, source: Source, notation: str) -> Document:
    """Return a document of the parts that a node and all below it make."""
    document = Document(source, notation, "objects", typed=True)
    document.root = _part(document, node, None, shared=False)
    return document


def _part(document: Document, node: Node, parent: Part | None, *, shared: bool) -> Part:
    shared = shared or node.aliased
    if isinstance(node, Mapping):
        part = Part(document, "object", parent, node.start, node.end)
        for key, value in node.pairs:
            child = _part(document, value, part, shared=shared)
            child.name, child.key_start = key.text, key.start
            part.children.append(child)
    elif isinstance(node, Listing):
        part = Part(document, "array", parent, node.start, node.end)
        part.children = [_part(document, item, part, shared=shared) for item in node.items]
    else:
        part = Part(document, "value", parent, node.start, node.end)
        part.text, part.plain = node.text, node.plain
    part.label = SHARED if shared else ""
    return part
