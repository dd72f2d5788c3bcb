"""`pressure --json`."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base.levels import Scale
from vetrina.core.plan.model import Plan
from vetrina.core.plan.rush_policy import SECOND
from vetrina.core.pressure.advice import Played, QueueAdvice
from vetrina.core.pressure.gauges import AppenderPressure, Whom
from vetrina.core.pressure.lateness import Lateness
from vetrina.core.pressure.playing import Pressure as Run
from vetrina.views.documents.foresight import Estimate, Learned, learned, names_of

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


class StoppedOf(Struct):
    """Events of one logger and level that a gate stopped."""

    logger: str
    level: str
    events: int


class LimitPressure(Struct):
    """What a limit stopped; `forgot` tells that it had more keys than it remembers, so that some passed that should not have."""

    stopped: int
    of: list[StoppedOf]
    forgot: bool


class RecallPressure(Struct):
    """What was written because an error followed, and what never was: pushed out by newer events, or left at the end."""

    recalled: int
    stopped: int
    pushed_out: int
    left: int


class LatenessSeconds(Struct):
    """How many seconds events left a line after they came to it; null where none did."""

    median: float
    p95: float
    longest: float


class QueuePressure(Struct):
    """What a queue did; `held_seconds` is how long the application was held."""

    dropped: int
    of: list[StoppedOf]
    longest: int
    late: LatenessSeconds | None
    held_seconds: float


class BufferPressure(Struct):
    """What waited in a buffer: at most so many events, at most so long; lost by a crash, left at the end and delivered then."""

    longest: int
    waited_seconds: float
    lost: int
    left: int


class BusyStretch(Struct):
    """A whole second, minute or hour (UTC), and what arrived in it."""

    at: str
    events: int
    bytes: int


class Busiest(Struct):
    """The busiest stretches, by events, the earliest of equals; null where nothing arrived."""

    second: BusyStretch | None
    minute: BusyStretch | None
    hour: BusyStretch | None


class PlayedQueue(Struct):
    """A queue that was tried: with it nothing is dropped, the application is never held, nothing is later than `late` seconds."""

    events: int
    drains: str
    late: float


class Advised(Struct):
    """What would do: `now` with today's drain (null without a queue), `slowest` with the slowest that meets the wish (null: none)."""

    wished_seconds: float
    now: PlayedQueue | None
    slowest: PlayedQueue | None


class PressedFigure(Struct):
    """One figure of which a part is estimated, by its name; times are in seconds."""

    figure: str
    estimated: Estimate[float]


class AppenderPressed(Struct):
    """What one appender went through. `arrived` reached its limit, recall or queue, or would have.

    `ranges` are there with --learn: the figures are then those of what is expected.
    """

    appender: str
    sink: str
    arrived: int
    written: int
    bytes: int
    several: int
    busiest: Busiest
    limit: LimitPressure | UnsetType = UNSET
    recall: RecallPressure | UnsetType = UNSET
    queue: QueuePressure | UnsetType = UNSET
    buffer: BufferPressure | UnsetType = UNSET
    advice: Advised | UnsetType = UNSET
    ranges: list[PressedFigure] | UnsetType = UNSET


class Pressure(Struct):
    """`pressure --json`. `events` are what was played, `lines` in so many lines, of which `several` stand for more than one.

    `streamed` are of added streams, and `estimated` of what `learned` tells (--learn): of these no event is recorded.
    """

    events: int
    lines: int
    several: int
    streamed: int
    unreadable: int
    first: str | None
    last: str | None
    appenders: list[AppenderPressed]
    estimated: int = 0
    learned: Learned | UnsetType = UNSET


def document(run: Run, found: list[AppenderPressure], advice: dict[str, QueueAdvice], plan: Plan, unreadable: int) -> Pressure:
    """Return the rush hour as a document."""
    appenders = [_appender(one, advice.get(one.appender), plan) for one in found]
    first, last = (one.astimezone(UTC).isoformat().replace("+00:00", "Z") if one else None for one in (run.first, run.last))
    told = run.foretold
    return Pressure(
        run.events, run.lines, run.several, run.streamed, unreadable, first, last, appenders, run.imagined,
        UNSET if told is None else learned(told.lessons, told.totals, told.draws, plan.scale, played=told.played),
    )  # fmt: skip


def _appender(one: AppenderPressure, advice: QueueAdvice | None, plan: Plan) -> AppenderPressed:
    appender = plan.appenders[one.appender]
    made = AppenderPressed(
        one.appender, appender.sink.title, one.arrived, one.written, one.bytes, one.several,
        Busiest(*(_stretch(one, name) for name in ("second", "minute", "hour"))),
    )  # fmt: skip
    if appender.limit is not None:
        made.limit = LimitPressure(one.stops("limit"), _of(one.stopped.get("limit", {}), plan.scale), one.forgot)
    if appender.recall is not None:
        stopped = one.stops("recall")
        made.recall = RecallPressure(one.recalled, stopped, stopped - one.left, one.left)
    if one.queue is not None:
        of, queue = _of(one.stopped.get("queue", {}), plan.scale), one.queue
        made.queue = QueuePressure(one.stops("queue"), of, queue.longest, _late(queue.late), queue.held / SECOND)
    if one.buffer is not None:
        buffer = one.buffer
        made.buffer = BufferPressure(buffer.longest, buffer.waited.total_seconds(), buffer.lost, buffer.left)
    if advice is not None:
        made.advice = Advised(advice.wished / SECOND, _played(advice.now), _played(advice.slowest))
    if one.foreseen:
        made.ranges = _ranges(one, plan.scale)
    return made


def _ranges(one: AppenderPressure, scale: Scale) -> list[PressedFigure]:
    """Return the ranges of an appender's figures."""
    figures, found = one.figures(), []
    for name, ends in one.foreseen.items():
        part = SECOND if name.startswith(("late", "held")) else 1
        low, middle, high = (figure / part if part > 1 else figure for figure in (ends.low, figures[name], ends.high))
        found.append(PressedFigure(name, Estimate(low, middle, high, names_of(ends.lessons, scale), ends.weak)))
    return found


def _stretch(one: AppenderPressure, name: str) -> BusyStretch | None:
    found = one.busiest.get(name)
    if found is None:
        return None
    at = (_EPOCH + timedelta(seconds=found.at)).isoformat().replace("+00:00", "Z")
    return BusyStretch(at, found.events, found.bytes)


def _of(whom: Whom, scale: Scale) -> list[StoppedOf]:
    ordered = sorted(whom.items(), key=lambda one: (-one[1], one[0]))
    return [StoppedOf(logger, scale.name(severity), count) for (logger, severity), count in ordered]


def _late(late: Lateness | None) -> LatenessSeconds | None:
    return None if late is None else LatenessSeconds(late.median / SECOND, late.p95 / SECOND, late.longest / SECOND)


def _played(one: Played | None) -> PlayedQueue | None:
    return None if one is None else PlayedQueue(one.longest, str(one.drains), one.late / SECOND)
