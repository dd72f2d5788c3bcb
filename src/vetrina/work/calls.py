"""The Python API: what the commands say, each as one typed call with plain results.

A wrong input raises Refused with every fault, as the commands tell them; nothing is printed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import date
from pathlib import Path

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.faults import offer, refuse
from vetrina.core.changes import comparing, sinks_compared
from vetrina.core.changes.comparing import MessageClass
from vetrina.core.changes.outcome import Outcome
from vetrina.core.changes.sinks_compared import SinkDifference
from vetrina.core.checks import load, runner
from vetrina.core.checks.runner import Finding
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.config.splices import Target
from vetrina.core.plan.model import Plan
from vetrina.core.plan.samples import samples
from vetrina.core.pressure.gauges import AppenderPressure
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing import explaining, level_rows
from vetrina.core.routing.counting import Counter, Traffic
from vetrina.core.routing.explaining import Explanation
from vetrina.core.routing.level_rows import LevelRow
from vetrina.core.routing.parts import Part
from vetrina.core.routing.previewing import Preview, Shown
from vetrina.core.routing.router import Router
from vetrina.formats.logs import LogReader
from vetrina.formats.plans import documents_of, mapping_for, read_resolved_plan
from vetrina.formats.safe_files import locked_files
from vetrina.work.applying import Change, Work, nameable, write
from vetrina.work.asked import known_appenders, known_level, level_range, streams
from vetrina.work.checking import circumstances
from vetrina.work.files_over_time import Playing, file_appenders
from vetrina.work.foreseeing import learned_from
from vetrina.work.outcomes import Trial
from vetrina.work.pressing import RushHour
from vetrina.work.recording import Recording

Events = str | Path | Iterable[Event]
"""A file of events, a folder of such, a pattern of names, or events that a program made."""


def resolve(
    plan: str | Path,
    *,
    stages: Sequence[str] = (),
    layers: Sequence[str | Path] = (),
    env: Sequence[str] = (),
    env_files: Sequence[str | Path] = (),
    sets: Sequence[str] = (),
    tunes: Sequence[str] = (),
    by: str | Path | None = None,
) -> ResolvedPlan:
    """Return a plan with its layers and options laid over one another, and all that was said about each value.

    Args:
        plan: The file.
        stages: Names of stages to lay over it, in order.
        layers: Files of partial plans to lay over that.
        env: `NAME=VALUE` for placeholders.
        env_files: Files of such lines.
        sets: `PATH=VALUE`, as `loggers[ropeway.gate].level=debug`.
        tunes: `LOGGER=LEVEL`.
        by: The mapping through which a document in another format is read; without it one beside the document, `-` for none.

    Raises:
        Refused: With every fault of the plan, its layers and the options.
    """
    return read_resolved_plan(plan, stages=stages, layers=layers, env=env, env_files=env_files, sets=sets, tunes=tunes, by=by)


def levels(
    plan: Plan | ResolvedPlan, loggers: Sequence[str] = (), *, under: str = "", find: str = "", differs: bool = False
) -> list[LevelRow]:
    """Return the effective level of each logger and where it comes from, in the order of the tree.

    Args:
        plan: The plan; of a resolved one, rows tell what stages, layers and options changed.
        loggers: Further loggers, also ones that the plan does not name.
        under: Only this logger and those below it.
        find: Only loggers with this in their name.
        differs: Only loggers whose level differs from their parent's.
    """
    bare = plan.bare_plan() if isinstance(plan, ResolvedPlan) and plan.overrides.change_plan() else None
    chosen = level_rows.Selection(tuple(loggers), under, differs=differs, find=find)
    return level_rows.level_rows(_plan(plan), chosen, bare)[0]


def route(plan: Plan | ResolvedPlan, events: Events, *, with_bytes: bool = True, logger: str = "", level: str = "") -> Traffic:
    """Send events through a plan and return how many reached which appender, and what stopped the others.

    Args:
        plan: The plan.
        events: A file of JSON Lines (also compressed), or events that a program made.
        with_bytes: Whether every delivery is measured, which makes it slower.
        logger: Only events of this logger and below it.
        level: Only these levels: `warn..`, `..info`, `debug..warn`, or one.
    """
    found = _plan(plan)
    counter = Counter(Router(found), with_bytes=with_bytes, part=_part(found, logger, level))
    Recording(events).gather(found.scale, lambda _before: counter)
    return counter.result()


def explain(plan: Plan | ResolvedPlan | Router, event: Event) -> Explanation:
    """Return every gate that one event meets, in order, and a sentence of what becomes of it.

    Raises:
        Refused: For a level that the plan does not know.
    """
    router = plan if isinstance(plan, Router) else Router(_plan(plan))
    known_level(router.plan.scale, event.level, "event")
    return explaining.explain(router, event)


def check(
    plan: ResolvedPlan,
    events: Events | None = None,
    *,
    only: Sequence[str] = (),
    skip: Sequence[str] = (),
    limits: dict[str, dict[str, float]] | None = None,
    probe: bool = False,
) -> list[Finding]:
    """Return what is wrong, risky or pointless in a plan, each with its place, the reason, and what to do.

    Args:
        plan: The resolved plan. Faults that reading finds are raised by `resolve`.
        events: Events to look at as well; without them, checks that need them do not run.
        only: The codes of the checks to run; all without any.
        skip: Codes to leave out.
        limits: Thresholds, by code and name.
        probe: Whether to look at this machine: folders, disks, git.
    """
    known = load()
    for code in (*only, *skip, *(limits or {})):
        if code not in known:
            raise refuse(f'no check is called "{code[:60]}"', fix=offer(code, known), where="check")
    recording = None if events is None else Recording(events)
    facts = circumstances(plan.plan, recording, limits, probe=probe)
    return runner.check(plan, facts, frozenset(only or known) - frozenset(skip))


def preview(
    plan: Plan | ResolvedPlan,
    events: Events | None = None,
    *,
    appenders: Sequence[str] = (),
    first: int | None = None,
    logger: str = "",
    level: str = "",
) -> Iterator[Shown]:
    """Yield the very lines that each appender's sink would get, in the order of the events.

    Args:
        plan: The plan.
        events: The events; samples that show what the templates do, without any.
        appenders: Only these.
        first: So many lines of each appender; all of them where None.
        logger: Only events of this logger and below it.
        level: Only these levels.
    """
    found = _plan(plan)
    known_appenders(found, appenders, "appenders")
    found = found if events is not None else found.without_memory()
    lines = Preview(Router(found), _part(found, logger, level), tuple(appenders), first)
    made = samples(found, ()) if events is None else Recording(events).read(found.scale)
    return lines.renderings(enumerate(made, start=1))


def rolling(
    plan: Plan | ResolvedPlan,
    events: Events,
    *,
    appenders: Sequence[str] = (),
    repeat: int = 1,
    rates: Sequence[str] = (),
    ratio: float | None = None,
    learn: Sequence[Events] = (),
    recorded: Plan | ResolvedPlan | None = None,
    seed: int = 1,
) -> Rolling:
    """Play events into the plan's files and return them: when each opened and closed, and what was removed.

    The result's ``lanes`` hold each file appender's simulation; no file is touched.

    Args:
        plan: The plan.
        events: The events.
        appenders: Only these file appenders.
        repeat: How often the events are played, shifted by whole days.
        rates: Streams to add, `LOGGER LEVEL N/second|minute|hour|day [BYTES]`.
        ratio: Packed size in parts of the size; measured by packing where None.
        learn: Recordings of what the events lack; each file's ``foreseen`` then holds ranges.
        recorded: The plan under which the events were recorded; with ``learn``.
        seed: For ``learn``.
    """
    found = _plan(plan)
    file_appenders(found, appenders, "appenders")
    playing = Playing(
        Recording(events), repeat, 1.0, seed, streams(found.scale, rates, "rate"), ratio, tuple(appenders),
        learned_from(learn, None if recorded is None else _plan(recorded), seed),
    )  # fmt: skip
    return playing.files(found)[0]


def pressure(
    plan: Plan | ResolvedPlan,
    events: Events,
    *,
    appenders: Sequence[str] = (),
    scale: float = 1.0,
    repeat: int = 1,
    spread: bool = False,
    rates: Sequence[str] = (),
    seed: int = 1,
    learn: Sequence[Events] = (),
    recorded: Plan | ResolvedPlan | None = None,
) -> list[AppenderPressure]:
    """Play events through limits, recalls and queues, and return what each appender goes through in the rush hour.

    Args:
        plan: The plan.
        events: The events.
        appenders: Only these.
        scale: How many times as many events, drawn within their own minutes.
        repeat: How often the events are played, shifted by whole days.
        spread: Whether lines that stand for several events are spread over the time to the next line of their logger.
        rates: Streams to add, `LOGGER LEVEL N/second|minute|hour|day [BYTES]`.
        seed: For ``scale`` and ``learn``.
        learn: Recordings of what the events lack; each appender's ``foreseen`` then holds ranges of its `figures`.
        recorded: The plan under which the events were recorded; with ``learn``.
    """
    found = _plan(plan)
    known_appenders(found, appenders, "appenders")
    added = streams(found.scale, rates, "rate")
    learned = learned_from(learn, None if recorded is None else _plan(recorded), seed)
    rush = RushHour(Recording(events), repeat, spread, scale, seed, added, tuple(appenders), learned=learned)
    return rush.play(found).appenders


def whatif(
    today: ResolvedPlan,
    changed: ResolvedPlan,
    events: Events,
    *,
    rates: Sequence[str] = (),
    learn: Sequence[Events] = (),
    recorded: Plan | ResolvedPlan | None = None,
    seed: int = 1,
) -> Outcome:
    """Return what a change would do to events: gained, lost, bytes, files, findings.

    Args:
        today: The plan as it is.
        changed: The plan as it would be: `resolve` with further `sets`, `tunes`, `layers` or `stages`.
        events: The events.
        rates: Streams to add, `LOGGER LEVEL N/second|minute|hour|day [BYTES]`.
        learn: Recordings of what the events lack: what they tell is estimated, with ranges.
        recorded: The plan under which the events were recorded; ``today`` where None.
        seed: For ``learn``.
    """
    learned = learned_from(learn, _plan(recorded or today), seed)
    return Trial(Recording(events), streams=streams(today.plan.scale, rates, "rate"), learned=learned).outcome(today, changed)


class Differences(Struct, frozen=True):
    """What two plans do differently.

    ``messages`` are classes of messages that arrive elsewhere, each with an example; ``undecided`` those of which no
    example was found; ``bounded`` loggers at which the rules' questions multiplied too far to follow all; ``sinks``
    matched appenders that do something else with the same events; ``classes`` counts all that were tried.
    """

    messages: tuple[MessageClass, ...]
    undecided: tuple[MessageClass, ...]
    bounded: tuple[str, ...]
    sinks: tuple[SinkDifference, ...]
    classes: int

    @property
    def equal(self) -> bool:
        """Whether the two do the same with every message: nothing differs, and nothing is undecided."""
        return not (self.messages or self.undecided or self.bounded or self.sinks)


def compare(first: Plan | ResolvedPlan, second: Plan | ResolvedPlan, *, by_appender: bool = False) -> Differences:
    """Return every class of messages that two plans treat differently.

    Args:
        first: The one plan.
        second: The other.
        by_appender: Whether arrivals are told apart by appenders' names, not by sinks.
    """
    one, other = _plan(first), _plan(second)
    found = comparing.compare(one, other, by_appender=by_appender)
    sinks = sinks_compared.compare_sinks(one, other, by_appender=by_appender)
    return Differences(found.differences, found.undecided, found.bounded, sinks, found.classes)


def apply(
    plan: str | Path,
    *,
    sets: Sequence[str] = (),
    tunes: Sequence[str] = (),
    stages: Sequence[str] = (),
    layers: Sequence[str | Path] = (),
    env: Sequence[str] = (),
    env_files: Sequence[str | Path] = (),
    into: str | Path | None = None,
    in_stage: str = "",
    dry_run: bool = False,
    by: str | Path = "",
) -> Change:
    """Write a change into a plan, every other byte kept, with a record by which `vetrina undo` takes it back.

    Args:
        plan: The file.
        sets: `PATH=VALUE`; null removes a value.
        tunes: `LOGGER=LEVEL`.
        stages: Stages that are in force.
        layers: Layer files that are in force.
        env: `NAME=VALUE` for placeholders.
        env_files: Files of such lines.
        into: A layer file to write into.
        in_stage: A stage of the plan to write into.
        dry_run: Whether nothing is written.
        by: The mapping through which a document in another format is read.

    Returns:
        The change: the files' texts before and after, their differences, and what the plan says then.

    Raises:
        Refused: Where the change is none, would not take effect or makes the plan wrong, or a file cannot be written.
    """
    if not sets and not tunes:
        raise refuse("what is the change?", fix="give sets or tunes", where="apply")
    if into is not None and in_stage:
        raise refuse("into and in_stage exclude each other", fix="give one of them", where="apply")
    path, over = Path(plan), [Path(one) for one in layers]
    others = [*over, *([Path(into)] if into is not None else [])]
    nameable(path, *others)
    target = Target("layer", str(into)) if into is not None else Target("stage", in_stage) if in_stage else None
    documents = [Path(one.name) for one in documents_of(path, mapping_for(path, by))]
    with locked_files(path, *documents, *others):
        work = Work(path, stages, over, env, env_files, None if into is None else Path(into), by=by)
        change = work.worked_out(sets, tunes, target)
        if change.diffs and not dry_run:
            write(path, [*(f"--set {one}" for one in sets), *(f"--tune {one}" for one in tunes)], change)
    return change


def read(
    logs: str | Path | Sequence[str | Path],
    plan: Plan | ResolvedPlan,
    appender: str,
    *,
    day: date | None = None,
    default_level: str = "info",
) -> tuple[LogReader, Iterator[Event]]:
    """Read log files that an appender wrote back into events.

    Args:
        logs: The files in order (also compressed).
        plan: The plan that wrote them.
        appender: The appender that wrote them.
        day: The first day, where the lines' times have none.
        default_level: The level of events, where the lines have none.

    Returns:
        The reader, which knows what did not fit once all is read, and the events.
    """
    found = _plan(plan)
    known_appenders(found, [appender], "appender")
    known_level(found.scale, default_level, "default_level")
    one = found.appenders[appender]
    reader = LogReader(one.template, encoding=one.encoding, day=day, default_level=default_level)
    names = [logs] if isinstance(logs, str | Path) else logs
    return reader, reader.read_all(map(str, names))


def _plan(plan: Plan | ResolvedPlan) -> Plan:
    return plan.plan if isinstance(plan, ResolvedPlan) else plan


def _part(plan: Plan, logger: str, level: str) -> Part:
    return Part(logger, level_range(plan.scale, level, "level"))
