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

from vetrina.commands import calling
from vetrina.core.base.faults import Fault, Refused, Unreadable, offer, refuse
from vetrina.core.checks import load, page
from vetrina.core.checks import runner as checking
from vetrina.core.checks.context import SEVERITIES, Check
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.routing.router import Router
from vetrina.formats.documents import decode
from vetrina.formats.events import EventStream, open_input
from vetrina.formats.junit import Case, junit
from vetrina.formats.plans import read_resolved_plan
from vetrina.formats.sarif import sarif
from vetrina.views import check as view

_CALLS = {"call", "event", "no-such-path", "unknown-stage", "env-file"}


def run(
    plans: Annotated[
        list[str] | None, typer.Argument(metavar="PLAN…", help="Plans, YAML or JSON files; - is standard input.")
    ] = None,
    events: Annotated[str | None, typer.Option("--events", metavar="EVENTS", help="Look at these events as well.")] = None,
    all_stages: Annotated[bool, typer.Option("--all-stages", help="Check under each stage too.")] = False,
    probe: Annotated[bool, typer.Option("--probe", help="Look at this machine: folders, disks, git.")] = False,
    probe_network: Annotated[bool, typer.Option("--probe-network", help="Ask for hosts and ports as well.")] = False,
    fail_on: Annotated[
        str, typer.Option("--fail-on", metavar="SEVERITY", help="End with 1 from error, warning or hint on.")
    ] = "warning",
    only: Annotated[list[str], typer.Option("--only", metavar="CODE", help="Run this check alone; repeatable.")] = [],  # noqa: B006
    skip: Annotated[list[str], typer.Option("--skip", metavar="CODE", help="Leave this check out; repeatable.")] = [],  # noqa: B006
    limit: Annotated[list[str], typer.Option("--limit", metavar="CODE[.NAME]=VALUE", help="Set a check's threshold.")] = [],  # noqa: B006
    sarif_file: Annotated[Path | None, typer.Option("--sarif", metavar="FILE", help="Write SARIF 2.1.0 there as well.")] = None,
    junit_file: Annotated[Path | None, typer.Option("--junit", metavar="FILE", help="Write JUnit XML there as well.")] = None,
    explain: Annotated[str | None, typer.Option("--explain", metavar="CODE", help="Print a check's page.")] = None,
    list_: Annotated[bool, typer.Option("--list", help="List all checks.")] = False,
    strict: calling.StrictOption = False,
    stage: calling.StageOption = [],  # noqa: B006
    with_: calling.WithOption = [],  # noqa: B006
    env: calling.EnvOption = [],  # noqa: B006
    env_file: calling.EnvFileOption = [],  # noqa: B006
    set_: calling.SetOption = [],  # noqa: B006
    tune: calling.TuneOption = [],  # noqa: B006
    wide: calling.WideOption = False,
    json: calling.JsonOption = False,
) -> None:
    """Find what is wrong, risky or pointless in plans: each with its place, the reason, and what to do.

    Checks that look at events (--events) or at this machine (--probe) run only where these are given; a check with
    events states the least sample that it needs (--explain).

    \b
    Examples:
      vetrina check plan.yaml
      vetrina check plan.yaml --events week.jsonl --all-stages
      vetrina check plans/*.yaml --skip idle-limit
      vetrina check plan.yaml --probe --sarif findings.sarif --fail-on error
      vetrina resolve plan.yaml --stage live | vetrina check -
      vetrina check --explain twice
    """  # noqa: D301
    checks = load()
    if explain is not None or list_:
        _print_pages(checks, explain, given=bool(plans), wide=wide, as_json=json)
        return
    _possible(plans, events, fail_on, strict=strict)
    skipped = {_known(code, checks, "--skip") for code in skip}
    wanted = frozenset([_known(code, checks, "--only") for code in only] or checks) - skipped
    if not wanted:
        raise refuse("no check is left", "nothing to look for is no success", "leave --skip or --only out", where="check")
    assert plans is not None  # noqa: S101  (refused above)
    call = _Call(stage, with_, env, env_file, set_, tune, events, _limits(limit, checks), wanted)
    results = [_check(one, call, all_stages=all_stages, probe=probe, network=probe_network, strict=strict) for one in plans]
    serious = frozenset(SEVERITIES[: [*map(str, SEVERITIES)].index(fail_on) + 1])
    _write(results, checks, wanted, serious, sarif_file, junit_file)
    findings = [finding for one in results for finding in one.findings]
    if json:
        calling.print_json(view.as_json(findings))
    elif any(one.known is not None for one in results):
        looked = sum(len(_ran(one, checks, wanted)) for one in results)
        lines = view.finding_lines(findings, looked, len(plans), calling.width(wide=wide))
        calling.print_lines(lines)
    unread = [fault for one in results for fault in one.unreadable]
    if unread:
        raise Unreadable(unread)
    if any(one.bad_lines for one in results) or any(one.severity in serious for one in findings):
        raise typer.Exit(calling.Exit.WANTING)


