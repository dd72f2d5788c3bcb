"""At most so many: an event passes if fewer with the same key have passed shortly before."""

from __future__ import annotations

from collections import OrderedDict, deque
from datetime import datetime, timedelta

from vetrina.core.rush.keys import Key

MOST_KEYS = 100_000


class LimitGate:
    """Lets ``events`` of one key pass within ``per``; the time is its appender's clock, which never runs back.

    Of at most 100,000 keys is remembered what passed; ``overflown`` tells that there were more, so that some passed that
    should not have.
    """

    def __init__(self, events: int, per: timedelta) -> None:
        self._events, self._per = events, per
        self._passed: OrderedDict[Key, deque[datetime]] = OrderedDict()
        self.overflown = False

    def ask(self, key: Key, now: datetime) -> bool:
        """Tell whether an event passes: fewer than so many passed later than ``now`` less the span."""
        passed = self._passed.get(key)
        if passed is None:
            passed = self._passed[key] = deque()
        while passed and now - passed[0] >= self._per:
            passed.popleft()
        if len(passed) >= self._events:
            return False
        passed.append(now)
        self._passed.move_to_end(key)
        self._forget(now)
        return True

    def recent(self, key: Key, now: datetime) -> list[datetime]:
        """Return when those of a key passed that count against it now, the oldest first."""
        return [time for time in self._passed.get(key, ()) if now - time < self._per]

    def _forget(self, now: datetime) -> None:
        """Forget keys of which nothing counts any more, and past the bound the one that passed longest ago."""
        while self._passed:
            key, passed = next(iter(self._passed.items()))
            if passed and now - passed[-1] < self._per:
                break
            del self._passed[key]
        if len(self._passed) > MOST_KEYS:
            self._passed.popitem(last=False)
            self.overflown = True
