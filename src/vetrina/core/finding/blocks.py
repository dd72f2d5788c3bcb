"""Timed blocks: a message that begins one, a message that ends it, and what lies between them.

Each stack (one over all, or one for each thread, source or value of a field) nests by itself. An end belongs to the
innermost open block whose named groups agree with its own. Where that is not the innermost of all, the two cross: told
at the outer end, if the inner one ends later. A block's own time is the time in which none that began later, and ended
too, was open.
"""

from __future__ import annotations

import math
from array import array
from collections.abc import Callable, Iterable, Iterator
from datetime import datetime, timedelta

from msgspec import Struct

from vetrina.core.base.events import filled
from vetrina.core.base.expressions import Expression
from vetrina.core.finding.entry import Entry

Per = Callable[[Entry], object]


class Bounds(Struct, frozen=True):
    """What begins and ends blocks: RE2 over the filled message; the groups that both have must agree."""

    begin: Expression
    end: Expression

    @property
    def shared(self) -> tuple[str, ...]:
        """The names of the groups that both have."""
        return tuple(sorted(self.begin.groups & self.end.groups))


class Spot(Struct, frozen=True):
    """Where an event stands: the number of its source, its line; ``number`` in the order that was shown."""

    source: int
    line: int
    number: int


class Broken(Struct, frozen=True):
    """What does not nest: `no-begin`, `no-end` or `crossing`, where, and what the message says there."""

    kind: str
    spot: Spot
    text: str


class Timed(Struct):
    """The blocks of one name: how long each took, in seconds, in the order of their ends; ``own`` without inner blocks."""

    name: str
    lengths: array[float]
    own: timedelta = timedelta(0)

    @property
    def total(self) -> float:
        """How long they took together."""
        return math.fsum(self.lengths)

    def rank(self, part: float) -> float:
        """Return the length by nearest rank: the least of which so large a part of all is no longer."""
        return sorted(self.lengths)[max(0, math.ceil(part * len(self.lengths)) - 1)]

    @property
    def median(self) -> float:
        """The length in the middle, of an even number the mean of the two there."""
        ordered, half = sorted(self.lengths), len(self.lengths) // 2
        return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


class Drawn(Struct, frozen=True):
    """A block to draw: its name, when (``ended`` is None for one without an end), the number of its beginning, in which stack."""

    name: str
    begun: datetime
    ended: datetime | None
    number: int
    stack: object


class _Block(Struct, gc=False):
    name: str
    agree: tuple[str, ...]
    begun: datetime
    spot: Spot
    text: str
    ended: datetime | None = None


class Blocks:
    """Takes entries in order; ``timed`` and ``broken`` are known once ``close`` was called.

    ``keeps`` is how many blocks are kept to be drawn, ``left_out`` how many were not.
    """

    def __init__(self, bounds: Bounds, per: Per, *, keeps: int = 0) -> None:
        self._bounds, self._shared, self._per = bounds, bounds.shared, per
        self._names = bounds.begin.names
        self._stacks: dict[object, _Stack] = {}
        self._number = 0
        self._latest: datetime | None = None
        self._keeps, self.left_out = keeps, 0
        self.drawn: list[Drawn] = []
        self.timed: dict[str, Timed] = {}
        self.broken: list[Broken] = []

    def feed(self, entries: Iterable[Entry]) -> None:
        """Take entries in the order that is shown."""
        begin, end, latest = self._bounds.begin, self._bounds.end, self._latest
        for entry in entries:
            text = filled(entry.event)
            ends, begins = end.search(text), begin.search(text)
            if ends is None and begins is None:
                continue
            latest = self._latest = entry.clock if latest is None else max(latest, entry.clock)
            key = self._per(entry)
            stack = self._stacks.get(key)
            if stack is None:
                stack = self._stacks[key] = _Stack(key)
            spot = Spot(entry.source, entry.line, self._number)
            self._number += 1
            if ends is not None and not stack.end(self._agree(ends), latest, spot, text):
                self.broken.append(Broken("no-begin", spot, text))
            if begins is not None:
                stack.begin(_Block(self._name(begins), self._agree(begins), latest, spot, text))
            elif stack.through:
                self._settle(stack)

    def close(self) -> None:
        """Settle what is still open."""
        for stack in self._stacks.values():
            self._settle(stack)
        self.broken.sort(key=lambda one: one.spot.number)

    def _agree(self, match: object) -> tuple[str, ...]:
        return tuple(match.group(name) or "" for name in self._shared)  # type: ignore[attr-defined]

    def _name(self, match: object) -> str:
        return " ".join(match.group(name) or "" for name in self._names)  # type: ignore[attr-defined]

    def _settle(self, stack: _Stack) -> None:
        """Take over the blocks of a stack, with what does not nest."""
        for one in stack.settled():
            if isinstance(one, Broken):
                self.broken.append(one)
                continue
            block, own = one
            self._draw(block, stack.key)
            if block.ended is None:
                self.broken.append(Broken("no-end", block.spot, block.text))
                continue
            timed = self.timed.setdefault(block.name, Timed(block.name, array("d")))
            timed.lengths.append((block.ended - block.begun).total_seconds())
            timed.own += own

    def _draw(self, block: _Block, stack: object) -> None:
        if len(self.drawn) < self._keeps:
            self.drawn.append(Drawn(block.name, block.begun, block.ended, block.spot.number, stack))
        elif self._keeps:
            self.left_out += 1


class _Stack:
    """Open blocks, the innermost last, and what happened since the last time that there was none."""

    def __init__(self, key: object) -> None:
        self.key = key
        self._open: dict[tuple[str, ...], list[_Block]] = {}
        self._count = 0
        self._story: list[tuple[_Block, Spot | None, str]] = []

    @property
    def through(self) -> bool:
        """Whether no block is open."""
        return not self._count

    def begin(self, block: _Block) -> None:
        """Open a block."""
        self._open.setdefault(block.agree, []).append(block)
        self._count += 1
        self._story.append((block, None, ""))

    def end(self, agree: tuple[str, ...], time: datetime, spot: Spot, text: str) -> bool:
        """Close the innermost open block that agrees; tell whether there is one."""
        waiting = self._open.get(agree)
        if not waiting:
            return False
        block = waiting.pop()
        if not waiting:
            del self._open[agree]
        block.ended = time
        self._count -= 1
        self._story.append((block, spot, text))
        return True

    def settled(self) -> Iterator[Broken | tuple[_Block, timedelta]]:
        """Yield crossings, and each block with its own time; those without an end, too."""
        story, self._story = self._story, []
        owns: dict[int, timedelta] = {}
        order: list[int] = []  # as they began; one that ended is taken off when it comes last
        before: datetime | None = None
        for block, spot, text in story:
            if block.ended is None:
                yield block, timedelta(0)
                continue
            now = block.begun if spot is None else block.ended
            while order and order[-1] not in owns:
                order.pop()
            innermost = order[-1] if order else None
            if innermost is not None and before is not None:
                owns[innermost] += now - before
            before = now
            if spot is None:
                owns[id(block)] = timedelta(0)
                order.append(id(block))
                continue
            if innermost != id(block):
                yield Broken("crossing", spot, text)
            yield block, owns.pop(id(block))
