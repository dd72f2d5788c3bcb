"""A log's section, and which of its known files a new one is a copy of: packed, or made before that one was emptied."""

from __future__ import annotations

from collections.abc import Container, Mapping

from msgspec import Struct

from vetrina.core.base.wording import counted
from vetrina.core.plan.file_names import COMPRESSED
from vetrina.running.families import Seen
from vetrina.running.pieces import TELLING, Compared, Content, Piece

_DOUBTFUL = 2
_TOLD = 3


class Section(Struct):
    """One log's section so far: its pieces in order, the files that were there before it, what is lost of it.

    ``gone`` counts how often the file that was open was gone, and in no copy, when a newer one came to light, ``elsewhere`` how often
    it then had a name that is not looked at.
    """

    name: str
    path: str
    pieces: list[Piece] = []
    known: list[Piece] = []
    parts: int = 0
    overwritten: bool = False
    gone: int = 0
    elsewhere: int = 0
    recognised: list[tuple[int, int, int, int, str]] = []

    @property
    def size(self) -> int:
        """Its bytes."""
        return sum(one.taken for one in self.pieces)

    @property
    def lost(self) -> list[str]:
        """What is missing, or may be, in clauses."""
        emptied = [one for one in self.pieces if one.emptied and not one.done]
        found = [
            f"{one.path} was emptied in place or replaced after {counted(one.at, 'byte')}, and no copy has what stood there: what it got between the last look and then is lost"
            for one in emptied[:_TOLD]
        ]
        if len(emptied) > _TOLD:
            found.append(f"the same of {len(emptied) - _TOLD:,} further files of {self.path}")
        if self.overwritten:
            found.append(
                f"rolled files of {self.path} were written over by others: some bytes may stand here twice, or be missing"
            )
        if self.gone:
            found.append(
                f"files of {self.path} were gone at the next look, {counted(self.gone, 'time')}: they are whole here, and others that were rolled and removed in between are lost, if there were any"
            )
        return found

    @property
    def notes(self) -> list[str]:
        """What is not known of it, in clauses."""
        if not self.elsewhere:
            return []
        times = counted(self.elsewhere, "time")
        return [
            f"{self.path} was rolled to a name that is not looked at, {times}: whether more than one file was rolled between two looks is not known"
        ]


def being_packed(section: Section, seen: Seen, content: Content, files: dict[str, Seen]) -> bool:
    """Tell whether a file that is there, and is no piece yet, is what is packed in a new one: it will be gone soon."""
    mine = {one.id for one in section.pieces}
    plain = (one for one in files.values() if not one.packed and one.size and one.id not in mine)
    return any(one.path == seen.path.removesuffix(seen.packed) or content.is_that_of(one) for one in plain)


def copied(
    section: Section,
    content: Content,
    there: Mapping[tuple[int, int], Seen],
    old: Container[tuple[int, int]],
    opened: Container[str],
) -> tuple[Piece | None, bool]:
    """Return the known file of which a new one is a copy, packed or not, and whether that is sure already."""
    matched = {part for *_, part in section.recognised}
    best: tuple[int, Piece] | None = None
    for piece in [*section.pieces, *section.known]:
        if not piece.at or piece.path.endswith(COMPRESSED):
            continue
        compared = content.compared(piece)
        if not content.whole:
            return None, False
        known, opened_ = piece in section.known, piece.part in opened
        located = piece.id in old if known else piece.id in there and opened_
        rank = _rank(piece, compared, located=located, matched=piece.part in matched, opened=opened_, known=known)
        if rank is not None and (best is None or rank < best[0]):
            best = (rank, piece)
    return (None, False) if best is None else (best[1], best[0] < _DOUBTFUL)


def _rank(piece: Piece, compared: Compared, *, located: bool, matched: bool, opened: bool, known: bool) -> int | None:
    """Return how well a new file is a copy of a known one: 0 one that was looked for, from 2 on in doubt, None not at all.

    A few first bytes, such as a heading, tell little: they serve only where a copy is looked for.
    """
    if not compared.begins:
        return None
    telling = min(compared.length, len(piece.head)) >= TELLING
    same = compared.holds and compared.length == piece.at
    if located:
        if telling and (compared.holds or compared.length < piece.at):
            return 1  # made beside it, or on its way to being packed or emptied
        return 2 if same or compared.length < piece.at else None
    if piece.emptied and not piece.done:
        if compared.holds:
            return None if matched else 0
        return 3
    ends = piece.done or opened or known
    if same or (compared.holds and not ends):
        return 1 if matched and telling else None if matched else 0
    return 1 if compared.holds and telling else None
