"""The levels that a running service has, beside those that a plan says."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Literal

from msgspec import Struct

from vetrina.core.base.logger_names import ROOT
from vetrina.core.base.origins import Origin
from vetrina.core.plan.loggers import Tree
from vetrina.core.plan.model import Plan
from vetrina.core.services.words import Words

Verdict = Literal["same", "differs", "only-service", "only-planned"]


class LevelNow(Struct, frozen=True):
    """What a service says of one logger, in its own words; None where it says nothing.

    ``name`` is its own name for it. ``tells_set`` and ``tells_effective`` say whether it tells such a level at all: where it
    does not, None means that it is not known.
    """

    name: str
    set: str | None
    effective: str | None
    tells_set: bool = True
    tells_effective: bool = True

    @property
    def in_effect(self) -> str | None:
        """The level in effect, as far as it is told: a logger's own is."""
        return self.effective if self.effective is not None else self.set


class Row(Struct, frozen=True):
    """One logger: what the service says (None where it does not know it), what the plan says, and whether that is the same."""

    logger: str
    now: LevelNow | None
    planned: int | None = None
    origin: Origin | None = None
    inherited_from: str | None = None
    verdict: Verdict | None = None
    unknown_word: str = ""


def rows(now: Mapping[str, LevelNow], plan: Plan | None, words: Words, only: Iterable[str] = ()) -> list[Row]:
    """Return a row for each logger that either names, root first, then by name; ``only`` those, if any are given."""
    tree = None if plan is None else Tree(plan)
    planned = set() if tree is None else {ROOT, *tree.entries}
    wanted = list(dict.fromkeys(only)) or sorted({*now, *planned}, key=lambda name: (name != ROOT, name.split(words.separator)))
    return [_row(name, now.get(name), tree, words) for name in wanted]


def _row(name: str, now: LevelNow | None, tree: Tree | None, words: Words) -> Row:
    word = None if now is None else now.in_effect
    strange = word if word is not None and words.severity(word) is None else ""
    if tree is None:
        return Row(name, now, unknown_word=strange or "")
    standing = tree.standing(name)
    entry = tree.entries.get(name)
    own = entry is not None and entry.level is not None
    return Row(
        name, now, standing.severity, standing.origin, standing.inherited_from,
        _verdict(now, standing.severity, words, own=own), strange or "",
    )  # fmt: skip


def _verdict(now: LevelNow | None, planned: int, words: Words, *, own: bool) -> Verdict:
    if now is None:
        return "only-planned"
    if now.set is not None and not own:
        return "only-service"
    word = now.in_effect
    return "same" if word is not None and words.severity(word) == planned else "differs"
