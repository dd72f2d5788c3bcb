"""What each part of a document became, part by part."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from vetrina.core.documents.adopted import Adoption
from vetrina.core.documents.tree import Part


class Became(Struct, frozen=True):
    """A part with the paths in the plan that it became, and the values there (None: an entry).

    ``fate`` is `read`, `ignored`, `compared` (a path looked at it, and took something else) or `left over`.
    """

    part: Part
    fate: str
    became: tuple[str, ...] = ()
    values: tuple[str | None, ...] = ()


def explain(adoption: Adoption) -> Iterator[Became]:
    """Yield the parts of all documents in order: what was taken, what was ignored or only compared, what is left over."""
    uses: dict[int, list[tuple[str, str | None]]] = {}
    for use in adoption.uses:
        uses.setdefault(id(use.part), []).append((use.path, None if use.value is None else use.value.text))
    left = {id(part) for part in adoption.left_over}
    for document in adoption.documents:
        waiting = [document.root]
        while waiting:
            part = waiting.pop()
            told = uses.get(id(part), ())
            if id(part) in left:
                yield Became(part, "left over")
                continue
            if told:
                yield Became(part, "read", tuple(path for path, _ in told), tuple(value for _, value in told))
            elif id(part) in adoption.ignored:
                yield Became(part, "ignored")
                continue
            elif part.kind in {"attribute", "value"} or (
                part.kind == "text" and part.text.strip() and not _told_above(part, uses)
            ):
                yield Became(part, "compared")
            waiting += reversed([*part.attributes, *part.children])


def _told_above(part: Part, uses: dict[int, list[tuple[str, str | None]]]) -> bool:
    """Tell whether a text is the value of an element that was taken."""
    here = part.parent
    while here is not None:
        if id(here) in uses:
            return True
        here = here.parent
    return False
