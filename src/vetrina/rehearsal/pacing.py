"""Traffic at its own pace, or so many times as fast."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta


def paced(
    speed: float, first: datetime, clock: Callable[[], float], sleep: Callable[[float], None]
) -> Callable[[datetime], None]:
    """Return a function that waits until an event's time has come, ``speed`` seconds of traffic in each second."""
    begun = clock()

    def wait(time: datetime) -> None:
        ahead = (time - first) / timedelta(seconds=1) / speed - (clock() - begun)
        if ahead > 0:
            sleep(ahead)

    return wait
