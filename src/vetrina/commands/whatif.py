"""`vetrina whatif PLAN EVENTS --tune …`: before and after a change, side by side."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import msgspec
import typer
from typer.core import TyperCommand

from vetrina.commands import calling
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.changes.outcome import Outcome, difference, rolled, touched_files, unheard
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.checks.runner import Circumstances, check
from vetrina.core.config.edits import changed_lines
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.samples import START
from vetrina.core.rolling.playing import Rolling, measured_ratio, repeated
from vetrina.core.rolling.streams import Stream
from vetrina.core.routing.router import Router
from vetrina.formats.documents import yaml_value
from vetrina.formats.events import EventStream, open_input
from vetrina.formats.packers import MeasuringPacker
from vetrina.views import whatif as view
from vetrina.views.whatif_note import note as note_text

CHANGES = ("--tune", "--set", "--to-with", "--to-stage")
_GROUPS = "vetrina.groups"


class Change(msgspec.Struct):
    """One candidate: the options that are the change."""

    tune: list[str] = []
    set: list[str] = []
    to_with: list[str] = []
    to_stage: list[str] = []

    def words(self) -> tuple[str, ...]:
        """Return the options as they would be typed."""
        table = (("--to-stage", self.to_stage), ("--to-with", self.to_with), ("--set", self.set), ("--tune", self.tune))
        return tuple(f"{option} {value}" for option, values in table for value in values)


class Command(TyperCommand):
    """Takes the groups between `--or` apart, which an option's order alone tells."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        """Keep the changes of later groups, and leave everything else to the usual way."""
        first, *others = _split(args)
        ctx.meta[_GROUPS] = groups = []
        for words in others:
            change, rest = _change(words)
            groups.append(change)
            first += rest
        return super().parse_args(ctx, first)


def _split(args: list[str]) -> list[list[str]]:
    parts: list[list[str]] = [[]]
    for word in args:
        if word == "--or":
            parts.append([])
        else:
            parts[-1].append(word)
    return parts


def _change(words: list[str]) -> tuple[Change, list[str]]:
    """Return the change that a group's words make, and the words that are no change."""
    change, rest = Change(), []
    waiting = iter(words)
    for word in waiting:
        option, equals, value = word.partition("=")
        if option not in CHANGES:
            rest.append(word)
            continue
        if not equals:
            value = next(waiting, "")
            if not value or value.startswith("--"):
                raise refuse(f"{option} wants a value", fix=f"write {option} ropeway.gate=debug", where="--or")
        getattr(change, option.removeprefix("--").replace("-", "_")).append(value)
    if not change.words():
        raise refuse("a group without a change", fix=f"after --or write one of {', '.join(CHANGES)}", where="--or")
    return change, rest


