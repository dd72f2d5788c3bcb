"""What one appender goes through in the rush hour: arrivals, stops, lateness, what waits in its buffer."""

from __future__ import annotations

from array import array
from datetime import datetime, timedelta

from msgspec import Struct, field

from vetrina.core.base.events import Event
from vetrina.core.base.logger_names import tree_name
from vetrina.core.foresight.lessons import Ends
from vetrina.core.plan.model import Appender
from vetrina.core.plan.rush_policy import SECOND
from vetrina.core.pressure.lateness import Lateness, Latenesses
from vetrina.core.pressure.peaks import Busiest, Course, Peaks
from vetrina.core.rolling.streams import StreamedEvent
from vetrina.core.routing.passages import AppenderGates, Gauge, Write, nanoseconds
from vetrina.core.routing.router import LateGate
from vetrina.core.rush.buffers import Waiting
from vetrina.core.rush.queue import Place
from vetrina.core.templates.compiling import MakeMeasure

_MOST_WHOM = 10_000
FURTHER = "(further loggers)"
Whom = dict[tuple[str, int], int]
"""Events by logger and severity; loggers beyond 10,000 pairs together."""


class BufferPressure(Struct):
    """What waited in a buffer: at most so many events, for how long at most, whatever ended it; a crash lost some, the end of input found some waiting."""

    longest: int = 0
    waited: timedelta = timedelta(0)
    lost: int = 0
    left: int = 0


class QueuePressure(Struct, frozen=True):
    """What a queue did: its longest line, how late events left it, for how many nanoseconds the application was held."""

    longest: int
    late: Lateness | None
    held: int


class AppenderPressure(Struct):
    """What one appender went through. Counts are of events, a line that stands for several counted as many.

    ``stopped`` is by gate, logger and severity; ``left`` of those at `recall` were still remembered at the end. ``several``
    are the arrivals that stood for more than one event, ``threads`` two of the threads that they came from. ``forgot`` tells that a limit had more keys than it remembers.
    ``foreseen`` are the ranges of `figures`, where a part is estimated from another recording.
    """

    appender: str
    arrived: int = 0
    written: int = 0
    recalled: int = 0
    left: int = 0
    bytes: int = 0
    several: int = 0
    forgot: bool = False
    threads: set[str | int] = field(default_factory=set)
    stopped: dict[LateGate, Whom] = field(default_factory=dict)
    queue: QueuePressure | None = None
    buffer: BufferPressure | None = None
    busiest: dict[str, Busiest] = field(default_factory=dict)
    course: Course | None = None
    foreseen: dict[str, Ends] = field(default_factory=dict)

    def stops(self, gate: LateGate) -> int:
        """Return how many events a gate stopped."""
        return sum(self.stopped.get(gate, {}).values())

    def figures(self) -> dict[str, int]:
        """Return the figures that are given ranges, by name; times are in nanoseconds."""
        found = {"arrived": self.arrived, "written": self.written, "bytes": self.bytes, "recalled": self.recalled}
        found |= {f"stopped at {gate}": self.stops(gate) for gate in ("limit", "recall", "queue")}
        queue, buffer = self.queue, self.buffer
        found |= {f"busiest {name}": one.events for name, one in self.busiest.items()}
        if queue is not None:
            late = (queue.late.median, queue.late.p95, queue.late.longest) if queue.late is not None else (0, 0, 0)
            names = ("late median", "late p95", "late longest")
            found |= {
                "line": queue.longest,
                "held": queue.held,
                **{name: round(one) for name, one in zip(names, late, strict=True)},
            }
        if buffer is not None:
            found |= {"buffer": buffer.longest, "buffer lost": buffer.lost}
        return found


