"""Traffic for the rush hour: lines that stand for several events, spread over time.

Events come in, in their order, and go out so.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime, timedelta
from heapq import heappop, heappush

from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.rolling.streams import MOST_MADE, too_many_made

_NONE = -(1 << 62)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)


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
            raise too_many_made("--spread")
        lines[turn] = (event, time, after - time)
        yield replace(event, count=None)
        heappush(waiting, (time + (after - time) // count, turn, 1))
    yield from due(None)