def run(
    ctx: typer.Context,
    plan: calling.PlanArgument,
    events: calling.EventsArgument,
    tune: Annotated[list[str], typer.Option("--tune", metavar="LOGGER=LEVEL", help="The change: a logger's level.")] = [],  # noqa: B006
    set_: Annotated[list[str], typer.Option("--set", metavar="PATH=VALUE", help="The change: one value.")] = [],  # noqa: B006
    to_with: Annotated[list[str], typer.Option("--to-with", metavar="FILE", help="The change: one more layer file.")] = [],  # noqa: B006
    to_stage: Annotated[
        list[str], typer.Option("--to-stage", metavar="NAME", help="The change: this stage in place of today's.")
    ] = [],  # noqa: B006
    or_: Annotated[
        bool, typer.Option("--or", help="Begin another candidate; the changes after it belong to that one.")
    ] = False,
    must_show: Annotated[
        str,
        typer.Option("--must-show", metavar="K=V,…", help="Mark the candidates that show logger=…,level=…[,message=…,NAME=…]."),
    ] = "",
    rate: Annotated[
        list[str], typer.Option("--rate", metavar="STREAM", help="Add a stream: 'LOGGER LEVEL N/second [BYTES]'.")
    ] = [],  # noqa: B006
    repeat: Annotated[
        int, typer.Option("--repeat", metavar="N", help="For files: play the events N times on.", min=1, max=10_000)
    ] = 1,
    ratio: Annotated[
        float | None, typer.Option("--ratio", metavar="R", help="Packed size in parts of the size; measured without it.")
    ] = None,
    note: Annotated[Path | None, typer.Option("--note", metavar="FILE.md", help="Write a change note for a ticket.")] = None,
    wide: calling.WideOption = False,
    strict: calling.StrictOption = False,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    json: calling.JsonOption = False,
) -> None:
    """Show what a change would do to these events: what each sink and logger gains and loses, bytes a day, history left.

    --stage, --with and --env say what holds today, on both sides.

    \b
    Examples:
      vetrina whatif plan.yaml week.jsonl --tune ropeway.gate.scanner=debug
      vetrina whatif plan.yaml week.jsonl --stage live --to-stage bench
      vetrina whatif plan.yaml week.jsonl --tune ropeway.gate=debug --or --tune ropeway=debug \\
        --must-show logger=ropeway.gate.scanner,level=debug
      vetrina whatif plan.yaml week.jsonl --tune ropeway.drive=trace --rate 'ropeway.drive trace 20/second' --note INC-7.md
    """  # noqa: D301
    del or_
    first = Change(tune, set_, to_with, to_stage)
    if not first.words():
        raise refuse(
            "what is the change?",
            fix="give --tune LOGGER=LEVEL, --set PATH=VALUE, --to-with FILE or --to-stage NAME",
            where="whatif",
        )
    today = calling.plan_in_force(plan, stage, with_, env, env_file, [], [])
    changes = [first, *ctx.meta.get(_GROUPS, [])]
    changed = [
        calling.plan_in_force(plan, one.to_stage or stage, [*with_, *map(Path, one.to_with)], env, env_file, one.set, one.tune)
        for one in changes
    ]
    for one in changed:
        _same_levels(today, one)
    wanted = _wanted(must_show, today) if must_show else None
    streams = [calling.stream_of_rate(text, today.plan) for text in rate]
    with calling.again_and_again(events) as path:
        traffic = _Traffic(path, events, strict=strict, repeat=repeat, ratio=ratio, streams=streams)
        outcomes = [traffic.outcome(today, after, change.words()) for change, after in zip(changes, changed, strict=True)]
    shown = [_arrivals(after, wanted) for after in changed] if wanted else []
    if note is not None:
        calling.write_file(note, note_text(outcomes, shown, today, changed, plan.name, must_show))
        calling.remark([f"written: {note}"])
    if json:
        calling.print_json(view.as_json(outcomes, shown, traffic.unreadable, today.plan.scale))
    else:
        calling.print_lines(
            calling.without_secrets(
                view.outcome_lines(outcomes, shown, today, changed, calling.width(wide=wide), must_show), today.plan
            )
        )
    traffic.remark_bad_lines()
    if wanted and not any(shown):
        calling.remark([f"no candidate shows {must_show}"])
        raise typer.Exit(calling.Exit.WANTING)


