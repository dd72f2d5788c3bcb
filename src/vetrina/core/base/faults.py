"""What the user can put right: places, origins' faults, and the exceptions that carry them.

Here: values and the search for the nearest known word. Not here: how a fault looks on a screen (views/faults.py).
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from msgspec import Struct

from vetrina.core.base.errors import VetrinaError

_MANY_WORDS = 400


class Place(NamedTuple):
    """A spot that the user can open; lines and columns count from 1."""

    file: str
    line: int
    column: int = 1

    def __str__(self) -> str:
        return f"{self.file}:{self.line}:{self.column}"


class _Told(Struct, frozen=True):
    code: str
    what: str


class Fault(_Told, frozen=True, kw_only=True):
    """One thing that is wrong with an input: what, where, why it matters, what to do.

    ``code`` is the finding's code when `check` reports it. ``where`` stands in for a place that no file has (an
    option). ``related`` names further places that are involved, each with a few words. ``swap`` is the edit that would
    mend it: the text at the place, and what to write instead.
    """

    why: str = ""
    fix: str = ""
    place: Place | None = None
    where: str = ""
    related: tuple[tuple[Place, str], ...] = ()
    swap: tuple[str, str] | None = None

    def order(self) -> tuple[str, int, int, str]:
        """Sort key: by place, then by text."""
        place = self.place or Place(self.where or "~", 0, 0)
        return (place.file, place.line, place.column, self.what)


class Refused(VetrinaError):
    """An input that cannot be used; carries every fault that was found in it, in the order of their places."""

    def __init__(self, faults: Iterable[Fault]) -> None:
        """Sort and keep ``faults``; equal ones (two stages may run into the same one) are told once."""
        unique = dict.fromkeys(faults)
        self.faults: tuple[Fault, ...] = tuple(sorted(unique, key=Fault.order))
        super().__init__("; ".join(fault.what for fault in self.faults))

    def __reduce__(self) -> tuple[type[Refused], tuple[tuple[Fault, ...]]]:
        """Travel between processes with the faults."""
        return type(self), (self.faults,)


class Unreadable(Refused):
    """An input that is no document at all (missing, not UTF-8, not YAML): it stops every command."""


def refuse(what: str, why: str = "", fix: str = "", *, place: Place | None = None, where: str = "") -> Refused:
    """Return the exception for a single fault in a call."""
    return Refused([Fault("call", what, why=why, fix=fix, place=place, where=where)])


def nearest(word: str, known: Iterable[str], count: int = 1, *, cutoff: float = 0.6) -> list[str]:
    """Return up to ``count`` of the ``known`` words that ``word`` may have been meant to be, the likeliest first."""
    from difflib import get_close_matches  # noqa: PLC0415  (4 ms of start-up, needed for faults only)

    words = list(known)
    if len(words) > _MANY_WORDS:
        start = word[:2].casefold()
        words = [other for other in words if other[:2].casefold() == start or other[-4:] == word[-4:]][:_MANY_WORDS]
    folded = {other.casefold(): other for other in reversed(words)}
    close = get_close_matches(word.casefold()[:200], folded, n=count, cutoff=cutoff)
    return [folded[match] for match in close]


def near_logger(logger: str, known: Iterable[str], separator: str) -> str | None:
    """Return the known logger that one may have been meant to be: alike in its last segment, or all in all."""
    parent, _, last = logger.rpartition(separator)
    siblings = {one.rpartition(separator)[2]: one for one in known if one.rpartition(separator)[0] == parent}
    close = nearest(last, siblings)
    if close:
        return siblings[close[0]]
    return next(iter(nearest(logger, known, cutoff=0.86)), None)


def offer(word: str, known: Iterable[str], *, otherwise: str = "") -> str:
    """Return the remedy for an unknown ``word``: the nearest known one, else all of a few, else ``otherwise``."""
    words = list(known)
    close = nearest(word, words)
    if close:
        return f'did you mean "{close[0]}"?'
    if 0 < len(words) <= 40 and not otherwise:
        return "known here: " + ", ".join(words)
    return otherwise
