"""`vetrina preview PLAN [EVENTS]`: the lines as each sink would show them."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated

import typer
from msgspec import Struct

from vetrina.commands import calling, completing, options, unknown_names
from vetrina.commands.progress import watched
from vetrina.commands.reading import reading, tell_unknown_names
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.plan.samples import samples
from vetrina.core.routing.parts import Part
from vetrina.core.routing.previewing import Layout, Preview, Shown, layouts_of, remarks
from vetrina.core.routing.router import Router
from vetrina.core.templates.compiling import TextTemplate
from vetrina.formats.events import EventStream
from vetrina.formats.inputs import Inputs, inputs_of, open_input
from vetrina.views import preview as view
from vetrina.views.documents import preview as documents
from vetrina.views.screen import Line, whole
from vetrina.work.asked import known_appenders
from vetrina.work.logs_given import setting_given, template_given
from vetrina.work.recording import Recording
from vetrina.work.shown import PreviewLinesJob, RawJob

_FIRST = 10
_Rows = Iterator[tuple[int, Event]]


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: Annotated[str, typer.Argument(metavar="PLAN", help="The plan; with --template, the events.", show_default=False)],
    events: Annotated[
        str | None, typer.Argument(metavar="[EVENTS]", help="Events; telling samples are made without any.")
    ] = None,
    appender: Annotated[
        list[str],
        typer.Option("--appender", autocompletion=completing.appenders, metavar="A", help="Only this appender; repeatable."),
    ] = [],
    logger: options.LoggerOption = "",
    level: options.LevelOption = "",
    first: Annotated[
        int | None, typer.Option("--first", metavar="N", min=1, help="So many lines of each appender (10 for people).")
    ] = None,
    wide: Annotated[bool, typer.Option("--wide", help="Long lines whole instead of folded.")] = False,
    notes: Annotated[bool, typer.Option("--remarks", help="Point out empty values, unfilled holes, cut texts.")] = False,
    beside: Annotated[
        tuple[str, str] | None, typer.Option("--side-by-side", metavar="A B", help="One event in two appenders.")
    ] = None,
    raw: Annotated[bool, typer.Option("--raw", help="The exact bytes of one appender, for a pipe.")] = False,
    template: Annotated[
        str | None, typer.Option("--template", metavar="TEXT", help="Try this template instead of a plan's.")
    ] = None,
    explain: Annotated[
        bool, typer.Option("--explain", help="Lay the template out, piece by piece, for the first event.")
    ] = False,
    zone: Annotated[str | None, typer.Option("--zone", metavar="ZONE", help="With --template: the time zone (UTC).")] = None,
    also: options.AlsoOption = [],
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    strict: options.StrictOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show the very lines that each appender would write.

    \b
    Examples:
      vetrina preview plan.yaml
      vetrina preview plan.yaml week.jsonl --appender daybook --level warn.. --first 5
      vetrina preview plan.yaml week.jsonl --side-by-side desk fare-ledger --logger ropeway.fare
      vetrina preview plan.yaml week.jsonl --appender drive-file --raw > drive.log
      vetrina preview --template '{time|%H:%M} {message}' week.jsonl --explain
    """
    look = _Look(first, wide, notes, beside, raw, explain, strict, json, (workers, cluster))
    look.possible(appender)
    if template is not None:
        calling.exclude(
            "--template",
            True,
            {
                "--appender": appender,
                "--side-by-side": beside,
                "--remarks": notes,
                **given.given(),
                **calling.readers_given(workers, cluster),
            },
        )
        trial = (
            template_given(template, setting_given(zone or "UTC")),
            inputs_of(_only_events(plan, events), also),
            calling.part_of(Scale(), logger, level, []),
        )
        _Trial(*trial, look).show()
        return
    calling.exclude("a plan", given=True, others={"--zone": zone})
    calling.exclude(
        "samples (there are no EVENTS)",
        events is None,
        {"--strict": strict, "--also": also, **calling.readers_given(workers, cluster)},
    )
    found = given.read(plan)
    names = tuple(dict.fromkeys([*appender, *(beside or ())]))
    known_appenders(found.plan, names, "--appender")
    part = unknown_names.part_of(found.plan, logger, level, [])
    look.answer(found.plan, part, names, events, also)


