"""`vetrina expect PLAN CASES`: expected deliveries, checked like tests."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path
from typing import Annotated

import typer
from msgspec.structs import replace

from vetrina.commands import calling, options
from vetrina.commands.reading import reading
from vetrina.core.base.hidden import shown
from vetrina.core.changes.expecting import Verdict, expect
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.formats.cases import cases_text, read_cases
from vetrina.formats.inputs import Inputs, inputs_of
from vetrina.formats.junit import Case, junit
from vetrina.views import expect as view
from vetrina.views.documents import expect as documents
from vetrina.work import takers
from vetrina.work.recording import Recording


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: options.PlanArgument,
    cases: Annotated[str, typer.Argument(metavar="CASES", help="A file of cases; with --record, events.", show_default=False)],
    record_: Annotated[
        bool, typer.Option("--record", help="Print a file of cases from what holds for these events today.")
    ] = False,
    junit_file: Annotated[Path | None, typer.Option("--junit", metavar="FILE", help="Write JUnit XML there as well.")] = None,
    also: options.AlsoOption = [],
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Hold a plan against expected deliveries; exit 1 if one fails, with the gate that decided and the nearest way.

    A case with stages is tried under each of them, in place of --stage.

    \b
    Examples:
      vetrina expect plan.yaml cases.yaml
      vetrina expect plan.yaml cases.yaml --tune ropeway.gate=debug --junit results.xml
      vetrina expect plan.yaml week.jsonl --record > cases.yaml
    """
    found = given.read(plan)
    if record_:
        _record(found, inputs_of(cases, also), plan, workers, cluster)
        return
    calling.exclude("a file of cases", True, {"--also": also, **calling.readers_given(workers, cluster)})
    verdicts = _verdicts(given, found, plan, Path(cases))
    if junit_file is not None:
        calling.write_file(junit_file, junit(str(cases), [_case(one) for one in verdicts]))
    if json:
        calling.print_json(documents.document(verdicts))
    else:
        calling.print_fitted(view.expected_lines(verdicts, calling.width(wide=wide)), calling.width(wide=wide), found.plan)
    if any(one.failures for one in verdicts):
        raise typer.Exit(calling.Exit.WANTING)


def _verdicts(given: options.PlanOptions, found: ResolvedPlan, plan: Path, cases: Path) -> list[Verdict]:
    """Return the verdict on each case, under its own stages."""
    read = read_cases(cases, found.plan, found.stage_names())
    stages = dict.fromkeys(name for case in read for name in case.stages)
    return expect(read, {"": found, **{name: replace(given, stage=[name]).read(plan) for name in stages}})


def _case(one: Verdict) -> Case:
    words = [view.failure_words(failure) for failure in one.failures]
    return Case(one.case.say, "expect", words[0][0] if words else "", "\n".join(text for lines in words for text in lines))


def _record(found: ResolvedPlan, inputs: Inputs, plan: Path, workers: str, cluster: str) -> None:
    calling.only_beside("--record", "--also", "--workers", "--cluster", *options.PLAN_OPTIONS)
    with reading(inputs, workers, cluster) as engine:
        recording = Recording(inputs, engine=engine)
        recorded = recording.gather(found.plan.scale, partial(takers.recorder, found.plan)).result()
    asked = found.overrides.words()
    sys.stdout.write(shown(cases_text(recorded, f"what {plan.name} does today{f' with {asked}' if asked else ''}")))
    calling.end_of(recording)
