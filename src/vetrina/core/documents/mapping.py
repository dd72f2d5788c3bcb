"""A mapping, read: where in documents of one format the parts of a plan stand.

Here: its parts as frozen values. Not here: reading them from the mapping's file (specs.py), what they take from a
document (lookups.py, building.py).
"""

from __future__ import annotations

from collections.abc import Mapping as AbstractMapping
from typing import TypeAlias

from msgspec import Struct, field

from vetrina.core.base.expressions import Expression
from vetrina.core.base.faults import Place
from vetrina.core.documents.notation import Path
from vetrina.core.documents.words import Filling, FlagWords, LevelWords
from vetrina.core.schema.containers import ListOf, MapOf, Record
from vetrina.core.schema.kinds import Kind
from vetrina.core.schema.nodes import Node, Scalar

VERSION = 1


class LookUp(Struct, frozen=True, kw_only=True):
    """How one value is found: one of ``at``, ``text``, ``key``, ``member``, ``of``, and what is done with it."""

    node: Node
    at: Path | None = None
    text: Filling | None = None
    key: int | None = None
    member: Filling | None = None
    of: Path | None = None
    where: Path | None = None
    is_: LookUp | None = None
    match: Expression | None = None
    match_text: Filling | None = None
    split: str = ""
    skip: int = 0
    join: str | None = None
    words: AbstractMapping[str, Scalar] | None = None
    by: str = ""
    or_: Node | None = None

    plain: bool = False
    """Whether it is a path, or a member's name, and nothing is done with what that takes."""

    @property
    def place(self) -> Place:
        """Return where the look-up stands in the mapping."""
        return self.node.place


class Each(Struct, frozen=True):
    """The parts that an item takes: those of a path, or members by their names (of an object at ``of``)."""

    node: Node
    path: Path | None = None
    members: Expression | None = None
    of: Path | None = None
    value: Expression | None = None


class Looked(Struct, frozen=True):
    """A value, or a list of values, that a look-up finds."""

    kind: Kind
    look: LookUp


class LookedList(Struct, frozen=True):
    """A list of values that several look-ups find, one after the other."""

    kind: ListOf
    looks: tuple[LookUp, ...]


class Nested(Struct, frozen=True):
    """A mapping of known keys."""

    kind: Record
    node: Node
    keys: AbstractMapping[str, Spec]


class Item(Struct, frozen=True):
    """What a part gives: its name where names are free, and its keys or its value."""

    each: Each
    body: Spec
    name: LookUp | None = None


class Listed(Struct, frozen=True):
    """A list of mappings: each item takes parts of its own."""

    kind: ListOf
    items: tuple[Item, ...]


class Named(Struct, frozen=True):
    """A mapping of free names: those that the mapping gives, and those that items find."""

    kind: MapOf
    node: Node
    keys: tuple[tuple[Scalar, Spec], ...] = ()
    items: tuple[Item, ...] = ()


Spec: TypeAlias = Looked | LookedList | Nested | Listed | Named


class Token(Struct, frozen=True):
    """One token of a document's own language: what it looks like, and what it is in a plan's."""

    match: Expression
    text: Filling


class Include(Struct, frozen=True):
    """Further documents: the parts that name them, and how."""

    each: Each
    path: LookUp


class NewLogger(Struct, frozen=True):
    """How a logger that is not there yet is written."""

    node: Node
    into: Path | None = None
    text: str = ""
    member: str = ""
    value: Node | None = None
    item: Node | None = None
    section: str = ""


class Mapping(Struct, frozen=True, kw_only=True):
    """A whole mapping. ``plan`` and ``sections`` are what stands in a plan itself, ``stages`` what in each of its stages."""

    name: str
    node: Node
    reads: str
    title: str = ""
    levels: LevelWords = field(default_factory=lambda: LevelWords({}))
    flags: FlagWords = field(default_factory=lambda: FlagWords(frozenset(), frozenset()))
    level_words: tuple[tuple[str, str], ...] = ()
    placeholder: Expression | None = None
    includes: tuple[Include, ...] = ()
    ignore: tuple[tuple[Scalar, Path], ...] = ()
    plan: Nested | None = None
    sections: AbstractMapping[str, Named] = field(default_factory=dict)
    stages: tuple[tuple[Item, AbstractMapping[str, Named], Nested | None], ...] = ()
    tokens: AbstractMapping[str, tuple[Token, ...]] = field(default_factory=dict)
    tables: AbstractMapping[str, AbstractMapping[str, str]] = field(default_factory=dict)
    strange: AbstractMapping[str, Expression] = field(default_factory=dict)
    new_logger: NewLogger | None = None
