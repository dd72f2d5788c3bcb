"""A recording several times over: each further round shifted by the whole days that the first one spans."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import UTC, datetime, timedelta

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse

_MOST_PLAYED = 200_000_000
_BEGIN, _END = datetime.min.replace(tzinfo=UTC), datetime.max.replace(tzinfo=UTC)


def repeated(read: Callable[[], Iterable[Event]], times: int) -> Iterable[Event]:
    """Yield the events ``times`` times over, each round shifted by the whole days that the first one spans.

    Raise Refused after the first round where all would be more than 200,000,000.
    """
    first, last, shift, count = _END, _BEGIN, timedelta(0), 0
    for turn in range(times):
        for event in read():
            if not turn:
                count += 1
                first, last = min(first, event.time), max(last, event.time)
            else:
                event.time += shift * turn
            yield event
        if not turn:
            shift = shift_of(count, first if count else None, last, times)


def shift_of(count: int, first: datetime | None, last: datetime | None, times: int) -> timedelta:
    """Return the whole days that ``count`` events span, by which each further of so many rounds is shifted.

    Raise Refused where all would be more than 200,000,000 events.
    """
    if count * times > _MOST_PLAYED:
        raise refuse(f"{count:,} events {times:,} times over are more than {_MOST_PLAYED:,}",
                     fix=f"give a number up to {max(1, _MOST_PLAYED // count):,}", where=f"--repeat {times}")  # fmt: skip
    return clocks.whole_days(first, last) if first is not None and last is not None else timedelta(0)
