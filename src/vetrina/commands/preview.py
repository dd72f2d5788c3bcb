"""`vetrina preview PLAN [EVENTS]`: the lines as each sink would show them."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.base.clocks import zone as zone_of
from vetrina.core.base.events import Event
from vetrina.core.base.faults import Fault, Refused, offer, refuse
from vetrina.core.base.levels import Scale
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.plan.samples import samples
from vetrina.core.routing.counting import Part, ending_of, to_bytes
from vetrina.core.routing.previewing import Layout, Preview, Shown, layouts_of, remarks
from vetrina.core.routing.router import Router
from vetrina.core.templates.compiling import Setting, TextTemplate, text_template
from vetrina.core.templates.language import BadTemplate
from vetrina.formats.events import EventStream, open_input
from vetrina.views import preview as view
from vetrina.views.screen import Line, whole

_FIRST = 10
_TOGETHER, _LONG = 500, 1 << 16
_Rows = Iterator[tuple[int, Event]]


def run(
    plan: Annotated[str, typer.Argument(metavar="PLAN", help="The plan; with --template, the events.", show_default=False)],
    events: Annotated[
        str | None, typer.Argument(metavar="[EVENTS]", help="Events; telling samples are made without any.")
    ] = None,
    appender: Annotated[list[str], typer.Option("--appender", metavar="A", help="Only this appender; repeatable.")] = [],  # noqa: B006
    logger: Annotated[str, typer.Option("--logger", metavar="L", help="Only events of this logger and below it.")] = "",
    level: Annotated[
        str, typer.Option("--level", metavar="RANGE", help="Only these levels: warn.., ..info, debug..warn, or one.")
    ] = "",
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
    strict: calling.StrictOption = False,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
    json: calling.JsonOption = False,
) -> None:
    """Show the very lines that each appender would write.

    \b
    Examples:
      vetrina preview plan.yaml
      vetrina preview plan.yaml week.jsonl --appender daybook --level warn.. --first 5
      vetrina preview plan.yaml week.jsonl --side-by-side desk fare-ledger --logger ropeway.fare
      vetrina preview plan.yaml week.jsonl --appender drive-file --raw > drive.log
      vetrina preview --template '{time|%H:%M} {message}' week.jsonl --explain
    """  # noqa: D301
    from pathlib import Path  # noqa: PLC0415  (Typer passes texts: PLAN may stand for EVENTS)

    calling.exclude("--json", json, {"--raw": raw, "--explain": explain, "--side-by-side": beside, "--remarks": notes})
    calling.exclude("--raw", raw, {"--explain": explain, "--side-by-side": beside, "--remarks": notes, "--wide": wide})
    calling.exclude("--explain", explain, {"--side-by-side": beside, "--remarks": notes, "--first": first})
    calling.exclude("--side-by-side", beside, {"--remarks": notes, "--appender": appender})
    if template is not None:
        if events is not None:
            raise refuse("with --template, EVENTS is the only argument", fix="leave the plan out", where="preview")
        plan_options = {
            "--appender": appender, "--side-by-side": beside, "--remarks": notes, "--stage": stage, "--with": with_, "--env": env,
            "--env-file": env_file, "--set": set_, "--tune": tune,
        }  # fmt: skip
        calling.exclude("--template", given=True, others=plan_options)
        tried = _Trial(
            parsed_template(template, zone or "UTC"), plan, calling.part_of(Scale(), logger, level, []), first, strict=strict
        )
        tried.show(explain=explain, wide=wide, as_json=json, raw=raw)
        return
    calling.exclude("a plan", given=True, others={"--zone": zone})
    calling.exclude("samples (there are no EVENTS)", events is None, {"--strict": strict})
    found = calling.plan_in_force(Path(plan), stage, with_, env, env_file, set_, tune)
    names = tuple(dict.fromkeys([*appender, *(beside or ())]))
    for name in names:
        if name not in found.plan.appenders:
            raise refuse(f'no appender is called "{name[:60]}"', fix=offer(name, found.plan.appenders), where="--appender")
    part = calling.part_of(found.plan.scale, logger, level, [])
    limited = first if raw or json else None if beside or explain else first or _FIRST
    preview_ = Preview(Router(found.plan), part, names, limited)
    with _events(events, found.plan, part, names, strict=strict) as rows:
        shown = preview_.renderings(rows)
        if raw:
            _raw(shown, found.plan, names)
        elif json:
            _json(shown, found.plan)
        elif beside:
            _beside(shown, found.plan, beside, first or 3, calling.width(wide=wide))
        elif explain:
            _explain(shown, found.plan, names, calling.width(wide=wide))
        else:
            _show(shown, found.plan, preview_, wide=wide, notes=notes, sampled=events is None)


@contextmanager
def _events(events: str | None, plan: Plan, part: Part, names: tuple[str, ...], *, strict: bool) -> Iterator[_Rows]:
    """Open the events with their line numbers, samples without any; unreadable lines are told afterwards."""
    if events is None:
        attached = {
            name for name, entry in plan.loggers.items() for one in entry.to if one.appender in names and entry.enabled.value
        }
        loggers = (part.logger,) if part.logger else tuple(sorted(attached))
        yield enumerate(samples(plan, loggers), start=1)
        return
    stream = EventStream(events, scale=plan.scale, strict=strict)
    with open_input(events) as file:
        yield stream.numbered(file)
    calling.remark_bad_lines(events, stream.unreadable, stream.bad_lines)
    if stream.unreadable:
        raise typer.Exit(calling.Exit.WANTING)


def _json(shown: Iterator[Shown], plan: Plan) -> None:
    clean = calling.hider(plan)
    for one in shown:
        document = {**view.as_json(one), "output": clean(one.output)}
        calling.print_json_line(document)


def _raw(shown: Iterator[Shown], plan: Plan, names: tuple[str, ...]) -> None:
    if len(names) != 1:
        raise refuse("--raw writes the bytes of one appender", fix="name it with --appender", where="--raw")
    one = plan.appenders[names[0]]
    if plan.secrets:
        calling.warn_of_secrets()
    out = sys.stdout.buffer
    out.write(to_bytes(one.template.header(ending_of(one)), one.encoding))
    some: list[str] = []
    try:
        for delivery in shown:
            some.append(delivery.output)
            if len(some) >= _TOGETHER or len(delivery.output) > _LONG:
                out.write(to_bytes("".join(some), one.encoding))
                some.clear()
    finally:
        out.write(to_bytes("".join(some), one.encoding))
        out.flush()


def _show(shown: Iterator[Shown], plan: Plan, seen: Preview, *, wide: bool, notes: bool, sampled: bool) -> None:
    kept: dict[str, list[Shown]] = {name: [] for name in seen.totals}
    for one in shown:
        kept[one.appender].append(one)
    totals, width = seen.totals, calling.width(wide=wide)
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
    calling.print_lines(calling.without_secrets(lines, plan))


def _beside(shown: Iterator[Shown], plan: Plan, names: tuple[str, str], first: int, width: int) -> None:
    by_event: dict[int, dict[str, Shown]] = {}
    for one in shown:
        if one.number not in by_event and len(by_event) >= first * 50:
            break
        by_event.setdefault(one.number, {}).setdefault(one.appender, one)
    both = sorted(by_event.values(), key=lambda found: -len(found))[:first]
    pairs = [(found.get(names[0]), found.get(names[1])) for found in both]
    calling.print_lines(calling.without_secrets(view.side_by_side(pairs, names, plan, width), plan))


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

    def __init__(self, text: TextTemplate, events: str, part: Part, first: int | None, *, strict: bool) -> None:
        self._text, self._events, self._part, self._first, self._strict = text, events, part, first, strict

    def show(self, *, explain: bool, wide: bool, as_json: bool, raw: bool) -> None:
        """Print the lines of the events that belong to the part; all for a program, the first ten for people."""
        layout, render = Layout(self._text), self._text.compile("\n")
        stream = EventStream(self._events, strict=self._strict)
        most = self._first if self._first or as_json or raw else _FIRST
        width = calling.width(wide=wide)
        count = 0
        with open_input(self._events) as file:
            for number, (line, event) in enumerate(stream.numbered(file), start=1):
                if (most is not None and count >= most) or not self._part.holds(event, stream.severity(event), "."):
                    continue
                count += 1
                if explain:
                    calling.print_lines(view.explain_lines(layout.pieces(event, number), width))
                    return
                shown = Shown(line, "", render(event, number), event, stream.severity(event), number)
                if as_json:
                    calling.print_json_line(view.as_json(shown))
                elif raw:
                    sys.stdout.buffer.write(shown.output.encode())
                else:
                    calling.print_lines(view.output_lines(shown, layout, width, wide=whole(width)))
        calling.remark_bad_lines(self._events, stream.unreadable, stream.bad_lines)
        if not count:
            calling.remark(["no event is in this part" if stream.number else "there is no event in it"])
        if stream.unreadable:
            raise typer.Exit(calling.Exit.WANTING)


def parsed_template(template: str, zone: str) -> TextTemplate:
    """Return the template of a `--template` option; its faults stop the command."""
    try:
        setting = Setting(zone_of(zone))
    except (KeyError, ValueError, OSError):
        raise refuse(f'zone "{zone[:60]}" is not in the IANA time zone database', where="--zone") from None
    try:
        return text_template(template, setting)
    except BadTemplate as bad:
        where = "--template"
        raise Refused(
            Fault("bad-template", f"{one.what} at character {one.offset + 1}", fix=one.fix, where=where) for one in bad.faults
        ) from None
