"""How levels are written in lines: whole words, their first letters, or shorter words that a plan would have to name."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from msgspec import Struct

from vetrina.core.base.levels import ALIASES, NAMES

SHORTER = {
    "trc": 1, "vrb": 1, "verbose": 1, "dbg": 5, "inf": 9, "ntc": 10, "wrn": 13, "crit": 18, "crt": 18, "emerg": 21, "panic": 21, "ftl": 21,
}  # fmt: skip
"""Words for levels that are no names of ours, with their severities: a plan names them under `levels`."""
_WHOLE = frozenset({*NAMES, *ALIASES})
_CUTS = {count: frozenset(name[:count] for name in NAMES) for count in (1, 3, 4)}
_WIDE = 0.9


class LevelLook(Struct, frozen=True):
    """How levels are written: as the steps of a template's `{level}`, and the words that a plan has to name."""

    steps: str
    extra: dict[str, int]


def level_look(words: Iterable[str]) -> LevelLook | None:
    """Return how levels are written, None where hardly any of the words is one."""
    spelt = Counter(words)
    met = Counter({word: count for word, count in spelt.items() if word})
    lower = Counter[str]()
    for word, count in met.items():
        lower[word.lower()] += count
    total = sum(spelt.values())
    for count in (0, 1, 3, 4):
        known = _CUTS.get(count, _WHOLE)
        if _part(lower, known) >= _WIDE * total and _part(lower, known) == max(_part(lower, one) for one in (known, _WHOLE)):
            return LevelLook(_case(met) + (f"|cut {count}" if count else ""), {})
    extra = {word: SHORTER[word] for word in lower if word in SHORTER}
    if extra and _part(lower, _WHOLE | set(extra)) >= _WIDE * total:
        return LevelLook(_case(met), extra)
    return None


def _part(words: Counter[str], known: frozenset[str] | set[str]) -> int:
    return sum(count for word, count in words.items() if word in known)


def _case(words: Counter[str]) -> str:
    upper = sum(count for word, count in words.items() if word.isupper())
    lower = sum(count for word, count in words.items() if word.islower())
    return "|upper" if upper > lower else ""


def padding(texts: Sequence[tuple[str, int, int]]) -> tuple[int, bool]:
    """Return to how many characters words are filled, 0 for none, and whether on the left.

    Args:
        texts: Each word, with how many blanks stand before it and after it, those that all lines have not counted.
    """
    for left in (False, True):
        around = [(len(word), before if left else after) for word, before, after in texts]
        if len({blanks for _, blanks in around}) < 2:
            continue
        width = max(length + blanks for length, blanks in around if blanks)
        fits = sum(length + blanks == max(width, length) for length, blanks in around)
        if fits >= _WIDE * len(around):
            return width, left
    return 0, False
