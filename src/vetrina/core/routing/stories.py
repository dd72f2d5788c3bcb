"""What the gates with a memory did with one event: by itself, or after all that came before it.

Here: facts in words, one answer for each gate of each lane. Not here: the gates before (explaining.py).
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from msgspec import Struct, field

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.origins import Origin
from vetrina.core.base.quantities import exact_span
from vetrina.core.base.wording import counted
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.plan.rush_policy import SECOND, Limit, Queue, Recall, same_words
from vetrina.core.routing.passages import AppenderGates, Gauge, Passage, Passages, Write, nanoseconds
from vetrina.core.routing.router import LateGate, Router
from vetrina.core.rush.queue import Place


class LateAnswer(Struct, frozen=True):
    """A limit, a recall or a queue that was asked: whether the event passed, why, and where that is set."""

    gate: LateGate
    passed: bool
    compared: str
    origin: Origin


class Story(Struct):
    """One event at the gates with a memory: its passage, and the answers by lane."""

    passage: Passage
    answers: dict[int, list[LateAnswer]] = field(default_factory=dict)

    def say(self, lane: int, gate: LateGate, compared: str, origin: Origin, *, passed: bool) -> None:
        """Add an answer."""
        self.answers.setdefault(lane, []).append(LateAnswer(gate, passed, compared, origin))


def by_itself(router: Router, event: Event) -> Story:
    """Return the story of an event before which none came; what it says of others is what could be."""
    story = Story(Passages(router).take(event, 1).passage)
    passage, plan = story.passage, router.plan
    for at, lane in enumerate(passage.lanes):
        one = plan.appenders[lane.appender]
        gate = None if passage.early else passage.gates[at]
        if not one.remembers or gate not in {None, "limit", "recall", "queue"}:
            continue
        if one.limit is not None:
            story.say(
                at, "limit", _limit_by_itself(one.limit, stopped=gate == "limit"), one.limit.origin, passed=gate != "limit"
            )
        if one.recall is not None:
            words = _recall_by_itself(one.recall, plan, passage.severity)
            story.say(at, "recall", words, one.recall.origin, passed=gate != "recall")
        if one.queue is not None and gate in {None, "queue"}:
            words = _queue_by_itself(one.queue, passage.severity)
            story.say(at, "queue", words, one.queue.origin, passed=gate != "queue")
    return story


def _limit_by_itself(limit: Limit, *, stopped: bool) -> str:
    if stopped:
        return f"{limit.words()}: it was met before on this climb, and used that up"
    return f"passes unless {_events(limit)} passed within {exact_span(limit.per)} before: that depends on what came before (--from)"


def _events(limit: Limit) -> str:
    return f"{counted(limit.events, 'event')}{same_words(limit.same)}"


def _recall_by_itself(recall: Recall, plan: Plan, severity: int) -> str:
    name = plan.scale.name
    below, at, same = name(recall.below), name(recall.at), same_words(recall.same)
    if severity < recall.below:
        return (
            f"remembered, not written: {name(severity)} is below {below}. It is written if one at {at} or above{same} comes "
            f"before {counted(recall.events, 'further event')} below {below}{same}"
        )
    after = f", after what is remembered{same}" if severity >= recall.at else ""
    return f"{name(severity)} is at or above {below}: written at once{after}"


def _queue_by_itself(queue: Queue, severity: int) -> str:
    waits = queue.full.waits_from is not None and severity >= queue.full.waits_from
    then = "the application is held until there is room" if waits else "it is dropped"
    return f"passes while fewer than {counted(queue.events, 'event')} stand in line (drained {queue.drains}); else {then}"


class Replay:
    """Sends events through a plan up to one of them, and on until all is known of it.

    ``feed`` takes (line, event); ``story`` is there once the event of the wanted line has come.
    """

    def __init__(self, router: Router, line: int) -> None:
        self._plan, self._line = router.plan, line
        self._listeners: dict[str, _Listener] = {}
        self.story: Story | None = None
        self._latest: tuple[int, Event] | None = None
        self._passages = Passages(router, self._listener)
        for name, gates in self._passages.appenders.items():
            self._listeners[name].gates = gates
        self._number = 0

    def _listener(self, appender: Appender) -> Gauge:
        found = self._listeners[appender.name] = _Listener(self, appender, self._plan)
        return found

    def feed(self, events: Iterable[tuple[int, Event]]) -> bool:
        """Take events with their lines; tell whether all is known of the wanted one."""
        for line, event in events:
            self._number += 1
            self._latest = (line, (self._passages.router.enter(event) if event.channel else None) or event)
            taken = self._passages.take(event, self._number, line)
            if self.story is not None and self.story.passage is not taken.passage and not self.story.passage.waiting:
                return True
            if line == self._line:
                self.begin(taken.passage)
                if not taken.passage.waiting:
                    return True
        return False

    def begin(self, passage: Passage) -> Story:
        """Return the story of the wanted event."""
        if self.story is None:
            self.story = Story(passage)
        return self.story

    def wants(self, write: Write) -> bool:
        """Tell whether a write is one of the wanted event."""
        return bool(write.passage.tag == self._line)

    def who(self) -> str:
        """Return the event that came last, as what recalls."""
        assert self._latest is not None  # noqa: S101  (asked while one is taken)
        line, event = self._latest
        severity = self._plan.scale.severity(event.level)
        return f"line {line} ({self._plan.scale.name(severity or 0)}, {tree_name(event.logger)})"

    def finish(self) -> Story | None:
        """End the input: what is remembered still stays so."""
        story = self.story
        if story is not None and story.passage.waiting:
            for at, gate in enumerate(story.passage.gates):
                recall = self._plan.appenders[story.passage.lanes[at].appender].recall
                if (
                    gate == "recall"
                    and recall is not None
                    and not any(one.gate == "recall" for one in story.answers.get(at, ()))
                ):
                    words = f"remembered, and nothing at {self._plan.scale.name(recall.at)} or above"
                    story.say(at, "recall", f"{words}{same_words(recall.same)} came to the end of the file", recall.origin,
                              passed=False)  # fmt: skip
        return story


class _Listener(Gauge):
    """Hears what one appender's gates do with the wanted event, and puts it into words."""

    def __init__(self, replay: Replay, appender: Appender, plan: Plan) -> None:
        self._replay, self._appender, self._plan = replay, appender, plan
        self.gates: AppenderGates | None = None
        self._recent: list[datetime] = []

    def arrived(self, write: Write, now: datetime) -> None:
        """Look at what counts against it."""
        if self._replay.wants(write) and self.gates is not None and self.gates.limit is not None:
            self._recent = self.gates.limit.recent(self.gates.key(write.passage.event), now)
        if (
            self._replay.wants(write)
            and self._appender.recall is not None
            and write.passage.severity >= self._appender.recall.below
        ):
            words = _recall_by_itself(self._appender.recall, self._plan, write.passage.severity)
            self._replay.begin(write.passage).say(write.lane, "recall", words, self._appender.recall.origin, passed=True)

    def stopped(self, write: Write, gate: LateGate, now: datetime) -> None:
        """Tell why."""
        del now
        if not self._replay.wants(write):
            return
        story, one = self._replay.begin(write.passage), self._appender
        if gate == "limit" and one.limit is not None:
            since = clocks.iso(clocks.zone(self._plan.zone))(self._recent[0]) if self._recent else "then"
            words = f"{_events(one.limit)} had passed within {exact_span(one.limit.per)} before, the first of them at {since}"
            story.say(write.lane, "limit", words, one.limit.origin, passed=False)
        if gate == "recall" and one.recall is not None:
            at = f"{self._plan.scale.name(one.recall.at)} or above{same_words(one.recall.same)}"
            words = f"remembered, and pushed out by {self._replay.who()} before anything at {at} came"
            story.say(write.lane, "recall", words, one.recall.origin, passed=False)
        if gate == "queue" and one.queue is not None:
            self._passed_before(write)
            words = (
                f"{counted(one.queue.events, 'event')} stood in line, and it was dropped ({one.queue.words(self._plan.scale)})"
            )
            story.say(write.lane, "queue", words, one.queue.origin, passed=False)

    def queued(self, write: Write, now: datetime, place: Place) -> None:
        """Tell how late it leaves."""
        queue = self._appender.queue
        if self._replay.wants(write) and queue is not None:
            self._passed_before(write)
            arrived = nanoseconds(now)
            held = f", after the application was held for {_seconds(place.joined - arrived)}" if place.joined > arrived else ""
            words = f"it stood in line, and left it {_seconds(place.leaves - arrived)} after it came{held}"
            self._replay.begin(write.passage).say(write.lane, "queue", words, queue.origin, passed=True)

    def written(self, write: Write, now: datetime, *, recalled: bool) -> None:
        """Tell that it passed."""
        del now, recalled
        if self._replay.wants(write):
            self._passed_before(write)

    def _passed_before(self, write: Write) -> None:
        """Tell how it passed the limit or was recalled, where that is not told yet."""
        story, one = self._replay.begin(write.passage), self._appender
        if any(answer.gate in {"limit", "recall"} for answer in story.answers.get(write.lane, ())):
            return
        if one.limit is not None:
            count = len(self._recent)
            words = f"{count} of {_events(one.limit)} had passed within {exact_span(one.limit.per)} before"
            story.say(write.lane, "limit", words, one.limit.origin, passed=True)
        if one.recall is not None:
            words = f"remembered, and written when {self._replay.who()} came"
            story.say(write.lane, "recall", words, one.recall.origin, passed=True)


def _seconds(nanoseconds: int) -> str:
    return f"{nanoseconds / SECOND:.3f} s"
