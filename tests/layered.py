"""Layers merged, as plain data."""

from __future__ import annotations

import json
from typing import Any

from vetrina.core.config.grammar import PLAN
from vetrina.core.config.merging import merge
from vetrina.core.schema.held import Layer, MergedNode
from vetrina.core.schema.nodes import Node, Source
from vetrina.formats.documents import read_document


def node(text: str, name: str = "x.yaml") -> Node | None:
    return read_document(text, Source(name, "file", text), lambda _fault: None)


def merged(*layers: dict[str, Any]) -> Any:
    held: MergedNode | None = None
    for at, layer in enumerate(layers):
        shaped = PLAN.shape(node(json.dumps(layer)), lambda _fault: None, layered=True)  # type: ignore[arg-type]
        held = merge(PLAN, held, Layer("layer", str(at)), shaped)  # type: ignore[arg-type]
    return plain(held)


def plain(held: MergedNode | None) -> Any:
    if held is None or held.gone:
        return None
    if held.children is not None:
        return {name: plain(child) for name, child in held.living()}
    if held.items is not None:
        return [plain(item) for item in held.items]
    return held.node.text  # type: ignore[union-attr]