def _only_events(plan: str, events: str | None) -> str:
    """Return the argument that names the events where there is no plan."""
    if events is not None:
        raise refuse("with --template, EVENTS is the only argument", fix="leave the plan out", where="preview")
    return plan


class _Look(Struct, frozen=True):
    """How the lines are to be shown."""

    first: int | None
    wide: bool
    notes: bool
    beside: tuple[str, str] | None
    raw: bool
    explain: bool
    strict: bool
    as_json: bool
    readers: tuple[str, str]

    def possible(self, appender: list[str]) -> None:
        """Refuse ways to show them that exclude each other."""
        beside, notes = {"--side-by-side": self.beside}, {"--remarks": self.notes}
        explain = {"--explain": self.explain}
        calling.exclude("--json", self.as_json, {"--raw": self.raw, **explain, **beside, **notes})
        calling.exclude("--raw", self.raw, {**explain, **beside, **notes, "--wide": self.wide})
        calling.exclude("--explain", self.explain, {**beside, **notes, "--first": self.first})
        calling.exclude("--side-by-side", self.beside, {**notes, "--appender": appender})
        readers = calling.readers_given(*self.readers)
        calling.exclude("a preview for people (without --raw or --json)", not (self.raw or self.as_json), readers)
        calling.exclude("--first", self.first, readers)

    def most(self) -> int | None:
        """Return how many lines of each appender people see: the first ten."""
        return None if self.beside or self.explain else self.first or _FIRST

    def answer(self, plan: Plan, part: Part, names: tuple[str, ...], events: str | None, also: list[str]) -> None:
        """Write the lines for a program, or show them; of samples each by itself, whatever limits, recalls and queues there are."""
        plan = plan if events is not None else plan.without_memory()
        if self.raw or self.as_json:
            self.write(plan, part, names, events, also)
            return
        with _events(events, also, plan, part, names, strict=self.strict) as rows:
            self.show(Preview(Router(plan), part, names, self.most()), rows, names, sampled=events is None)

    def write(self, plan: Plan, part: Part, names: tuple[str, ...], events: str | None, also: list[str]) -> None:
        """Write the lines for a program: bytes, or JSON Lines."""
        job = RawJob(plan, part, names, self.first) if self.raw else PreviewLinesJob(plan, part, names, self.first)
        out = sys.stdout.buffer
        if isinstance(job, RawJob):
            if len(names) != 1:
                raise refuse("--raw writes the bytes of one appender", fix="name it with --appender", where="--raw")
            if plan.secrets:
                calling.warn_of_secrets()
            out.write(job.header())
        if events is None:
            made = _samples(plan, part, names)
            out.write(job.opened()(range(1, len(made) + 1), made, 0))
            return
        inputs = inputs_of(events, also)
        with reading(inputs, "1" if self.first else self.readers[0], self.readers[1], prints=True, plans=[plan]) as engine:
            recording = Recording(inputs, strict=self.strict, engine=engine)
            try:
                for data in recording.show(plan.scale, job):
                    out.write(data)
            finally:
                out.flush()
        calling.end_of(recording)

    def show(self, preview: Preview, rows: _Rows, names: tuple[str, ...], *, sampled: bool) -> None:
        """Print the lines."""
        shown, plan, width = preview.renderings(rows), preview.router.plan, calling.width(wide=self.wide)
        if self.beside:
            _beside(shown, plan, self.beside, self.first or 3, width)
        elif self.explain:
            _explain(shown, plan, names, width)
        else:
            _show(shown, plan, preview, width, notes=self.notes, sampled=sampled)


@contextmanager
def _events(
    events: str | None, also: list[str], plan: Plan, part: Part, names: tuple[str, ...], *, strict: bool
) -> Iterator[_Rows]:
    """Open the events with their line numbers, samples without any; unreadable lines are told afterwards."""
    if events is None:
        yield enumerate(_samples(plan, part, names), start=1)
        return
    inputs = inputs_of(events, also)
    stream = EventStream(inputs.label, scale=plan.scale, strict=strict)
    with watched(inputs, prints=True), open_input(inputs) as file:
        yield stream.numbered(file)
    tell_unknown_names(inputs)
    calling.remark_bad_lines(stream.name, stream.unreadable, stream.bad_lines)
    if stream.unreadable:
        raise typer.Exit(calling.Exit.WANTING)


