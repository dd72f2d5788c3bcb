"""`vetrina why PLAN`: every gate for one message."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Annotated

import typer

from vetrina.commands import calling, completing, options
from vetrina.commands.progress import watched
from vetrina.core.base.events import Event, JsonObject
from vetrina.core.base.faults import refuse
from vetrina.core.base.logger_names import event_name, tree_name
from vetrina.core.base.wording import counted
from vetrina.core.changes.remedies import Remedy, ways_to, ways_to_once
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Counter, Traffic
from vetrina.core.routing.explaining import Explanation, explain
from vetrina.core.routing.router import Route, Router
from vetrina.core.routing.stories import Replay, Story
from vetrina.formats.documents import yaml_value
from vetrina.formats.events import EventStream
from vetrina.formats.inputs import Inputs, inputs_of, open_input
from vetrina.views import why as view
from vetrina.views.documents import why as documents
from vetrina.work.asked import known_appenders, known_level

_TIME = datetime(2026, 1, 1, tzinfo=UTC)


@options.reads_plan
def run(
    found: ResolvedPlan,
    logger: Annotated[
        str | None, typer.Option("--logger", autocompletion=completing.loggers, metavar="L", help="The message's logger.")
    ] = None,
    level: Annotated[str | None, typer.Option("--level", metavar="V", help="Its level: a name or a number.")] = None,
    message: Annotated[str, typer.Option("--message", metavar="M", help="Its text, with holes or without.")] = "",
    field: Annotated[list[str], typer.Option("--field", metavar="K=V", help="A field; V is read as YAML; repeatable.")] = [],
    channel: Annotated[
        str, typer.Option("--channel", metavar="NAME", help="The channel that it comes by; the plan may bring it in, or not.")
    ] = "",
    error: Annotated[str, typer.Option("--error", metavar="TEXT", help="The error that it carries.")] = "",
    from_: Annotated[
        str | None, typer.Option("--from", metavar="EVENTS:LINE", help="Take the message from a line of a file.")
    ] = None,
    to: Annotated[
        str | None,
        typer.Option(
            "--to",
            autocompletion=completing.appenders,
            metavar="APPENDER",
            help="Find the smallest changes that would let it through to this one.",
        ),
    ] = None,
    twice: Annotated[bool, typer.Option("--twice", help="Find the smallest changes after which it arrives once.")] = False,
    events: Annotated[
        str | None, typer.Option("--events", metavar="FILE", help="Rank changes by what else they let in of these.")
    ] = None,
    also: options.AlsoOption = [],
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show why one message arrives, or does not: every gate in order, and the line that decided.

    What a limit, a recall or a queue does depends on other messages: with --from, the file is played through them.

    \b
    Examples:
      vetrina why plan.yaml --logger ropeway.gate --level debug
      vetrina why plan.yaml --logger ropeway.drive --level error --field line=upper --error "OverSpeed: 6.2 m/s"
      vetrina why plan.yaml --channel access
      vetrina why plan.yaml --from week.jsonl:1204
      vetrina why plan.yaml --logger ropeway.gate --level debug --to daybook --events week.jsonl
      vetrina why plan.yaml --from week.jsonl:2370 --twice
    """
    _possible(from_, (logger, level, message, field, channel, error), events, also, ranked=to is not None or twice)
    known_appenders(found.plan, [to] if to is not None else [], "--to")
    event = _from_file(from_, found.plan) if from_ else _made(found.plan, logger, level, message, field, error, channel)
    played = _Played(from_) if from_ and found.plan.remembers else None
    explanation = explain(Router(found.plan), event, played.story(found.plan) if played else None)
    width = calling.width(wide=wide)
    recorded = None if events is None else inputs_of(events, also)
    ways = _ways(found, event, explanation, to, recorded, played, twice=twice)
    calling.ask_about_logger(tree_name(event.logger), found.plan, _seen(recorded, found.plan) if recorded else {}, events or "")
    if json:
        calling.print_json(documents.document(explanation, event, found.plan, ways, to))
    else:
        calling.print_fitted(view.answer_lines(explanation, event, found.plan, width, ways, to), width)
    if not any(to in {None, appender} for appender, _ in explanation.deliveries):
        raise typer.Exit(calling.Exit.WANTING)


def _possible(from_: str | None, parts: tuple[object, ...], events: str | None, also: list[str], *, ranked: bool) -> None:
    """Refuse options that have no effect beside each other."""
    if from_ and any(parts):
        raise refuse("--from takes the whole message from the file", fix="leave --logger, --level, … out", where="--from")
    if also and events is None:
        raise refuse("--also has no effect without --events", fix="name the first with --events", where="--also")
    if events is not None and not ranked:
        fix = "add one of these, or leave it out"
        raise refuse("--events ranks the changes of --to and --twice", fix=fix, where="--events")