class Watch(Gauge):
    """Hears what happens at one appender; ``measure`` gives the bytes of its events, without one bytes are not asked for.

    ``arrivals`` are those at its queue, where they are wanted for advice; ``mark`` is one that is to act on the buffer.
    """

    def __init__(
        self, appender: Appender, measure: MakeMeasure | None, means: dict[int, int], *, course: bool, advice: bool
    ) -> None:
        self.found = AppenderPressure(appender.name, course=Course() if course else None)
        self.gates: AppenderGates | None = None
        self.sizes: dict[int, list[int]] = {}
        self.arrivals = array("q") if advice else None
        self._measure, self._means = measure, means
        self._peaks, self._late = Peaks(), Latenesses()
        self._waiting: Waiting[int] | None = Waiting(appender.buffer) if appender.buffer is not None else None
        self._in_buffer = 0
        self.mark: str | None = None
        if self._waiting is not None:
            self.found.buffer = BufferPressure()

    def arrived(self, write: Write, now: datetime) -> None:
        """Count an arrival, and its bytes."""
        event, found, severity = write.passage.event, self.found, write.passage.severity
        count = event.count or 1
        size = self._size(event, write.passage.number, severity) * count if self._measure is not None else 0
        found.arrived += count
        found.bytes += size
        found.several += count > 1
        if event.thread is not None and len(found.threads) < 2:
            found.threads.add(event.thread)
        second = nanoseconds(now) // SECOND
        self._peaks.take(second, count, size)
        if found.course is not None:
            found.course.at(second).arrived += count

    def _size(self, event: Event, number: int, severity: int) -> int:
        assert self._measure is not None  # noqa: S101  (asked by the caller)
        if isinstance(event, StreamedEvent):
            return event.size if event.size is not None else self._means.get(severity, self._means.get(0, 0))
        size = self._measure(event)(event, number)
        known = self.sizes.setdefault(severity, [0, 0])
        known[0] += 1
        known[1] += size
        return size

    def stopped(self, write: Write, gate: LateGate, now: datetime) -> None:
        """Count a stop."""
        self._count_stop(write, gate)
        if gate == "queue":
            self._note_arrival(now)
        if self.found.course is not None:
            stretch = self.found.course.at(nanoseconds(now) // SECOND)
            stretch.stopped[gate] = stretch.stopped.get(gate, 0) + (write.passage.event.count or 1)

    def _count_stop(self, write: Write, gate: LateGate) -> None:
        whom = self.found.stopped.setdefault(gate, {})
        key = (tree_name(write.passage.event.logger), write.passage.severity)
        if key not in whom and len(whom) >= _MOST_WHOM:
            key = (FURTHER, write.passage.severity)
        whom[key] = whom.get(key, 0) + (write.passage.event.count or 1)

    def queued(self, write: Write, now: datetime, place: Place) -> None:
        """Note how late an event leaves the line."""
        arrives = nanoseconds(now)
        self._late.take(place.leaves - arrives, write.passage.event.count or 1)
        self._note_arrival(now)
        if self.found.course is not None and self.gates is not None and self.gates.queue is not None:
            stretch = self.found.course.at(arrives // SECOND)
            stretch.longest = max(stretch.longest, self.gates.queue.line)
            stretch.late = max(stretch.late, place.leaves - arrives)

    def _note_arrival(self, now: datetime) -> None:
        if self.arrivals is not None:
            self.arrivals.append(nanoseconds(now))

    def written(self, write: Write, now: datetime, *, recalled: bool) -> None:
        """Count what passed, and let it wait in the buffer."""
        if not recalled:
            self.heed_mark(now)
        count = write.passage.event.count or 1
        self.found.written += count
        self.found.recalled += count if recalled else 0
        if self.gates is not None and self.gates.queue is None:
            self._note_arrival(now)  # where a queue would stand
        waiting, buffer = self._waiting, self.found.buffer
        if waiting is None or buffer is None:
            return
        oldest = waiting.times[0] if waiting.times else now
        groups = list(waiting.take(now, write.passage.severity, count))
        self._in_buffer += count - sum(map(sum, groups))
        buffer.longest = max(buffer.longest, self._in_buffer, 0 if waiting.parcels else sum(groups[-1]))
        if groups:
            buffer.waited = max(buffer.waited, now - oldest)

    def heed_mark(self, now: datetime) -> None:
        """Let a mark act that has not yet: after what its event recalls was written, before the event itself is."""
        mark, self.mark = self.mark, None
        if mark is not None:
            self.release(now, lost=mark == "crash")

    def release(self, now: datetime, *, lost: bool = False, end: bool = False) -> None:
        """Empty the buffer: a stop or the end of input delivers what waits, a crash loses it."""
        waiting, buffer = self._waiting, self.found.buffer
        if waiting is None or buffer is None or not waiting.parcels:
            return
        count, oldest = self._in_buffer, waiting.times[0]
        waiting.release()
        self._in_buffer = 0
        buffer.lost += count if lost else 0
        buffer.left += count if end else 0
        buffer.waited = max(buffer.waited, now - oldest)

    def finish(self, now: datetime) -> AppenderPressure:
        """End the input, and return all that was found."""
        self.release(now, end=True)
        found, gates = self.found, self.gates
        found.busiest = self._peaks.result()
        if gates is not None and gates.queue is not None:
            found.queue = QueuePressure(gates.queue.longest, self._late.result(), gates.queue.held)
        found.forgot = gates is not None and gates.limit is not None and gates.limit.overflown
        return found

    def leave(self, write: Write) -> None:
        """Count an event that is remembered to the end: it was stopped there."""
        self._count_stop(write, "recall")
        self.found.left += write.passage.event.count or 1

    def means(self) -> dict[int, int]:
        """Return the mean bytes of an arrival by severity, under 0 that of all."""
        found = {severity: size // count for severity, (count, size) in self.sizes.items() if count}
        whole = [sum(column) for column in zip(*self.sizes.values(), strict=True)] if self.sizes else [0, 0]
        return found | ({0: whole[1] // whole[0]} if whole[0] else {})
