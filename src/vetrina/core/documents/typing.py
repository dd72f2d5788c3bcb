"""From a text that a look-up found to a value of a plan: plain where its kind types it, with the document's own words."""

from __future__ import annotations

from collections.abc import Callable

from vetrina.core.base.faults import Place, Unreadable, Fault
from vetrina.core.documents.adopted import Adopted, Adoption
from vetrina.core.documents.mapping import LookUp
from vetrina.core.documents.taking import Found
from vetrina.core.documents.words import RangeWords
from vetrina.core.schema.containers import MapOf
from vetrina.core.schema.kinds import Anything, Choice, Flag, Kind, LevelKind, RangeKind, Text, Whole

MOST_VALUES = 200_000


class Typist:
    """Types what was found, and counts it."""

    def __init__(self, adoption: Adoption) -> None:
        """Take the mapping's words."""
        self._mapping = adoption.mapping
        self._ranges = RangeWords(adoption.mapping.levels)
        self._count = 0

    def value(self, kind: Kind, one: Found, look: LookUp) -> Adopted | None:
        """Return the value, None where it is empty."""
        self._count += 1
        if self._count > MOST_VALUES:
            place = Place(one.source.name, one.spot[0], one.spot[1])
            raise Unreadable([Fault("unreadable", f"the plan grows past {MOST_VALUES:,} values here", fix="no plan needs that many", place=place)])
        literal = isinstance(kind, Text | Choice | MapOf)
        free = isinstance(kind, Anything) or hasattr(kind, "operators")
        text = one.text if literal or free or one.own else one.text.strip()
        if not text and not one.own and not (isinstance(kind, Text) and kind.as_written):
            return None
        made = Adopted(one.source, text, self._plain(kind, one, free=free), one.spot, kind, look)
        made.part, made.refusal, made.translated, made.words = one.part, one.refusal, one.translated, look.words
        as_it_is = one.part is None and one.own
        made.meaning = None if as_it_is else self._meaning(kind)
        if made.meaning is not None and "${" not in text:
            made.text = made.meaning(text)
        return made

    def _plain(self, kind: Kind, one: Found, *, free: bool) -> bool:
        """Tell whether the value is typed as an unquoted one of a plan: what its kind types, and what may be anything."""
        return one.plain if free else isinstance(kind, Flag | Whole)

    def _meaning(self, kind: Kind) -> Callable[[str], str] | None:
        if isinstance(kind, LevelKind):
            return self._mapping.levels
        if isinstance(kind, RangeKind):
            return self._ranges
        return self._mapping.flags if isinstance(kind, Flag) else None
