"""The rush hour for people: what gives way first, how busy it gets, what limits, recalls, queues and buffers did."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import UTC, datetime, timedelta, tzinfo

from vetrina.core.base import clocks
from vetrina.core.base.levels import NAMES, Scale
from vetrina.core.base.quantities import show_size, show_span
from vetrina.core.base.wording import counted, plural
from vetrina.core.foresight.lessons import Ends
from vetrina.core.foresight.wording import between, between_counted
from vetrina.core.plan.model import Plan
from vetrina.core.plan.rush_policy import SECOND
from vetrina.core.pressure.advice import Played, QueueAdvice
from vetrina.core.pressure.gauges import AppenderPressure, Whom
from vetrina.core.pressure.playing import Pressure
from vetrina.core.routing.router import LateGate
from vetrina.views.foresight import foretold_lines
from vetrina.views.screen import Column, Line, Span, most, number, safe, span, table, whole, wrapped

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_HELD_LONG = 1.0
_LONG_LATE = 60
_SHOWN = 6
_NONE = Ends(0, 0)


def seconds(nanoseconds: float) -> str:
    """Return a span for people, to the millisecond where it is short."""
    value = nanoseconds / SECOND
    if value < 60:
        return f"{value:.3f} s" if value < 10 else f"{value:.1f} s"
    return show_span(timedelta(seconds=value))


def pressure_lines(
    run: Pressure, found: list[AppenderPressure], advice: dict[str, QueueAdvice], plan: Plan, how: str, width: int
) -> list[Line]:
    """Return what gives way, then the tables; ``how`` says how the recording was played."""
    zone = clocks.zone(plan.zone)
    lines = _head(run, how, width)
    if run.foretold is not None:
        lines += foretold_lines(run.foretold, plan.scale, width)
    lines += [[], [Span("What gives way", "title")], *_gives_way(found, plan, width, played=run.lines)]
    lines += [[], [Span("How busy it gets", "title"), span(f"  (arrivals, times in {plan.zone})", "quiet")]]
    lines += _busy(found, zone, width)
    for title, rows in (
        ("Limits", _limits(found, plan, width)),
        ("Recalls", _recalls(found, plan, width)),
        ("Queues", _queues(found, plan, width)),
        ("Buffers", _buffers(found, width)),
        ("Queues that would do", _advice(advice, width)),
    ):
        lines += [[], [Span(title, "title")], *rows] if rows else []
    return lines


def _head(run: Pressure, how: str, width: int) -> list[Line]:
    span_ = show_span(run.last - run.first) if run.first and run.last and run.last > run.first else "no time"
    mark = "~" if run.imagined else ""
    head: Line = [Span(f"{mark}{counted(run.events, 'event')}", "title"), span(f" over {span_}{how}")]
    lines: list[Line] = [head]
    if run.several:
        verb = "stands" if run.several == 1 else "stand"
        text = (
            f"{counted(run.several, 'line')} {verb} for several events at one moment; each passes, waits or stops as a whole. That "
            "hides a rush, or makes one: --spread puts them evenly over the time to the next line of their logger"
        )
        lines += wrapped(text, width, 2, "raised")
    if run.streamed:
        lines.append([Span(f"{number(run.streamed)} of them are of added streams, of which no event is recorded", "quiet")])
    return lines


def _gives_way(found: list[AppenderPressure], plan: Plan, width: int, *, played: int) -> list[Line]:
    """Return what is lost, held or late, the gravest first."""
    if not played:
        return [[Span("  "), Span("No event was played, so nothing can be told.", "raised")]]
    notes = [note for one in found for note in _losses(one, plan)]
    if not notes:
        asked = any(plan.appenders[one.appender].remembers for one in found)
        also = "Nothing, as expected or in 90 of 100 plays" if any(one.foreseen for one in found) else "Nothing here"
        text = f"{also}: no limit stops, no queue drops, holds, or lets anything leave more than a minute late."
        return [[Span("  "), Span(text if asked else "Nothing to give way: no limit, no recall, no queue here.", "good")]]
    ordered = sorted(notes, key=lambda one: one[0])
    return [
        [Span("    " if at else "  - "), *part]
        for _, text, style in ordered
        for at, part in enumerate(wrapped(safe(text), width - 4, 0, style))
    ]


def _losses(one: AppenderPressure, plan: Plan) -> Iterable[tuple[int, str, str]]:
    """Yield (rank, sentence, style) for what happens at an appender that somebody should know."""
    name, scale, mark = one.appender, plan.scale, "~" if one.foreseen else ""
    gates: tuple[tuple[LateGate, str], ...] = (("queue", "its queue drops"), ("limit", "its limit stops"))
    for gate, verb in gates:
        whom = one.stopped.get(gate, {})
        grave = sum(count for (_, severity), count in whom.items() if severity >= NAMES["error"])
        count, ends = sum(whom.values()), one.foreseen.get(f"stopped at {gate}", _NONE)
        events = between_counted(ends, "event") if ends.high else counted(count, "event")
        if grave:
            of_them = "all of them" if grave == count else f"{mark}{number(grave)} of them"
            yield 0, f"{name}: {verb} {events}, {of_them} errors or worse", "bad"
        elif count or ends.high:
            levels = f", none of them an error ({mark}{_levels(whom, scale)})" if count else ", where none is expected"
            yield 2, f"{name}: {verb} {events}{levels}", "raised"
    yield from _waits(one)
    if one.buffer is not None and one.buffer.lost:
        lost = between_counted(one.foreseen["buffer lost"], "event") if one.foreseen else counted(one.buffer.lost, "event")
        yield 1, f"{name}: a crash loses {lost} that wait in its buffer", "bad"
    if one.forgot:
        yield 3, f"{name}: its limit had more than 100,000 keys at once: some passed that should not have", "raised"


def _waits(one: AppenderPressure) -> Iterable[tuple[int, str, str]]:
    """Yield the same for an application that is held, and events that are late."""
    if one.queue is None:
        return
    held, late = one.queue.held, one.queue.late.longest if one.queue.late is not None else 0
    if held or one.foreseen.get("held", _NONE).high:
        rank, told = 1 if held > _HELD_LONG * SECOND else 3, _told(one, "held", held, seconds)
        yield rank, f"{one.appender}: the application is held for {told} in all while its line is full", "raised"
    if max(late, one.foreseen.get("late longest", _NONE).high) > _LONG_LATE * SECOND:
        told = _told(one, "late longest", late, seconds)
        yield 2, f"{one.appender}: events leave its line up to {told} after they came", "raised"


def _levels(whom: Whom, scale: Scale) -> str:
    counts: dict[int, int] = {}
    for (_, severity), count in whom.items():
        counts[severity] = counts.get(severity, 0) + count
    return ", ".join(f"{number(count)} at {scale.name(severity)}" for severity, count in sorted(counts.items(), reverse=True))


def _told(one: AppenderPressure, name: str, figure: int, show: Callable[[int], str] = number) -> str:
    """Return a figure; where a part of it is estimated, its range."""
    ends = one.foreseen.get(name)
    return show(figure) if ends is None else between(ends, show)


def _busy(found: list[AppenderPressure], zone: tzinfo, width: int) -> list[Line]:
    heads = [
        Column("appender", least=10), Column("arrived", right=True), Column("written", right=True), Column("busiest"),
        Column("events", right=True), Column("bytes", right=True), Column("at", least=19),
    ]  # fmt: skip
    rows = []
    for one in found:
        first = [
            span(one.appender),
            span(_told(one, "arrived", one.arrived)),
            span(_told(one, "written", one.written), "" if one.written else "bad"),
        ]
        if not one.busiest:
            rows.append([*first, span("·", "quiet"), span("·", "quiet"), span("·", "quiet"), span("·", "quiet")])
        for name, busiest in one.busiest.items():
            at = (_EPOCH + timedelta(seconds=busiest.at)).astimezone(zone)
            mark = "~" if one.foreseen else ""
            lead = first if name == "second" else [span(""), span(""), span("")]
            cells = [
                span(name),
                span(_told(one, f"busiest {name}", busiest.events)),
                span(mark + show_size(busiest.bytes)),
                span(f"{mark}{at:%Y-%m-%d %H:%M:%S}"),
            ]
            rows.append([*lead, *cells])
    return table(heads, rows, width, 2)


def _limits(found: list[AppenderPressure], plan: Plan, width: int) -> list[Line]:
    lines: list[Line] = []
    for one in found:
        limit = plan.appenders[one.appender].limit
        if limit is None:
            continue
        stopped = one.stops("limit")
        text = f"{one.appender}: {limit.words()}: stopped {_told(one, 'stopped at limit', stopped)} of {_told(one, 'arrived', one.arrived)}"
        lines += [[Span("  "), *line] for line in wrapped(safe(text), width - 2, 2)]
        lines += _whom(one, "limit", plan.scale, width)
    return lines


def _whom(pressure: AppenderPressure, gate: LateGate, scale: Scale, width: int) -> list[Line]:
    ordered = sorted(pressure.stopped.get(gate, {}).items(), key=lambda one: (-one[1], one[0]))
    mark = "~" if pressure.foreseen else ""
    shown = ordered[: most(width, _SHOWN)]
    lines: list[Line] = [
        [Span("      "), span(f"{mark + number(count):>7}  "), span(f"{logger} at {scale.name(severity)}", "quiet")]
        for (logger, severity), count in shown
    ]
    if len(ordered) > len(shown) and not whole(width):
        lines.append([Span(f"      … and {len(ordered) - len(shown)} more (--wide, --json)", "quiet")])
    return lines


def _recalls(found: list[AppenderPressure], plan: Plan, width: int) -> list[Line]:
    lines: list[Line] = []
    for one in found:
        recall = plan.appenders[one.appender].recall
        if recall is None:
            continue
        stopped, mark = one.stops("recall"), "~" if one.foreseen else ""
        text = (
            f"{one.appender}: {recall.words(plan.scale)}: {_told(one, 'recalled', one.recalled)} recalled and written; never written "
            f"{_told(one, 'stopped at recall', stopped)} ({mark}{number(stopped - one.left)} pushed out by newer ones, {mark}{number(one.left)} left at the end)"
        )
        lines += [[Span("  "), *line] for line in wrapped(safe(text), width - 2, 2)]
    return lines


def _queues(found: list[AppenderPressure], plan: Plan, width: int) -> list[Line]:
    lines: list[Line] = []
    for one in found:
        policy, queue = plan.appenders[one.appender].queue, one.queue
        if policy is None or queue is None:
            continue
        late = "nothing came" if queue.late is None else (
            f"late by {_told(one, 'late median', round(queue.late.median), seconds)} (median), "
            f"{_told(one, 'late p95', round(queue.late.p95), seconds)} (95 % at most), "
            f"{_told(one, 'late longest', queue.late.longest, seconds)} (longest)"
        )  # fmt: skip
        text = (
            f"{one.appender}: {policy.words(plan.scale)}: at most {_told(one, 'line', queue.longest)} in line; {late}; "
            f"dropped {_told(one, 'stopped at queue', one.stops('queue'))}; the application was held "
            f"{_told(one, 'held', queue.held, seconds)}"
        )
        lines += [[Span("  "), *line] for line in wrapped(safe(text), width - 2, 2)]
        lines += _whom(one, "queue", plan.scale, width)
    return lines


def _buffers(found: list[AppenderPressure], width: int) -> list[Line]:
    lines: list[Line] = []
    for one in found:
        if one.buffer is None:
            continue
        text = (
            f"{one.appender}: at most {_told(one, 'buffer', one.buffer.longest)} "
            f"{plural(one.buffer.longest, 'event')} waiting, at most "
            f"{seconds(one.buffer.waited / timedelta(seconds=1) * SECOND)}; a crash lost {_told(one, 'buffer lost', one.buffer.lost)}, "
            f"{number(one.buffer.left)} waited at the end"
        )
        lines += [[Span("  "), *line] for line in wrapped(safe(text), width - 2, 2)]
    return lines


def _advice(advice: dict[str, QueueAdvice], width: int) -> list[Line]:
    lines: list[Line] = []
    for name, one in advice.items():
        lines.append([span(f"  {name}", "title"), Span("  (each was played: nothing dropped, nothing held)", "quiet")])
        if one.now is not None:
            lines += _would_do("as it drains now", one.now, one.wished, width)
        if one.slowest is not None:
            lines += _would_do("the slowest that will do", one.slowest, one.wished, width)
        else:
            text = f"no drain lets everything leave within {seconds(one.wished)}: some arrive together"
            lines += [[Span("    "), *line] for line in wrapped(text, width - 4, 2, "bad")]
    return lines


def _would_do(title: str, one: Played, wished: int, width: int) -> list[Line]:
    meets = one.late <= wished
    text = f"{title}: events: {one.longest}, drains: {one.drains}: at most {seconds(one.late)} late"
    text += "" if meets else f", more than the {seconds(wished)} that were asked for"
    return [[Span("    "), *line] for line in wrapped(text, width - 4, 2, "good" if meets else "raised")]