def _ways(
    found: ResolvedPlan,
    event: Event,
    explanation: Explanation,
    to: str | None,
    events: Inputs | None,
    played: _Played | None,
    *,
    twice: bool,
) -> list[Remedy] | None:
    """Return the changes that were asked for, None where none were."""
    if to is not None and twice:
        raise refuse("--to and --twice ask for opposite things", fix="leave one out", where="why")
    given = events or (played.inputs if played else None)  # what the gates with a memory let in, only events tell
    traffic = _traffic(given) if given else None
    if to is not None:
        if any(appender == to for appender, _ in explanation.deliveries):
            return []
        return ways_to(found, event, to, traffic=traffic, fate=played.fate if played else None)
    if twice:
        meeting = found.plan.at_one_place(appender for appender, _ in explanation.deliveries)
        return ways_to_once(found, event, traffic=traffic) if any(len(names) > 1 for names in meeting) else []
    return None


def _traffic(events: Inputs) -> Callable[[ResolvedPlan], Traffic]:
    known: dict[int, Traffic] = {}

    def measure(found: ResolvedPlan) -> Traffic:
        if id(found) not in known:
            counter = Counter(Router(found.plan))
            with watched(events), open_input(events) as file:
                EventStream(events.label, scale=found.plan.scale).send(file, counter)
            known[id(found)] = counter.result()
        return known[id(found)]

    return measure


def _seen(events: Inputs, plan: Plan) -> dict[str, int]:
    """Return the loggers of a file's events."""
    seen: dict[str, int] = {}
    with open_input(events) as file:
        for event in EventStream(events.label, scale=plan.scale).read(file):
            seen[tree_name(event.logger)] = 1
    return seen


def _made(plan: Plan, logger: str | None, level: str | None, message: str, field: list[str], error: str, channel: str) -> Event:
    if channel:  # what it brings along, or what no matters since it goes round
        known = plan.channels.get(channel)
        round_ = known is None or not known.enabled.value
        logger = logger if logger is not None or known is None or known.logger is None else known.logger.value
        level = level if level is not None or known is None or known.level is None else str(known.level.value)
        if round_ and (logger is None or level is None):
            calling.remark(
                ["note: it goes round whatever its logger and level are; those that were not given are shown as root, info"]
            )
            logger, level = logger or "root", level or "info"
    if logger is None or level is None:
        missing = " and ".join(name for name, value in (("--logger", logger), ("--level", level)) if value is None)
        raise refuse(
            f"which message? {missing} is missing", fix="give --logger and --level, or --from EVENTS:LINE", where="why"
        )
    known_level(plan.scale, level, "--level")
    fields: JsonObject = {}
    for text in field:
        name, value = calling.key_value(text, "--field")
        fields[name] = yaml_value(value, f"--field {text}")
    return Event(_TIME, level, event_name(logger), message, fields or None, error or None, channel=channel or None)


class _Played:
    """A file of events, played through limits, recalls and queues up to one of its lines, and on until its fate is known."""

    def __init__(self, text: str) -> None:
        self._path, self._line = _file_and_line(text)
        self.inputs = inputs_of(self._path)
        self._known: dict[int, tuple[Plan, Story]] = {}

    def story(self, plan: Plan) -> Story:
        """Return what became of the event on that line by a plan."""
        if id(plan) not in self._known:
            replay = Replay(Router(plan), self._line)
            with watched(self.inputs), open_input(self.inputs) as file:
                replay.feed(EventStream(self._path, scale=plan.scale).numbered(file))
            story = replay.finish()
            assert story is not None  # noqa: S101  (the line was read before)
            self._known[id(plan)] = (plan, story)
        return self._known[id(plan)][1]

    def fate(self, plan: Plan) -> Route:
        """Return where it went by a plan."""
        return self.story(plan).passage.route()


def _file_and_line(text: str) -> tuple[str, int]:
    """Return the two parts of `--from`."""
    path, colon, line_text = text.rpartition(":")
    if not colon or not (line_text.isascii() and line_text.isdigit()) or int(line_text[:9]) < 1:
        raise refuse("this is not EVENTS:LINE", fix="write --from week.jsonl:1204", where=f"--from {text}")
    return path, int(line_text[:9])


def _from_file(text: str, plan: Plan) -> Event:
    path, wanted = _file_and_line(text)
    stream = EventStream(path, scale=plan.scale)
    with open_input(path) as file:
        for line, event in stream.numbered(file):
            if line == wanted:
                return event
            if line > wanted:
                break
    bad = next((bad.reason for bad in stream.bad_lines if bad.number == wanted), "")
    if bad:
        raise refuse(f"line {wanted} is not an event: {bad}", where=f"{path}:{wanted}")
    last = stream.number
    why = f"the file has {counted(last, 'line')}" if last and last < wanted else "the line is blank or could not be read"
    raise refuse(f"there is no event on line {wanted}", why, where=f"{path}:{wanted}")
