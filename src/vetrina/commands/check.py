"""`vetrina check PLAN`: findings with code, place, reason and remedy."""

from __future__ import annotations

import json as json_text
import sys
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Annotated

import msgspec
import typer
from msgspec.structs import replace

from vetrina import __version__
from vetrina.commands import calling, completing, options
from vetrina.commands.reading import reading
from vetrina.commands.surveyed import tell_skipped
from vetrina.core.base.faults import Fault, Refused, Unreadable, offer, refuse
from vetrina.core.checks import load, page
from vetrina.core.checks import runner as checking
from vetrina.core.checks.context import SEVERITIES, Check
from vetrina.core.checks.shared_place import lasting_places
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.survey.statements import Statement
from vetrina.formats.documents import decode
from vetrina.formats.inputs import inputs_of
from vetrina.formats.junit import Case, junit
from vetrina.formats.sarif import sarif
from vetrina.views import check as view
from vetrina.views.documents import check as documents
from vetrina.views.json_text import visible
from vetrina.work.checking import circumstances
from vetrina.work.recording import Recording
from vetrina.work.surveying import surveyed

_CALLS = {"call", "event", "no-such-path", "unknown-stage", "env-file"}


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plans: Annotated[
        list[str] | None, typer.Argument(metavar="PLAN…", help="Plans, YAML or JSON files; - is standard input.")
    ] = None,
    events: Annotated[str | None, typer.Option("--events", metavar="EVENTS", help="Look at these events as well.")] = None,
    source: Annotated[
        list[str], typer.Option("--source", metavar="SOURCE", help="Look at the statements of this source too; repeatable.")
    ] = [],
    all_stages: Annotated[bool, typer.Option("--all-stages", help="Check under each stage too.")] = False,
    probe: Annotated[bool, typer.Option("--probe", help="Look at this machine: folders, disks, git.")] = False,
    probe_network: Annotated[bool, typer.Option("--probe-network", help="Ask for hosts and ports as well.")] = False,
    fail_on: Annotated[
        str,
        typer.Option(
            "--fail-on",
            autocompletion=completing.severities,
            metavar="SEVERITY",
            help="End with 1 from error, warning or hint on.",
        ),
    ] = "warning",
    only: Annotated[
        list[str],
        typer.Option("--only", autocompletion=completing.codes, metavar="CODE", help="Run this check alone; repeatable."),
    ] = [],
    skip: Annotated[
        list[str],
        typer.Option("--skip", autocompletion=completing.codes, metavar="CODE", help="Leave this check out; repeatable."),
    ] = [],
    limit: Annotated[
        list[str],
        typer.Option("--limit", autocompletion=completing.codes, metavar="CODE[.NAME]=VALUE", help="Set a check's threshold."),
    ] = [],
    sarif_file: Annotated[Path | None, typer.Option("--sarif", metavar="FILE", help="Write SARIF 2.1.0 there as well.")] = None,
    junit_file: Annotated[Path | None, typer.Option("--junit", metavar="FILE", help="Write JUnit XML there as well.")] = None,
    explain: Annotated[
        str | None, typer.Option("--explain", autocompletion=completing.codes, metavar="CODE", help="Print a check's page.")
    ] = None,
    list_: Annotated[bool, typer.Option("--list", help="List all checks.")] = False,
    also: options.AlsoOption = [],
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    strict: options.StrictOption = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Find what is wrong, risky or pointless in plans: each with its place, the reason, and what to do.

    Checks that look at events (--events), at the program's source (--source) or at this machine (--probe) run only where
    these are given; a check with events states the least sample that it needs (--explain).

    \b
    Examples:
      vetrina check plan.yaml
      vetrina check plan.yaml --events week.jsonl --all-stages
      vetrina check plan.yaml --source source
      vetrina check plans/*.yaml --skip idle-limit
      vetrina check plan.yaml --probe --sarif findings.sarif --fail-on error
      vetrina resolve plan.yaml --stage live | vetrina check -
      vetrina check --explain twice
    """
    checks = load()
    if explain is not None or list_:
        _print_pages(checks, explain, given=bool(plans), wide=wide, as_json=json)
        return
    readers = calling.readers_given(workers, cluster)
    named = _possible(plans, events, also, fail_on, readers, strict=strict)
    call = _Call(
        given, events, also, _limits(limit, checks), _wanted(checks, only, skip), all_stages, probe, probe_network, strict,
        workers, cluster, source,
    )  # fmt: skip
    results = [call.check(one) for one in named]
    serious = frozenset(SEVERITIES[: [*map(str, SEVERITIES)].index(fail_on) + 1])
    report = _Report(results, checks, call.wanted, serious)
    report.write(sarif_file, junit_file)
    report.show(calling.width(wide=wide), as_json=json)
    report.end()


def _wanted(checks: dict[str, Check], only: list[str], skip: list[str]) -> frozenset[str]:
    """Return the codes of the checks that --only and --skip leave."""
    skipped = {_known(code, checks, "--skip") for code in skip}
    wanted = frozenset([_known(code, checks, "--only") for code in only] or checks) - skipped
    if not wanted:
        raise refuse("no check is left", "nothing to look for is no success", "leave --skip or --only out", where="check")
    return wanted


def _possible(
    plans: list[str] | None, events: str | None, also: list[str], fail_on: str, readers: dict[str, str], *, strict: bool
) -> list[str]:
    """Return the plans; refuse calls that cannot be answered."""
    if not plans:
        raise refuse("which plan?", fix="write vetrina check plan.yaml", where="check")
    if fail_on not in SEVERITIES:
        raise refuse(f'"{fail_on[:60]}" is no severity', fix=offer(fail_on, SEVERITIES), where="--fail-on")
    if also and events is None:
        raise refuse("--also has no effect without --events", fix="name the first with --events", where="--also")
    for option, value in {"--strict": strict, **readers}.items():
        if value and events is None:
            raise refuse(f"{option} has no effect without --events", fix="leave it out", where=option)
    from_input = "-" in {events, *also}
    times = plans.count("-") + (len(plans) if from_input else 0)
    if times > 1 or (from_input and "-" in plans):
        raise refuse("standard input can be read only once", fix="put it into a file", where="check")
    return plans


class _Result(msgspec.Struct):
    """What one plan gave; ``known`` is None where it could not be read at all, and ``unreadable`` says why."""

    plan: str
    findings: list[checking.Finding] = []
    known: checking.Circumstances | None = None
    unreadable: tuple[Fault, ...] = ()
    bad_lines: int = 0


class _Call(msgspec.Struct, frozen=True):
    """What every plan of a call is checked with."""

    plan_options: options.PlanOptions
    events: str | None
    also: list[str]
    limits: dict[str, dict[str, float]]
    wanted: frozenset[str]
    all_stages: bool
    probe: bool
    network: bool
    strict: bool
    workers: str
    cluster: str
    source: list[str] = []
    places: dict[str, dict[str, str]] = {}
    """The files and tables that the plans before write to."""

    def check(self, plan: str) -> _Result:
        """Return the findings on one plan; one that is no document is told, and the next one looked at."""
        try:
            text = decode(sys.stdin.buffer.read(), "-") if plan == "-" else None
            found = self._read(plan, text, None)
            known, bad = self._circumstances(found)
            known = replace(
                known,
                document=found.adoption is not None,
                statements=self._statements(found),
                elsewhere={
                    place: who for other, places in self.places.items() if other != plan for place, who in places.items()
                },
            )
            self.places[plan] = lasting_places(found.plan, plan)
            names = found.stage_names() if self.all_stages else []
            findings = (
                checking.check_stages(partial(self._read, plan, text), names, known, self.wanted)
                if names
                else checking.check(found, known, self.wanted)
            )
        except Refused as refused:
            if isinstance(refused, Unreadable):
                return _Result(plan, unreadable=refused.faults)
            if any(fault.code in _CALLS for fault in refused.faults):
                raise
            return _Result(plan, [checking.from_fault(fault) for fault in refused.faults], checking.Circumstances())
        return _Result(plan, findings, known, bad_lines=bad)

    def _read(self, plan: str, text: str | None, stage: str | None) -> ResolvedPlan:
        """Return a resolved plan, under one more stage."""
        stages = [*self.plan_options.stage, *([stage] if stage else [])]
        return replace(self.plan_options, stage=stages).read(plan, None if text is None else {plan: text}, quiet=True)

    def _statements(self, found: ResolvedPlan) -> tuple[Statement, ...] | None:
        """Return the statements of the program's source, None where none was named; what was not looked at is told."""
        if not self.source:
            return None
        survey = surveyed(self.source, found.plan.scale, {}, found.plan.separator)
        tell_skipped(survey)
        return tuple(survey.statements)

    def _circumstances(self, found: ResolvedPlan) -> tuple[checking.Circumstances, int]:
        """Return what is known besides the plan, and how many lines of events were unreadable."""
        if self.events is None:
            return circumstances(found.plan, None, self.limits, probe=self.probe, network=self.network), 0
        given = inputs_of(self.events, self.also)
        with (
            calling.again_and_again(given) as inputs,
            reading(inputs, self.workers, self.cluster, plans=[found.plan]) as engine,
        ):
            recording = Recording(inputs, strict=self.strict, engine=engine)
            known = circumstances(found.plan, recording, self.limits, probe=self.probe, network=self.network)
        calling.remark_bad_lines(recording.name, recording.unreadable, recording.bad_lines)
        return known, recording.unreadable


def _ran(one: _Result, checks: dict[str, Check], wanted: frozenset[str]) -> list[str]:
    """Return the codes of the checks that looked at a plan."""
    needs = one.known.needs() if one.known is not None else set()
    return [code for code, check in checks.items() if check.needs in needs and code in wanted]


def _print_pages(checks: dict[str, Check], explain: str | None, *, given: bool, wide: bool, as_json: bool) -> None:
    """Print the list of checks, or one check's page."""
    calling.only_beside("--explain" if explain is not None else "--list", "--json", "--wide")
    if given:
        raise refuse("--list and --explain look at no plan", fix="leave the plan out", where="check")
    if explain is None:
        if as_json:
            calling.print_json(documents.list_document((one, page(one)) for one in checks.values()))
        else:
            calling.print_lines(view.list_lines(checks, calling.width(wide=wide)))
        return
    one = checks[_known(explain, checks, "--explain")]
    if as_json:
        calling.print_json(documents.page_document(one, page(one)))
    else:
        calling.print_lines(view.page_lines(one, page(one)))


def _known(code: str, checks: dict[str, Check], option: str) -> str:
    if code not in checks:
        raise refuse(
            f'no check is called "{code[:60]}"',
            fix=offer(code, checks, otherwise="vetrina check --list names them"),
            where=option,
        )
    return code


def _limits(texts: list[str], checks: dict[str, Check]) -> dict[str, dict[str, float]]:
    found: dict[str, dict[str, float]] = {}
    for text in texts:
        name, value = calling.key_value(text, "--limit")
        code, _, limit = name.partition(".")
        one = checks[_known(code, checks, "--limit")]
        limit = limit or next(iter(one.limits), "")
        if limit not in one.limits:
            words = offer(limit, one.limits) if one.limits else f"{code} has no thresholds"
            raise refuse(f'{code} has no threshold "{limit[:40]}"', fix=words, where=f"--limit {text}")
        try:
            found.setdefault(code, {})[limit] = float(value)
        except ValueError:
            raise refuse(f'"{value[:40]}" is not a number', where=f"--limit {text}") from None
    return found


_NEEDS = {
    "document": "it needs a document in another format (--by)",
    "events": "it needs --events",
    "source": "it needs --source",
    "probe": "it needs --probe",
    "network": "it needs --probe-network",
}


class _Report(msgspec.Struct):
    """What all plans of a call gave, on its way out."""

    results: list[_Result]
    checks: dict[str, Check]
    wanted: frozenset[str]
    serious: frozenset[str]

    @property
    def findings(self) -> list[checking.Finding]:
        """All findings, plan by plan."""
        return [finding for one in self.results for finding in one.findings]

    def write(self, sarif_file: Path | None, junit_file: Path | None) -> None:
        """Write the files that were asked for."""
        if sarif_file is not None:
            pages = {code: page(self.checks[code]) for code in {one.code for one in self.findings} & set(self.checks)}
            log = sarif(self.findings, self.checks, pages, self._unread(), version=__version__)
            calling.write_file(sarif_file, visible(json_text.dumps(log, ensure_ascii=False, indent=2)) + "\n")
        if junit_file is not None:
            alone = len(self.results) == 1
            cases = [case for one in self.results for case in _cases(one, self.checks, self.wanted, self.serious, alone=alone)]
            calling.write_file(junit_file, junit("vetrina check", cases))

    def show(self, width: int, *, as_json: bool) -> None:
        """Print the findings."""
        if as_json:
            calling.print_json(documents.document(self.findings))
        elif any(one.known is not None for one in self.results):
            looked = len({code for one in self.results for code in _ran(one, self.checks, self.wanted)})
            calling.print_lines(view.finding_lines(self.findings, looked, len(self.results), width))

    def end(self) -> None:
        """End as the findings ask for: 2 where a plan could not be read, 1 where one is serious or events were no events."""
        if unread := self._unread():
            raise Unreadable(unread)
        if any(one.bad_lines for one in self.results) or any(one.severity in self.serious for one in self.findings):
            raise typer.Exit(calling.Exit.WANTING)

    def _unread(self) -> list[Fault]:
        return [fault for one in self.results for fault in one.unreadable]


def _cases(
    result: _Result, checks: dict[str, Check], wanted: frozenset[str], serious: frozenset[str], *, alone: bool
) -> Iterator[Case]:
    """Yield a plan's test cases: each finding, and each check that found nothing or did not look."""
    prefix = "" if alone else f"{result.plan}: "
    for fault in result.unreadable:
        where = str(fault.place or fault.where)
        yield Case(f"{where} {fault.what}", fault.code, fault.what, f"{where}\n{fault.why}\n{fault.fix}", "error")
    if result.known is None:
        return
    ran, found = set(_ran(result, checks, wanted)), {one.code for one in result.findings}
    for code, check in checks.items():
        if code in found:
            continue
        why = _NEEDS.get(check.needs, "the plan has faults") if code in wanted else "it was left out"
        yield Case(f"{prefix}{code}", "check") if code in ran else Case(f"{prefix}{code}", "check", why, kind="skipped")
    for one in result.findings:
        where = str(one.place or one.where)
        detail = f"{where}\n{one.why}\n{one.remedy}"
        yield Case(f"{where} {one.message}", one.code, one.message, detail, "failure" if one.severity in serious else "told")