def _samples(plan: Plan, part: Part, names: tuple[str, ...]) -> list[Event]:
    """Return telling samples for a plan."""
    attached = {
        name for name, entry in plan.loggers.items() for one in entry.to if one.appender in names and entry.enabled.value
    }
    return list(samples(plan, (part.logger,) if part.logger else tuple(sorted(attached))))


def _show(shown: Iterator[Shown], plan: Plan, seen: Preview, width: int, *, notes: bool, sampled: bool) -> None:
    kept: dict[str, list[Shown]] = {name: [] for name in seen.totals}
    for one in shown:
        kept[one.appender].append(one)
    totals = seen.totals
    lines: list[Line] = []
    why = "samples that Vetrina made for this plan" if sampled else ""
    for name, deliveries in kept.items():
        appender = plan.appenders[name]
        lines += (
            [[], *view.heading(appender, totals[name], len(deliveries), why)]
            if lines
            else view.heading(appender, totals[name], len(deliveries), why)
        )
        layouts = layouts_of(appender.template)
        layout = layouts[0] if appender.template.form == "text" else None
        for one in deliveries:
            lines += view.output_lines(one, layout, width, wide=whole(width))
            if notes:
                lines += view.remark_lines(remarks(layouts, one.event, one.number))
    calling.print_fitted(lines, width, plan)


def _beside(shown: Iterator[Shown], plan: Plan, names: tuple[str, str], first: int, width: int) -> None:
    by_event: dict[int, dict[str, Shown]] = {}
    for one in shown:
        if one.number not in by_event and len(by_event) >= first * 50:
            break
        by_event.setdefault(one.number, {}).setdefault(one.appender, one)
    both = sorted(by_event.values(), key=lambda found: -len(found))[:first]
    pairs = [(found.get(names[0]), found.get(names[1])) for found in both]
    calling.print_fitted(view.side_by_side(pairs, names, plan, width), width, plan)


def _explain(shown: Iterator[Shown], plan: Plan, names: tuple[str, ...], width: int) -> None:
    one = next(shown, None)
    if one is None or len(names) != 1:
        raise refuse(
            "--explain lays out the template of one appender",
            fix="name it with --appender; some event must reach it",
            where="--explain",
        )
    appender: Appender = plan.appenders[names[0]]
    lines: list[Line] = []
    for text in appender.template.texts:
        lines += view.explain_lines(Layout(text).pieces(one.event, one.number), width)
    calling.print_lines(calling.without_secrets(lines, plan))


class _Trial:
    """A template that is tried on events, without a plan."""

    def __init__(self, text: TextTemplate, inputs: Inputs, part: Part, look: _Look) -> None:
        self._text, self._inputs, self._part, self._look = text, inputs, part, look
        self._layout, self._width = Layout(text), calling.width(wide=look.wide)

    def show(self) -> None:
        """Print the lines of the events that belong to the part; all for a program, the first ten for people."""
        look, render = self._look, self._text.compile("\n")
        stream = EventStream(self._inputs.label, strict=look.strict)
        most = look.first if look.first or look.as_json or look.raw else _FIRST
        count = 0
        with open_input(self._inputs) as file:
            for number, (line, event) in enumerate(stream.numbered(file), start=1):
                if (most is not None and count >= most) or not self._part.holds(event, stream.severity(event), "."):
                    continue
                count += 1
                self._print(Shown(line, "", render(event, number), event, stream.severity(event), number))
                if look.explain:
                    return
        calling.remark_bad_lines(stream.name, stream.unreadable, stream.bad_lines)
        if not count:
            calling.remark(["no event is in this part" if stream.number else "there is no event in it"])
        if stream.unreadable:
            raise typer.Exit(calling.Exit.WANTING)

    def _print(self, shown: Shown) -> None:
        layout, width = self._layout, self._width
        if self._look.explain:
            calling.print_lines(view.explain_lines(layout.pieces(shown.event, shown.number), width))
        elif self._look.as_json:
            calling.print_json_line(documents.document(shown, shown.output))
        elif self._look.raw:
            sys.stdout.buffer.write(shown.output.encode())
        else:
            calling.print_lines(view.output_lines(shown, layout, width, wide=whole(width)))
