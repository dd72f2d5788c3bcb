"""`adopt --json`."""

from __future__ import annotations

from typing import Any, Literal

from msgspec import Struct

from vetrina.core.config.dump import Entries, Items, Value, Written
from vetrina.core.documents.adopted import Adoption


class LeftOver(Struct):
    """A part of a document that nothing in the mapping reads; ``path`` takes it alone, ``text`` is what stands there."""

    file: str
    line: int
    column: int
    path: str
    text: str


class Explained(Struct):
    """A part of a document and what it became: ``became`` are paths in the plan, ``fate`` says why where there are none."""

    file: str
    line: int
    column: int
    path: str
    text: str
    fate: Literal["read", "ignored", "compared", "left over"]
    became: list[str]


class Adopt(Struct):
    """`adopt --json`; ``read`` counts the values that were taken, ``explained`` is there with --explain."""

    plan: dict[str, Any]
    left_over: list[LeftOver]
    read: int
    explained: list[Explained] | None = None


def document(body: Entries, adoption: Adoption, explained: list[Explained] | None) -> Adopt:
    """Return the document of a reading."""
    left = [LeftOver(*one.place, one.path, one.source_text()) for one in adoption.left_over]
    plan = _plain(body)
    assert isinstance(plan, dict)  # noqa: S101  (a plan is a mapping)
    return Adopt(plan, left, adoption.read, explained)


def explained(adoption: Adoption) -> list[Explained]:
    """Return every part that was read or is left over, in the order of the documents."""
    from vetrina.core.documents.explaining import explain  # noqa: PLC0415  (rare)

    return [
        Explained(*one.part.place, one.part.path, one.part.source_text(), one.fate, list(one.became))  # type: ignore[arg-type]
        for one in explain(adoption)
    ]


def _plain(one: Written) -> Any:
    if isinstance(one, Value):
        return one.json
    if isinstance(one, Items):
        return [_plain(item) for item in one.items]
    return {name: _plain(item) for name, item in one.entries.items()}
