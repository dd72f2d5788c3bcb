"""A recording played through the rush hour: repeated, spread, scaled, with streams added, in the order of the stream."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import timedelta
from functools import partial

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.foresight.lessons import Foretold
from vetrina.core.plan.model import Plan
from vetrina.core.pressure.advice import QueueAdvice, advise
from vetrina.core.pressure.gauges import AppenderPressure
from vetrina.core.pressure.playing import Means, Pressure
from vetrina.core.pressure.traffic import next_times, spread
from vetrina.core.rolling.rounds import repeated
from vetrina.core.rolling.streams import MOST_COPIES, Stream, StreamedEvents, scaled
from vetrina.core.routing.router import Router
from vetrina.work.foreseeing import Learned
from vetrina.work.recording import Recording


class Pressed(Struct):
    """What all appenders went through, and of which traffic: lines and the events that they stand for, first and last time."""

    appenders: list[AppenderPressure]
    advice: dict[str, QueueAdvice]
    run: Pressure


class RushHour(Struct, frozen=True):
    """How a recording is played: ``repeat`` times, lines for several ``spread``, ``scale`` times as many, ``streams`` added.

    ``wanted`` names appenders, all without any; ``late`` asks for advice with which nothing leaves a queue later.
    ``learned`` tells of what the recording lacks.
    """

    recording: Recording
    repeat: int = 1
    spread: bool = False
    scale: float = 1.0
    seed: int = 1
    streams: Sequence[Stream] = ()
    wanted: tuple[str, ...] = ()
    late: timedelta | None = None
    learned: Learned | None = None

    def play(self, plan: Plan, *, course: bool = False) -> Pressed:
        """Return what the appenders of a plan go through."""
        lessons = self.learned.lessons(self.recording, [plan]) if self.learned is not None else None
        if lessons is not None and lessons.kinds:
            from vetrina.work.foreseen_rush import foreseen_rush  # noqa: PLC0415  (NumPy only where it is used)

            return foreseen_rush(self, plan, lessons, course=course)
        pressed = self.pressed(plan, self.events(plan), course=course)
        pressed.run.foretold = None if lessons is None else Foretold(lessons)
        return pressed

    def pressed(self, plan: Plan, events: Iterable[Event], *, course: bool = False) -> Pressed:
        """Return what the appenders of a plan go through with some events, and those of added streams."""
        run = Pressure(
            Router(plan), self.wanted or None, course=course, advice=self.late is not None, means=self._means(plan),
        )  # fmt: skip
        run.feed(StreamedEvents(self.streams).between(events) if self.streams else events)
        found = run.finish()
        return Pressed(found, self._advice(plan, run), run)

    def _read(self, plan: Plan) -> Iterator[Event]:
        for _, events in self.recording.in_order(plan.scale):
            yield from events

    def events(self, plan: Plan) -> Iterable[Event]:
        """Return the recorded events as they are played."""
        read: Callable[[], Iterable[Event]] = partial(self._read, plan)
        events: Iterable[Event] = repeated(read, self.repeat)
        if self.spread:
            events = spread(events, next_times(repeated(read, self.repeat)))
        if self.scale != 1:
            events = scaled(events, self.scale, self.seed, MOST_COPIES)
        return events

    def _means(self, plan: Plan) -> Means:
        """Return the mean bytes of recorded events, where a stream has no size of its own."""
        if all(one.size is not None for one in self.streams):
            return {}
        first = Pressure(Router(plan), self.wanted or None)
        first.feed(self._read(plan))
        first.finish()
        return first.means()

    def _advice(self, plan: Plan, run: Pressure) -> dict[str, QueueAdvice]:
        if self.late is None:
            return {}
        late = self.late // timedelta(microseconds=1) * 1000
        names = [name for name in run.watches if plan.appenders[name].queue is not None or name in self.wanted]
        return {
            name: advise(plan.appenders[name], arrivals, late) for name in names if (arrivals := run.watches[name].arrivals)
        }