class _Traffic:
    """The events of a call, sent through two plans at once."""

    def __init__(self, path: str, name: str, *, strict: bool, repeat: int, ratio: float | None, streams: list[Stream]) -> None:
        self._path, self._name, self._strict, self._repeat, self._ratio, self._streams = (
            path,
            name,
            strict,
            repeat,
            ratio,
            streams,
        )
        self._first: EventStream | None = None

    @property
    def unreadable(self) -> int:
        """Return how many lines were no events."""
        return self._first.unreadable if self._first else 0

    def outcome(self, before: ResolvedPlan, after: ResolvedPlan, words: tuple[str, ...]) -> Outcome:
        """Return all that a change does to the events."""
        old, new = Router(before.plan), Router(after.plan)
        comparison = Comparison(old, new)
        stream = self._stream(before)
        with open_input(self._path) as file:
            stream.send(file, comparison)
        self._first = self._first or stream
        effects = comparison.result(self._streams)
        names = touched_files(effects, before.plan, after.plan)
        files = self._files(old, new, names, comparison.means(effects)) if names else ()
        findings = difference(check(before, Circumstances()), check(after, Circumstances()))
        lines = changed_lines(before, after)
        kinds = {name: one.sink.kind for plan in (before.plan, after.plan) for name, one in plan.appenders.items()}
        return Outcome(
            words,
            effects,
            files,
            unheard(old, new, effects),
            *findings,
            tuple(lines),
            tuple(changed_lines(after, before)),
            kinds,
        )

    def _stream(self, found: ResolvedPlan) -> EventStream:
        stream = EventStream(self._path, scale=found.plan.scale, strict=self._strict)
        stream.name = self._name
        return stream

    def _files(self, old: Router, new: Router, names: tuple[str, ...], means: dict[str, dict[int, int]]) -> Any:
        sides = [
            Rolling(
                router,
                wanted=tuple(name for name in names if name in router.plan.appenders) or ("",),
                ratio=self._ratio,
                packer=MeasuringPacker,
            )
            for router in (old, new)
        ]
        if self._streams:
            if self._ratio is None:  # content that nobody has cannot be packed: how the recording packs stands for it
                self._feed(sides, old)
                ratios = [{name: measured_ratio(lane) for name, lane in side.lanes.items()} for side in sides]
                sides = [
                    Rolling(side.router, wanted=tuple(side.lanes) or ("",), ratios=kept)
                    for side, kept in zip(sides, ratios, strict=True)
                ]
            for side in sides:
                side.add_streams(self._streams, means)
        self._feed(sides, old)
        for side in sides:
            side.finish()
        return rolled(names, *sides)

    def _feed(self, sides: list[Rolling], old: Router) -> None:
        def read() -> Iterator[Event]:
            stream = EventStream(self._path, scale=old.plan.scale)
            with open_input(self._path) as file:
                yield from stream.read(file)

        for event in repeated(read, self._repeat):
            for side in sides:
                side.take(event)

    def remark_bad_lines(self) -> None:
        """Tell which lines were not readable, and end with 1 if there were any."""
        if self._first is not None and self._first.unreadable:
            calling.remark_bad_lines(self._name, self._first.unreadable, self._first.bad_lines)
            raise typer.Exit(calling.Exit.WANTING)


def _same_levels(before: ResolvedPlan, after: ResolvedPlan) -> None:
    """Refuse a change of level names: events would mean something else on the two sides."""
    if before.plan.scale.extra != after.plan.scale.extra:
        raise refuse("the change gives level names another meaning", "the same events cannot be sent through both sides",
                     "leave levels as they are", where="whatif")  # fmt: skip


def _wanted(text: str, found: ResolvedPlan) -> Event:
    """Return the event of --must-show: `logger=…,level=…` and optionally `message=…` and fields."""
    parts = dict(calling.key_value(one, "--must-show") for one in text.split(","))
    level = parts.pop("level", "")
    if "logger" not in parts or found.plan.scale.severity(level) is None:
        hint = found.plan.scale.hint(level).removeprefix("; ") if level else ""
        raise refuse(
            "--must-show wants a logger and a level",
            fix=hint or "write logger=ropeway.gate,level=debug",
            where=f"--must-show {text}",
        )
    logger, message = parts.pop("logger"), parts.pop("message", "")
    fields = {name: yaml_value(value, f"--must-show {text}") for name, value in parts.items()}
    return Event(START, level, "" if logger == "root" else logger, message, fields or None)


def _arrivals(found: ResolvedPlan, event: Event | None) -> tuple[str, ...]:
    assert event is not None  # noqa: S101  (asked only where it was given)
    return tuple(dict.fromkeys(one.appender for one in Router(found.plan).route(event).deliveries))
