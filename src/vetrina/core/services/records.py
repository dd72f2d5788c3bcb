"""What is on record of changes to a running service: who changed what, and what was there before.

The record is written before anything is changed. Each call that changes levels is one step of it; steps are put back
latest first, and what was there before the first of them is what is put back.
"""

from __future__ import annotations

from collections.abc import Collection

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.services.levels_now import LevelNow
from vetrina.core.services.words import Words

VERSION = 1


class Changed(Struct, frozen=True):
    """A logger's level: by the plan's name, what the service said before, and the service's own word that was sent."""

    logger: str
    before: LevelNow
    after: str


class RecordStep(Struct, frozen=True):
    """One call's changes: when, by which command, user, process, machine, and from which folder."""

    id: str
    at: str
    command: str
    user: str
    process: int
    machine: str
    folder: str
    changes: tuple[Changed, ...]


class Record(Struct, frozen=True):
    """What is to be put back, the latest step last; ``service`` is its address, without what is secret."""

    version: int
    service: str
    steps: tuple[RecordStep, ...] = ()

    def step(self, id_: str) -> RecordStep | None:
        """Return a step."""
        return next((one for one in self.steps if one.id == id_), None)

    def without(self, loggers: Collection[str], steps: Collection[str]) -> Record:
        """Return it without some loggers of some steps; a step without changes goes."""
        kept = [
            replace(one, changes=tuple(change for change in one.changes if change.logger not in loggers))
            if one.id in steps
            else one
            for one in self.steps
        ]
        return replace(self, steps=tuple(one for one in kept if one.changes))


class Due(Struct, frozen=True):
    """What has to be put back of one logger: to what, and what is there if nobody else changed it.

    That is ``after``, or where a change failed one of the levels ``on_way``: what earlier steps sent, and what later ones found.
    """

    logger: str
    before: LevelNow
    after: str
    on_way: tuple[LevelNow | str, ...] = ()

    def is_ours(self, now: LevelNow, words: Words) -> bool:
        """Tell whether what is there now is what some step sent or found."""
        word = now.set if now.tells_set else now.in_effect
        return any(
            words.same(word, one) if isinstance(one, str) else unchanged(now, one, words)
            for one in (self.after, self.before, *self.on_way)
        )


def due(record: Record, steps: Collection[str]) -> list[Due]:
    """Return what has to be put back of some steps, the latest change first."""
    firsts: dict[str, LevelNow] = {}
    lasts: dict[str, str] = {}
    ways: dict[str, list[LevelNow | str]] = {}
    order: dict[str, int] = {}
    at = 0
    for step in record.steps:
        for change in step.changes:
            at += 1
            if step.id in steps:
                firsts.setdefault(change.logger, change.before)
                order[change.logger] = at
            lasts[change.logger] = change.after
            ways.setdefault(change.logger, []).extend((change.before, change.after))
    return [Due(name, firsts[name], lasts[name], tuple(ways[name])) for name in sorted(order, key=lambda one: -order[one])]


def restored(now: LevelNow, before: LevelNow, words: Words, *, clears: bool) -> bool:
    """Tell whether a logger is as it was before; where nothing ``clears`` a level, the one in effect stands in for none."""
    if before.tells_set and now.tells_set:
        wanted = before.set if before.set is not None or clears else before.in_effect
        return words.same(now.set, wanted)
    return words.same(now.in_effect, before.in_effect)


def unchanged(now: LevelNow, before: LevelNow, words: Words) -> bool:
    """Tell whether a logger was not changed at all."""
    return restored(now, before, words, clears=True)


def shows(now: LevelNow, word: str, words: Words) -> bool:
    """Tell whether a logger has the level that was sent: set there, where that is told, and in effect, where that is."""
    if now.tells_set and not words.same(now.set, word):
        return False
    return now.effective is None or words.same(now.effective, word)


def word_back(before: LevelNow, *, clears: bool) -> tuple[str | None, str]:
    """Return what is sent to put a logger back (None: its level is cleared), and what has to be said of it."""
    if before.tells_set and before.set is not None:
        return before.set, ""
    if before.tells_set and clears:
        return None, ""
    word = before.in_effect
    if before.tells_set:
        return word, "it had no level of its own, and this service cannot take one away: it gets the one that was in effect"
    return word, "the service does not tell whether it had a level of its own: it gets the one that was in effect"
