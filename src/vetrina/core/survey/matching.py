"""Statements and events held against each other: which statements were never seen, which events no statement explains."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from msgspec import Struct, field

from vetrina.core.base.events import Event
from vetrina.core.base.expressions import pattern_set
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.base.logger_names import tree_name
from vetrina.core.survey.statements import Statement

_SIGN = re.compile(r"[!-/:-@\[-`{-~]")
_HOLE = re.compile(r"\{[^{}\s]*\}")
_MOST = 10_000
FURTHER = "(further messages)"


class Unexplained(Struct):
    """Events of one logger, level and message that no statement explains."""

    logger: str
    severity: int
    message: str
    events: int = 0


class Matched(Struct):
    """What was matched: events by the place of their statement, and the events that none explains."""

    seen: dict[int, int] = field(default_factory=dict)
    unexplained: dict[tuple[str, int, str], int] = field(default_factory=dict)
    events: int = 0


class Matcher:
    """Holds events against statements. It is fed as a `Counter` is.

    A statement explains an event of its logger and level (of any, where it is not sure of them) whose message is its own,
    filled or not. One that has no text of its own explains what no other does.
    """

    def __init__(self, statements: Sequence[Statement], scale: Scale) -> None:
        self._statements, self._severities, self._scale = statements, Severities(scale), scale
        self._levels = [None if one.level is None else scale.severity(one.level) for one in statements]
        self._texts = pattern_set([f"(?s){_pattern(one.message)}" for one in statements])
        self._open = [not _HOLE.sub("", one.message).strip() for one in statements]
        self._known: dict[tuple[str, int | str, str], int | None] = {}
        self.found = Matched()

    def feed(self, events: Iterable[Event]) -> None:
        """Take events."""
        found = self.found
        for event in events:
            count = event.count or 1
            found.events += count
            key = (event.logger, event.level, event.message)
            if key in self._known:
                at = self._known[key]
            else:
                at = self._explained(event)
                if len(self._known) < _MOST:
                    self._known[key] = at
            if at is not None:
                found.seen[at] = found.seen.get(at, 0) + count
                continue
            own = (tree_name(event.logger), self._severities[event.level], event.message)
            if own not in found.unexplained and len(found.unexplained) >= _MOST:
                own = (own[0], own[1], FURTHER)
            found.unexplained[own] = found.unexplained.get(own, 0) + count

    def _explained(self, event: Event) -> int | None:
        """Return the place of the statement that explains an event best, None where none does."""
        logger, severity = tree_name(event.logger), self._severities[event.level]
        best: tuple[int, int] | None = None
        for at in self._texts(event.message):
            one = self._statements[at]
            named = one.logger == logger
            if (one.sure and not named) or self._levels[at] not in {None, severity}:
                continue
            if self._open[at] and not named:
                continue
            rank = (0 if self._open[at] else 2) + named
            if (
                best is None
                or rank > best[0]
                or (rank == best[0] and len(one.message) > len(self._statements[best[1]].message))
            ):
                best = (rank, at)
        return None if best is None else best[1]

    def sums(self) -> Matched:
        """Return what was matched so far."""
        return self.found

    def add(self, sums: Matched) -> None:
        """Add what was matched elsewhere."""
        for at, count in sums.seen.items():
            self.found.seen[at] = self.found.seen.get(at, 0) + count
        for own, count in sums.unexplained.items():
            self.found.unexplained[own] = self.found.unexplained.get(own, 0) + count
        self.found.events += sums.events

    def unexplained(self) -> list[Unexplained]:
        """Return the events that no statement explains, the most first."""
        ordered = sorted(self.found.unexplained.items(), key=lambda one: (-one[1], one[0]))
        return [Unexplained(*own, count) for own, count in ordered]


def _pattern(message: str) -> str:
    """Return what a message may look like when its holes are filled."""
    found, at = [], 0
    for match in _HOLE.finditer(message):
        found += [_escape(message[at : match.start()]), ".*"]
        at = match.end()
    return "".join([*found, _escape(message[at:])])


def _escape(text: str) -> str:
    """Return a literal as RE2 reads it: of ASCII alone signs are escaped, and half a character is none."""
    return _SIGN.sub(r"\\\g<0>", text.encode("utf-8", "replace").decode())
