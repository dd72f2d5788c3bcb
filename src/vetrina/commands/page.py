"""`vetrina page PLAN [EVENTS]`: one page to hand over."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling, completing, handing, options
from vetrina.commands.reading import reading
from vetrina.commands.whatif import Change
from vetrina.core.base.faults import refuse
from vetrina.formats.inputs import inputs_of
from vetrina.views.documents.page import Page
from vetrina.work.handing import Tried
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: options.PlanArgument,
    events: Annotated[
        str | None, typer.Argument(metavar="EVENTS", help="Events to count, as JSON Lines; without any, gates and levels only.")
    ] = None,
    out: Annotated[Path | None, typer.Option("--out", metavar="FILE.html", help="The page to write.")] = None,
    title: Annotated[str, typer.Option("--title", metavar="TEXT", help="The page's heading; the plan's own without it.")] = "",
    tune: Annotated[
        list[str],
        typer.Option(
            "--tune",
            autocompletion=completing.tunes,
            metavar="LOGGER=LEVEL",
            help="A change that the page begins with: a level.",
        ),
    ] = [],
    set_: Annotated[
        list[str],
        typer.Option(
            "--set",
            autocompletion=completing.paths,
            metavar="PATH=VALUE",
            help="A change that the page begins with: one value.",
        ),
    ] = [],
    also: options.AlsoOption = [],
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    strict: options.StrictOption = False,
    json: options.JsonOption = False,
) -> None:
    """Write one page that opens in any browser: who gets what, why, and what a change would do. Nothing else is needed to read it.

    Without --tune and --set it begins with the plan as it is; --stage, --with and --env say what that is.

    \b
    Examples:
      vetrina page plan.yaml week.jsonl --out ropeway.html
      vetrina page plan.yaml week.jsonl --stage live --tune ropeway.drive=info --out inc-7.html --title "INC-7: what info would cost"
      vetrina page plan.yaml --out gates.html
    """
    path = _possible(out, events, {"--also": also, "--strict": strict, **calling.readers_given(workers, cluster)})
    today, change = given.read(plan), Change(tune, set_)
    after = change.made(given, plan) if change.words() else None
    if events is None:
        tried = Tried(change.words(), after, None) if after is not None else None
        _end(handing.write_page(path, today, None, title, tried), None, as_json=json)
        return
    with (
        calling.again_and_again(inputs_of(events, also)) as inputs,
        reading(inputs, workers, cluster, plans=[today.plan]) as engine,
    ):
        recording = Recording(inputs, strict=strict, engine=engine)
        outcome = Trial(recording).outcome(today, after, change.words()) if after is not None else None
        tried = Tried(change.words(), after, outcome) if after is not None else None
        written = handing.write_page(path, today, recording, title, tried)
    _end(written, recording, as_json=json)


def _possible(out: Path | None, events: str | None, about_events: dict[str, object]) -> Path:
    """Return the page to write; refuse a call without one, and options about events without any."""
    if out is None:
        raise refuse("where does the page go?", fix="write --out ropeway.html", where="page")
    if events is None:
        for option, value in about_events.items():
            if value:
                raise refuse(f"{option} has no effect without EVENTS", fix=f"name events, or leave {option} out", where=option)
    return out


def _end(written: Page, recording: Recording | None, *, as_json: bool) -> None:
    """Tell what was written; end with 1 where lines were not readable."""
    if as_json:
        calling.print_json(written)
    else:
        handing.tell(written)
    if recording is not None:
        calling.remark_bad_lines(recording.name, recording.unreadable, recording.bad_lines)
        if recording.unreadable:
            raise typer.Exit(calling.Exit.WANTING)
