"""Builders for tests of documents in other formats: a document and a mapping as texts, and what they amount to."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from vetrina.core.base.faults import Fault, Refused
from vetrina.core.config.adopted_plan import adopted_plan
from vetrina.core.documents.adopted import Adoption
from vetrina.core.schema.nodes import Mapping
from vetrina.formats.adopting import read_adopted
from vetrina.views.documents import adopt as view

HEAD = {
    "xml": "vetrina-mapping: 1\nreads: xml\n",
    "json": "vetrina-mapping: 1\nreads: json\n",
    "yaml": "vetrina-mapping: 1\nreads: yaml\n",
    "ini": "vetrina-mapping: 1\nreads: ini\n",
    "lines": "vetrina-mapping: 1\nreads: lines\n",
}


def adopt(document: str, mapping: str, reads: str = "xml", **included: str) -> tuple[Mapping, Adoption]:
    """Return the plan's document and the account of a reading; raise Refused with every fault."""
    told: list[Fault] = []
    texts = {"doc": document, "m.yaml": HEAD[reads] + mapping, **included}
    node, adoption = read_adopted(Path("doc"), "doc", Path("m.yaml"), told, texts)
    if told:
        raise Refused(told)
    return node, adoption


def plan_of(document: str, mapping: str, reads: str = "xml", **included: str) -> dict[str, Any]:
    """Return the plan that a document amounts to, as plain data, without its version."""
    node, adoption = adopt(document, mapping, reads, **included)
    body, _ = adopted_plan(node, adoption)
    found: dict[str, Any] = view.document(body, adoption, None).plan
    return {name: one for name, one in found.items() if name != "vetrina"}


def left_over(document: str, mapping: str, reads: str = "xml", **included: str) -> list[str]:
    """Return the paths of what nothing reads."""
    return [part.path for part in adopt(document, mapping, reads, **included)[1].left_over]


def told(document: str, mapping: str, reads: str = "xml", **included: str) -> list[str]:
    """Return the faults, each as `file:line:column what`."""
    try:
        adopt(document, mapping, reads, **included)
    except Refused as refused:
        return [f"{fault.place or fault.where} {fault.what}" for fault in refused.faults]
    return []
