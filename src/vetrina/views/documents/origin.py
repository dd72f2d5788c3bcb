"""`origin --json`: the history of one value; what nothing uses."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from vetrina.core.config.accounts import SourceAccount, Unused
from vetrina.core.config.history import History
from vetrina.core.config.placeholders import Use
from vetrina.views.documents.shared import spot


class Saying(Struct):
    """What one layer said about a value."""

    kind: Literal["file", "stage", "layer", "option"]
    label: str
    file: str | None
    line: int | None
    column: int | None
    text: str
    fate: str


class Placeholder(Struct):
    """A placeholder that was filled, and those inside its value."""

    name: str
    source: Literal["option", "env-file", "value", "environment", "default"]
    where: str
    file: str | None
    line: int | None
    text: str
    secret: bool
    placeholders: list[Placeholder]


class Origin(Struct):
    """`origin PLAN PATH --json`; with --unused the document is described by `origin-unused`."""

    path: str
    value: str
    remark: str
    history: list[Saying]
    placeholders: list[Placeholder]


class ReadSource(Struct):
    """A source that was read: how many values it set, and how many of them are in force."""

    kind: str
    name: str
    set: int
    in_force: int
    remark: str


class UnusedEntry(Struct):
    """Something that no value in force uses."""

    kind: str
    name: str
    file: str | None
    line: int | None
    column: int | None
    remark: str


class OriginUnused(Struct):
    """`origin PLAN --unused --json`."""

    sources: list[ReadSource]
    unused: list[UnusedEntry]


def history_document(found: History) -> Origin:
    """Return the history of one value as a document."""
    sayings = [
        Saying(
            one.layer.kind,
            one.layer.label,
            *spot(one.place),
            one.text,
            one.fate,
        )
        for one in found.sayings
    ]
    return Origin(found.path, found.now, found.remark, sayings, [_placeholder(use) for use in found.uses])


def _placeholder(use: Use) -> Placeholder:
    return Placeholder(
        use.name,
        use.source,
        use.where,
        use.place.file if use.place else None,
        use.place.line if use.place else None,
        use.text,
        use.secret,
        [_placeholder(inner) for inner in use.inner],
    )


def unused_document(accounts: list[SourceAccount], nothing: list[Unused]) -> OriginUnused:
    """Return what was read, and what no value in force uses, as a document."""
    sources = [ReadSource(one.kind, one.name, one.set_values, one.in_force, one.remark) for one in accounts]
    unused = [
        UnusedEntry(
            one.kind,
            one.name,
            *spot(one.place),
            one.remark,
        )
        for one in nothing
    ]
    return OriginUnused(sources, unused)
