"""The order in which entries of several sources are shown, and what is shown around hits.

By time, entries of one source never change places: a time that runs back counts as the latest so far of its source, and
of equal times the earlier-named source goes first. Streams are merged as they come; memory does not grow with them.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import deque
from collections.abc import Generator, Iterable, Iterator, Sequence
from heapq import heapify, heappop, heapreplace

from msgspec.structs import replace

from vetrina.core.finding.entry import Entry

Stream = Iterator[Entry]


def in_order(streams: Sequence[Stream], *, as_is: bool = False) -> Stream:
    """Yield the entries of streams in the order of time, or ``as_is``: stream after stream."""
    if as_is or len(streams) == 1:
        for one in streams:
            yield from one
        return
    waiting = [(first.clock, at, first, one) for at, one in enumerate(streams) if (first := next(one, None)) is not None]
    heapify(waiting)
    while waiting:
        _, at, entry, stream = waiting[0]
        yield entry
        following = next(stream, None)
        if following is None:
            heappop(waiting)
        else:
            heapreplace(waiting, (following.clock, at, following, stream))


class Context:
    """Hits of one source with ``count`` entries before and after each; takes all its entries, in order."""

    def __init__(self, count: int) -> None:
        self._before: deque[Entry] = deque(maxlen=count)
        self._count = count
        self._after = 0

    def of(self, entry: Entry) -> list[Entry]:
        """Return what is to be shown now that this entry has come."""
        if entry.hit:
            shown = [*self._before, entry]
            self._before.clear()
            self._after = self._count
            return shown
        if self._after:
            self._after -= 1
            return [entry]
        self._before.append(entry)
        return []


def with_context(entries: Stream, count: int) -> Generator[Entry]:
    """Yield hits of one source with ``count`` entries before and after each, of all its entries in order."""
    if not count:
        yield from (entry for entry in entries if entry.hit)
        return
    context = Context(count)
    for entry in entries:
        yield from context.of(entry)


class FirstHits:
    """The first so many hits of streams, with what is shown around them; a hit that comes later counts as context there.

    ``stopped`` tells afterwards whether there may be more: the streams were not read to their ends.
    """

    def __init__(self, most: int, around: int) -> None:
        self._most, self._around = most, around
        self._last: dict[int, int] = {}
        self.stopped = False

    def of(self, streams: Sequence[Stream], *, as_is: bool = False) -> Stream:
        """Yield them in order; of a stream that is not needed to its end, the rest is not read."""
        shown: list[Entry] = []
        count = 0
        for entry in in_order([self._needed(one) for one in streams], as_is=as_is):
            if entry.hit and count < self._most:
                count += 1
                self._last[entry.source] = entry.at
            elif entry.hit:
                entry = replace(entry, hit=False)  # noqa: PLW2901  (it comes too late)
            shown.append(entry)
            self.stopped = count == self._most
            if not self._around:
                yield shown.pop()
                if self.stopped:
                    return
        yield from _near(shown, self._around)

    def _needed(self, stream: Stream) -> Stream:
        """Yield entries until all hits are there and nothing of what follows stands near one."""
        for entry in stream:
            yield entry
            if self.stopped and self._last.get(entry.source, -1 - self._around) + self._around <= entry.at:
                return


def _near(shown: Iterable[Entry], around: int) -> Stream:
    """Yield hits, and entries that stand near one in their source."""
    entries = list(shown)
    hits: dict[int, list[int]] = {}
    for one in entries:
        if one.hit:
            hits.setdefault(one.source, []).append(one.at)
    yield from (one for one in entries if one.hit or _stands_near(one, hits.get(one.source, ()), around))


def _stands_near(entry: Entry, hits: Sequence[int], around: int) -> bool:
    at = bisect_left(hits, entry.at - around)
    return at < len(hits) and hits[at] <= entry.at + around


def last_hits(entries: Stream, most: int, around: int) -> Stream:
    """Yield the last ``most`` hits of entries in order, with what is shown around them."""
    kept: list[Entry] = []
    hits: deque[Entry] = deque()
    latest: dict[int, int] = {}
    bound = _KEPT
    for entry in entries:
        kept.append(entry)
        latest[entry.source] = entry.at
        if entry.hit:
            hits.append(entry)
            if len(hits) > most:
                hits.popleft().hit = False
        if len(kept) > bound:
            kept = list(_near_or_coming(kept, latest, around))
            bound = max(_KEPT, 2 * len(kept))
    yield from _near(kept, around)


def _near_or_coming(kept: list[Entry], latest: dict[int, int], around: int) -> Stream:
    """Yield entries that stand near a hit, or near where one may come."""
    near = {id(one) for one in _near(kept, around)}
    yield from (one for one in kept if id(one) in near or latest[one.source] < one.at + around)


_KEPT = 4096
