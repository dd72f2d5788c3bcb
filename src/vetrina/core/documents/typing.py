"""From a text that a look-up found to a value of a plan: plain where its kind types it, with the document's own words."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from vetrina.core.base.faults import Fault, Place, Unreadable
from vetrina.core.documents.adopted import Adopted, Adoption
from vetrina.core.documents.mapping import LookUp
from vetrina.core.documents.taking import Found
from vetrina.core.documents.tree import Part, Spot
from vetrina.core.documents.words import RangeWords
from vetrina.core.schema.containers import ListOf, MapOf, Record
from vetrina.core.schema.kinds import Anything, Choice, Flag, Kind, LevelKind, RangeKind, Text, Whole
from vetrina.core.schema.nodes import Source

MOST_VALUES = 200_000


class Wants(Struct, frozen=True):
    """What a kind wants of look-ups: ``kind`` is that of one value, of a list's items where ``several`` are wanted.

    ``as_typed`` keeps the value's own type (anything goes there), ``plain`` types it as an unquoted one; ``literal`` keeps
    blanks, ``empty`` an empty text; in a ``braced`` text braces of the document's are doubled.
    """

    kind: Kind
    several: bool
    as_typed: bool
    plain: bool
    literal: bool
    empty: bool
    braced: bool
    meaning: Callable[[str], str] | None


class Typist:
    """Types what was found, and counts it."""

    def __init__(self, adoption: Adoption) -> None:
        """Take the mapping's words."""
        self._mapping = adoption.mapping
        self._ranges = RangeWords(adoption.mapping.levels)
        self._count = 0
        self._known: dict[int, Wants] = {}

    def wants(self, kind: Kind) -> Wants:
        """Return what a kind wants."""
        known = self._known.get(id(kind))
        if known is None:
            known = self._known[id(kind)] = self._wants(kind)
        return known

    def _wants(self, kind: Kind) -> Wants:
        item = kind.item if isinstance(kind, ListOf) else kind
        if isinstance(item, Record) and item.short:
            item = item.keys[item.short].kind
        text = item if isinstance(item, Text) else None
        free = isinstance(item, Anything) or hasattr(item, "operators")
        return Wants(
            item,
            several=isinstance(kind, ListOf),
            as_typed=free,
            plain=isinstance(item, Flag | Whole),
            literal=free or isinstance(item, Text | Choice | MapOf),
            empty=text is not None and text.as_written,
            braced=isinstance(item, MapOf) or (text is not None and text.braced),
            meaning=self._meaning(item),
        )

    def _meaning(self, kind: Kind) -> Callable[[str], str] | None:
        if isinstance(kind, LevelKind):
            return self._mapping.levels
        if isinstance(kind, RangeKind):
            return self._ranges
        return self._mapping.flags if isinstance(kind, Flag) else None

    def value(self, wants: Wants, one: Found, look: LookUp) -> Adopted | None:
        """Return the value, None where it is empty."""
        text = one.text if wants.literal or one.own else one.text.strip()
        if not text and not one.own and not wants.empty:
            return None
        made = self._made(wants, text, one.source, one.spot, one.plain, look)
        made.part, made.refusal, made.translated = one.part, one.refusal, one.translated
        if wants.meaning is not None and (one.part is not None or not one.own):
            _mean(made, wants.meaning)
        return made

    def plain_value(self, wants: Wants, text: str, part: Part, look: LookUp) -> Adopted | None:
        """Return the value of a part as it stands, None where it is empty."""
        text = text if wants.literal else text.strip()
        if not text:
            return None
        made = self._made(wants, text, part.document.source, part.spot, part.plain or not part.document.typed, look)
        made.part = part
        if wants.meaning is not None:
            _mean(made, wants.meaning)
        return made

    def _made(self, wants: Wants, text: str, source: Source, spot: Spot, plain: bool, look: LookUp) -> Adopted:  # noqa: FBT001
        self._count += 1
        if self._count > MOST_VALUES:
            what = f"the plan grows past {MOST_VALUES:,} values here"
            place = Place(source.name, spot[0], spot[1])
            raise Unreadable([Fault("unreadable", what, fix="no plan needs that many", place=place)])
        made = Adopted(source, text, plain if wants.as_typed else wants.plain, spot, wants.kind, look)
        made.words = look.words
        return made


def _mean(value: Adopted, meaning: Callable[[str], str]) -> None:
    """Give a value the document's words: at once, or once its placeholders are filled."""
    value.meaning = meaning
    if "${" not in value.text:
        value.text = meaning(value.text)
