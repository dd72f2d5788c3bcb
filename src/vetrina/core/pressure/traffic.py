"""Traffic for the rush hour: lines that stand for several events spread over time, and streams that no recording has.

Events come in, in their order, and go out so.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime, timedelta
from heapq import heappop, heappush

from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.rolling.streams import Stream

MOST_MADE = 50_000_000
_NONE = -(1 << 62)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)


class StreamedEvent(Event):
    """An event of a stream of which only the rate is known; ``size`` are its bytes, None for the level's mean."""

    size: int | None = None


def next_times(events: Iterable[Event]) -> array[int]:
    """Return, for each line that stands for several events, when the next one of its logger comes: microseconds since 1970."""
    found, waiting = array("q"), dict[str, int]()
    for event in events:
        at = waiting.pop(event.logger, None)
        if at is not None:
            found[at] = (event.time - _EPOCH) // _MICROSECOND
        if (event.count or 1) > 1:
            waiting[event.logger] = len(found)
            found.append(_NONE)
    return found


def spread(events: Iterable[Event], nexts: array[int]) -> Iterator[Event]:
    """Yield events, each line that stands for several as so many, evenly over the time to the next one of its logger.

    ``nexts`` are those times (`next_times`). A line after which none of its logger comes stays as it is, for nothing tells
    over how long it is to be spread; so does one whose next is not later. Raise Refused beyond 50,000,000 events.
    """
    waiting: list[tuple[int, int, int]] = []
    lines: dict[int, tuple[Event, int, int]] = {}
    turn = made = 0

    def due(until: int | None) -> Iterator[Event]:
        while waiting and (until is None or waiting[0][0] <= until):
            _, line, copy = heappop(waiting)
            event, begun, span = lines[line]
            count = event.count or 1
            yield replace(event, time=_EPOCH + timedelta(microseconds=begun + copy * span // count), count=None, mark=None)
            if copy + 1 < count:
                heappush(waiting, (begun + (copy + 1) * span // count, line, copy + 1))
            else:
                del lines[line]

    for event in events:
        time = (event.time - _EPOCH) // _MICROSECOND
        yield from due(time)
        count = event.count or 1
        if count == 1:
            yield event
            continue
        after, turn = nexts[turn], turn + 1
        if after <= time:
            yield event
            continue
        made += count
        if made > MOST_MADE:
            raise _too_many("--spread")
        lines[turn] = (event, time, after - time)
        yield replace(event, count=None)
        heappush(waiting, (time + (after - time) // count, turn, 1))
    yield from due(None)


def with_streams(events: Iterable[Event], streams: Iterable[Stream]) -> Iterator[Event]:
    """Yield events with those of streams between them, evenly from the first event to the last.

    Raise Refused beyond 50,000,000 events of streams.
    """
    rates = [one for one in streams if one.each_second > 0]
    begun: datetime | None = None
    taken = [0] * len(rates)
    waiting: list[tuple[datetime, int]] = []
    made = 0

    def push(at: int) -> None:
        assert begun is not None  # noqa: S101  (set with the first event)
        taken[at] += 1
        heappush(waiting, (begun + timedelta(seconds=taken[at] / rates[at].each_second), at))

    for event in events:
        if begun is None:
            begun = event.time
            for at in range(len(rates)):
                push(at)
        while waiting and waiting[0][0] <= event.time:
            time, at = heappop(waiting)
            made += 1
            if made > MOST_MADE:
                raise _too_many("--rate")
            yield StreamedEvent(time, rates[at].severity, rates[at].logger, "", size=rates[at].size)
            push(at)
        yield event


def _too_many(where: str) -> Exception:
    return refuse(f"more than {MOST_MADE:,} events would be made", "each is played by itself",
                  "take events that span less time, or fewer", where=where)  # fmt: skip
