"""`vetrina whatif PLAN EVENTS --tune …`: before and after a change, side by side."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import msgspec
import typer
from msgspec.structs import replace

from vetrina.commands import calling, completing, learning, options, unknown_names
from vetrina.commands.command import PlainCommand
from vetrina.commands.reading import reading
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.logger_names import event_name
from vetrina.core.changes.outcome import Outcome
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.samples import START
from vetrina.core.routing.passages import alone
from vetrina.core.routing.router import Router
from vetrina.formats.documents import yaml_value
from vetrina.formats.inputs import inputs_of
from vetrina.views import whatif as view
from vetrina.views.documents import whatif as documents
from vetrina.views.whatif_note import note as note_text
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording

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

    def made(self, given: options.PlanOptions, plan: Path) -> ResolvedPlan:
        """Return the plan of a call with this change."""
        layers = [*given.with_, *map(Path, self.to_with)]
        return replace(given, stage=self.to_stage or given.stage, with_=layers, set_=self.set, tune=self.tune).read(plan)


class Command(PlainCommand):
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


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    ctx: typer.Context,
    plan: options.PlanArgument,
    events: options.EventsArgument,
    tune: options.TuneChange = [],
    set_: Annotated[
        list[str], typer.Option("--set", autocompletion=completing.paths, metavar="PATH=VALUE", help="The change: one value.")
    ] = [],
    to_with: Annotated[list[str], typer.Option("--to-with", metavar="FILE", help="The change: one more layer file.")] = [],
    to_stage: Annotated[
        list[str],
        typer.Option(
            "--to-stage", autocompletion=completing.stages, metavar="NAME", help="The change: this stage in place of today's."
        ),
    ] = [],
    or_: Annotated[
        bool, typer.Option("--or", help="Begin another candidate; the changes after it belong to that one.")
    ] = False,
    must_show: Annotated[
        str,
        typer.Option("--must-show", metavar="K=V,…", help="Mark the candidates that show logger=…,level=…[,message=…,NAME=…]."),
    ] = "",
    rate: Annotated[
        list[str], typer.Option("--rate", metavar="STREAM", help="Add a stream: 'LOGGER LEVEL N/second [BYTES]'.")
    ] = [],
    repeat: Annotated[
        int, typer.Option("--repeat", metavar="N", help="For files: play the events N times on.", min=1, max=10_000)
    ] = 1,
    ratio: Annotated[
        float | None, typer.Option("--ratio", metavar="R", help="Packed size in parts of the size; measured without it.")
    ] = None,
    learn: learning.LearnOption = [],
    recorded_under: learning.RecordedUnderOption = None,
    recorded_stage: learning.RecordedStageOption = [],
    seed: options.SeedOption = None,
    note: Annotated[Path | None, typer.Option("--note", metavar="FILE.md", help="Write a change note for a ticket.")] = None,
    page: options.PageOption = None,
    also: options.AlsoOption = [],
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    strict: options.StrictOption = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show what a change would do to these events: what each sink and logger gains and loses, bytes a day, history left.

    --stage, --with and --env say what holds today, on both sides.

    \b
    Examples:
      vetrina whatif plan.yaml week.jsonl --tune ropeway.gate.scanner=debug
      vetrina whatif plan.yaml week.jsonl --stage live --to-stage bench
      vetrina whatif plan.yaml week.jsonl --tune ropeway.gate=debug --or --tune ropeway=debug \\
        --must-show logger=ropeway.gate.scanner,level=debug
      vetrina whatif plan.yaml live.jsonl --stage live --tune ropeway.gate=debug --learn bench.jsonl
      vetrina whatif plan.yaml week.jsonl --tune ropeway.drive=info --note INC-7.md --page INC-7.html
      vetrina whatif plan.yaml week.jsonl --tune ropeway.drive=trace --rate 'ropeway.drive trace 20/second' --note INC-7.md
    """
    del or_
    wish = learning.Wish(learn, recorded_under, recorded_stage, calling.seed_of(seed, {"--learn": learn}))
    changes = _possible([Change(tune, set_, to_with, to_stage), *ctx.meta.get(_GROUPS, [])], page)
    today, changed = given.read(plan), [one.made(given, plan) for one in changes]
    wanted = _wanted(must_show, today) if must_show else None
    streams = unknown_names.streams_of(today.plan, rate)
    with (
        wish.learned(given, plan, today, changed=True, strict=strict) as learned,
        calling.again_and_again(inputs_of(events, also)) as inputs,
        reading(inputs, workers, cluster, plans=[one.plan for one in (today, *changed)]) as engine,
    ):
        trial = Trial(Recording(inputs, strict=strict, engine=engine), repeat, ratio, streams, learned)
        tried = [trial.outcome(today, after, change.words()) for change, after in zip(changes, changed, strict=True)]
        outcomes = _with_page(page, today, trial.recording, tried, changed)
    shown = [_arrivals(after, wanted) for after in changed] if wanted else []
    _note(note, lambda: note_text(outcomes, shown, today, changed, plan.name, must_show))
    _show(outcomes, shown, today, changed, must_show, trial.recording, wide=wide, as_json=json)
    learning.end_of(trial.recording, learned)
    _end(shown, must_show)


def _possible(changes: list[Change], page: Path | None) -> list[Change]:
    """Return the changes; refuse a call that begins without one, and a page of several."""
    if not changes[0].words():
        what = "give --tune LOGGER=LEVEL, --set PATH=VALUE, --to-with FILE or --to-stage NAME"
        raise refuse("what is the change?", fix=what, where="whatif")
    if page is not None and len(changes) > 1:
        raise refuse("a page shows one change", fix="leave --or out, or write a page of each", where="--page")
    return changes


def _with_page(
    path: Path | None, today: ResolvedPlan, recording: Recording, outcomes: list[Outcome], changed: list[ResolvedPlan]
) -> list[Outcome]:
    """Return the outcomes; where that was asked for, write the page of today's plan that begins with the change."""
    if path is None:
        return outcomes
    from vetrina.commands import handing  # noqa: PLC0415  (what makes pages is loaded where one is made)
    from vetrina.work.handing import Tried  # noqa: PLC0415

    tried = Tried(outcomes[0].words, changed[0], outcomes[0])
    handing.tell(handing.write_page(path, today, recording, tried=tried))
    return outcomes


def _note(path: Path | None, text: Callable[[], str]) -> None:
    if path is not None:
        calling.write_file(path, text())
        calling.remark([f"written: {path}"])


def _show(
    outcomes: list[Outcome],
    shown: list[tuple[str, ...]],
    today: ResolvedPlan,
    changed: list[ResolvedPlan],
    must_show: str,
    recording: Recording,
    *,
    wide: bool,
    as_json: bool,
) -> None:
    if as_json:
        calling.print_json(documents.document(outcomes, shown, recording.unreadable, today.plan.scale))
    else:
        width = calling.width(wide=wide)
        lines = view.outcome_lines(outcomes, shown, today, changed, width, must_show)
        calling.print_fitted(lines, width, today.plan)


def _end(shown: list[tuple[str, ...]], must_show: str) -> None:
    """End with 1 where no candidate shows what has to be shown."""
    if must_show and not any(shown):
        calling.remark([f"no candidate shows {must_show}"])
        raise typer.Exit(calling.Exit.WANTING)


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
    return Event(START, level, event_name(logger), message, fields or None)


def _arrivals(found: ResolvedPlan, event: Event | None) -> tuple[str, ...]:
    assert event is not None  # noqa: S101  (asked only where it was given)
    return tuple(dict.fromkeys(one.appender for one in alone(Router(found.plan), event).deliveries))
