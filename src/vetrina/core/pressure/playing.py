"""Events played through all gates of a plan, each appender watched."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from datetime import UTC, datetime

from vetrina.core.base.events import Event
from vetrina.core.foresight.hidden import ImaginedEvent
from vetrina.core.foresight.lessons import Foretold
from vetrina.core.plan.model import Appender
from vetrina.core.pressure.gauges import AppenderPressure, Watch
from vetrina.core.rolling.streams import StreamedEvent
from vetrina.core.routing.measuring import measures
from vetrina.core.routing.passages import Gauge, Passage, Passages, Taken
from vetrina.core.routing.router import Route, Router

_LONG_AGO = datetime.min.replace(tzinfo=UTC)
Means = dict[str, dict[int, int]]
"""Mean bytes by appender and severity."""


class Pressure:
    """Takes events in their order; ``finish`` ends the input and returns what each watched appender went through.

    ``wanted`` names appenders (None: all); ``with_bytes`` measures every arrival, ``course`` keeps its course along
    time, ``advice`` the arrivals at queues. ``means`` are the bytes of streamed events without a size of their own.
    """

    def __init__(
        self,
        router: Router,
        wanted: Collection[str] | None = None,
        *,
        with_bytes: bool = True,
        course: bool = False,
        advice: bool = False,
        means: Means | None = None,
    ) -> None:
        self.events = self.lines = self.several = self.streamed = self.imagined = 0
        self.foretold: Foretold | None = None
        self.first: datetime | None = None
        self.last: datetime | None = None
        self._with_bytes, self._course, self._advice, self._means = with_bytes, course, advice, means or {}
        self._names = tuple(router.plan.appenders if wanted is None else wanted)
        self.watches: dict[str, Watch] = {}
        self._passages = Passages(router, self._gauge)
        for name, watch in self.watches.items():
            watch.gates = self._passages.appenders[name]
        self._now = _LONG_AGO

    def _gauge(self, appender: Appender) -> Gauge | None:
        if appender.name not in self._names:
            return None
        measure = measures(appender) if self._with_bytes else None
        watch = Watch(appender, measure, self._means.get(appender.name, {}), course=self._course, advice=self._advice)
        self.watches[appender.name] = watch
        return watch

    def feed(self, events: Iterable[Event]) -> None:
        """Take events; each must have a level that the plan knows."""
        for event in events:
            self.take(event)

    def take(self, event: Event) -> Taken:
        """Take one event, and return what it did."""
        self._note(event)
        if event.mark not in {"stop", "crash"}:
            return self._passages.take(event, self.lines)
        for watch in self.watches.values():
            watch.mark = event.mark
        taken = self._passages.take(event, self.lines)
        for watch in self.watches.values():
            watch.heed_mark(self._now)
        return taken

    def plain(self, event: Event) -> Route | None:
        """Return the route of an event that came by no channel and meets no limit, recall or queue, None for any other."""
        return self._passages.plain(event)

    def left(self) -> list[Passage]:
        """Return the events that are remembered somewhere."""
        return self._passages.left()

    def _note(self, event: Event) -> None:
        count, time = event.count or 1, event.time
        self.lines += 1
        self.events += count
        self.several += count > 1
        self.streamed += isinstance(event, StreamedEvent)
        self.imagined += isinstance(event, ImaginedEvent)
        self._now = max(self._now, time)
        self.first = time if self.first is None or time < self.first else self.first
        self.last = time if self.last is None or time > self.last else self.last

    def finish(self) -> list[AppenderPressure]:
        """End the input: what is remembered still is stopped, what waits in buffers is delivered."""
        for name, watch in self.watches.items():
            recall = self._passages.appenders[name].recall
            for write in recall.left() if recall is not None else ():
                watch.leave(write)
        return [self.watches[name].finish(self._now) for name in self._names]

    def means(self) -> Means:
        """Return the mean bytes of an arrival by appender and severity."""
        return {name: one.means() for name, one in self.watches.items()}
