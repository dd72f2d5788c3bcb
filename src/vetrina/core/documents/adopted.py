"""What a document gave: values with the parts they came from, and the account of a whole reading."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec import Struct, field

from vetrina.core.base.faults import Fault, Place
from vetrina.core.documents.mapping import LookUp
from vetrina.core.documents.mapping import Mapping as DocumentMapping
from vetrina.core.documents.notation import Notation
from vetrina.core.documents.tree import Document, Part
from vetrina.core.schema.kinds import Kind
from vetrina.core.schema.nodes import Scalar, Source

Spot = tuple[int, int, int, int]


class Adopted(Scalar):
    """A value of a plan that a document, or the mapping itself, gave.

    ``part`` is what it was taken from, None for the mapping's own text; ``refusal`` says why it cannot be written there,
    and is empty where it can. ``meaning`` turns the document's word into the plan's once placeholders are filled.
    """

    __slots__ = ("kind", "look", "meaning", "part", "refusal", "translated", "words")

    def __init__(self, source: Source, text: str, plain: bool, spot: Spot, kind: Kind, look: LookUp) -> None:  # noqa: FBT001
        """Make a value without a part or a meaning."""
        super().__init__(source, text, plain, spot)
        self.kind = kind
        self.look = look
        self.meaning: Callable[[str], str] | None = None
        self.part: Part | None = None
        self.refusal = ""
        self.words: Mapping[str, Scalar] | None = None
        self.translated = False

    def meant(self, text: str) -> str:
        """Return what the filled ``text`` stands for in a plan."""
        return text if self.meaning is None else self.meaning(text)

    def as_written(self) -> str:
        """Return the text as it stands in the document, and what the mapping makes of it."""
        return self.written if self.written == self.text else f"{self.written} (read as {self.text})"

    @property
    def written(self) -> str:
        """Return the text as it stands in the document, or in the mapping."""
        return self.text if self.part is None else self.part.string().strip()


class Use(Struct, frozen=True):
    """What a part of a document became: the path in the plan, and the value there (None: the part is an entry's own)."""

    part: Part
    path: str
    value: Scalar | None = None
    look: LookUp | None = None


class Adoption(Struct):
    """A document read through a mapping: its files, what became of their parts, and what is worth telling.

    ``ignored`` holds the identities of parts that the mapping leaves out. ``names`` are those that its placeholders ask for. ``remarks`` are told as findings: what is left over, keys that are given twice, items that take nothing.
    """

    mapping: DocumentMapping
    notation: Notation
    documents: list[Document] = field(default_factory=list)
    codecs: dict[str, str] = field(default_factory=dict)
    uses: list[Use] = field(default_factory=list)
    remarks: list[Fault] = field(default_factory=list)
    left_over: list[Part] = field(default_factory=list)
    ignored: set[int] = field(default_factory=set)
    read: int = 0
    names: list[str] = field(default_factory=list)
    _look_ups: dict[Place, Place] = field(default_factory=dict)

    def look_up_at(self, place: Place) -> Place | None:
        """Return where in the mapping the look-up stands that found the value, or the name, at a place of a document."""
        if not self._look_ups:
            self._look_ups = {
                use.value.place: use.look.place for use in self.uses if use.value is not None and use.look is not None
            }
        return self._look_ups.get(place)