def _possible(plans: list[str] | None, events: str | None, fail_on: str, *, strict: bool) -> None:
    """Refuse calls that cannot be answered."""
    if not plans:
        raise refuse("which plan?", fix="write vetrina check plan.yaml", where="check")
    if fail_on not in SEVERITIES:
        raise refuse(f'"{fail_on[:60]}" is no severity', fix=offer(fail_on, SEVERITIES), where="--fail-on")
    if strict and events is None:
        raise refuse("--strict has no effect without --events", fix="leave it out", where="--strict")
    times = plans.count("-") + (len(plans) if events == "-" else 0)
    if times > 1 or (events == "-" and "-" in plans):
        raise refuse("standard input can be read only once", fix="put it into a file", where="check")


class _Call(msgspec.Struct, frozen=True):
    """What every plan of a call is checked with."""

    stage: list[str]
    with_: list[Path]
    env: list[str]
    env_file: list[Path]
    set_: list[str]
    tune: list[str]
    events: str | None
    limits: dict[str, dict[str, float]]
    wanted: frozenset[str]

    def bring(self, plan: str, text: str | None, stage: str | None) -> ResolvedPlan:
        """Return a plan in force, under one more stage."""
        stages = [*self.stage, *([stage] if stage else [])]
        return read_resolved_plan(
            plan, stages=stages, layers=self.with_, env=self.env, env_files=self.env_file, sets=self.set_, tunes=self.tune,
            texts={} if text is None else {plan: text},
        )  # fmt: skip


class _Result(msgspec.Struct):
    """What one plan gave; ``known`` is None where it could not be read at all, and ``unreadable`` says why."""

    plan: str
    findings: list[checking.Finding] = []
    known: checking.Circumstances | None = None
    unreadable: tuple[Fault, ...] = ()
    bad_lines: int = 0


def _check(plan: str, call: _Call, *, all_stages: bool, probe: bool, network: bool, strict: bool) -> _Result:
    """Return the findings on one plan; a plan that is no document is told, and the next one looked at."""
    try:
        text = decode(sys.stdin.buffer.read(), "-") if plan == "-" else None
        found = call.bring(plan, text, None)
        known, bad = _circumstances(found, call.events, call.limits, probe=probe, network=network, strict=strict)
        names = found.stage_names() if all_stages else []
        bring = partial(call.bring, plan, text)
        findings = (
            checking.check_stages(bring, names, known, call.wanted) if names else checking.check(found, known, call.wanted)
        )
    except Refused as refused:
        if isinstance(refused, Unreadable):
            return _Result(plan, unreadable=refused.faults)
        if any(fault.code in _CALLS for fault in refused.faults):
            raise
        return _Result(plan, [checking.from_fault(fault) for fault in refused.faults], checking.Circumstances())
    return _Result(plan, findings, known, bad_lines=bad)


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
            calling.print_json({"checks": [view.check_json(one, page(one)) for one in checks.values()]})
        else:
            calling.print_lines(view.list_lines(checks, calling.width(wide=wide)))
        return
    one = checks[_known(explain, checks, "--explain")]
    if as_json:
        calling.print_json(view.check_json(one, page(one)))
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


def _circumstances(
    found: ResolvedPlan, events: str | None, limits: dict[str, dict[str, float]], *, probe: bool, network: bool, strict: bool
) -> tuple[checking.Circumstances, int]:
    from vetrina.rehearsal import probing  # noqa: PLC0415  (sockets and git only where they are asked)

    seen, rolled, unreadable = None, None, 0
    if events is not None:
        stream = EventStream(events, scale=found.plan.scale, strict=strict)
        with calling.again_and_again(events) as path:
            with open_input(path) as file:
                seen = checking.look_at(Router(found.plan), stream.read(file))
            with open_input(path) as file:
                rolled = checking.rolled_files(Router(found.plan), EventStream(events, scale=found.plan.scale).read(file))
        calling.remark_bad_lines(events, stream.unreadable, stream.bad_lines)
        unreadable = stream.unreadable
    paths = probing.probe_paths(found.plan) if probe else None
    hosts = probing.probe_hosts(found.plan) if network else None
    return checking.Circumstances(seen, paths, hosts, rolled, limits), unreadable


_NEEDS = {"events": "it needs --events", "probe": "it needs --probe", "network": "it needs --probe-network"}


def _write(
    results: list[_Result],
    checks: dict[str, Check],
    wanted: frozenset[str],
    serious: frozenset[str],
    sarif_file: Path | None,
    junit_file: Path | None,
) -> None:
    findings = [finding for one in results for finding in one.findings]
    if sarif_file is not None:
        pages = {code: page(checks[code]) for code in {one.code for one in findings} & set(checks)}
        unread = [fault for one in results for fault in one.unreadable]
        log = sarif(findings, checks, pages, unread)
        calling.write_file(sarif_file, calling.visible(json_text.dumps(log, ensure_ascii=False, indent=2)) + "\n")
    if junit_file is not None:
        cases = [case for one in results for case in _cases(one, checks, wanted, serious, alone=len(results) == 1)]
        calling.write_file(junit_file, junit("vetrina check", cases))


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
