"""`vetrina check PLAN`: findings with code, place, reason and remedy."""

from __future__ import annotations

import json as json_text
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core import checking
from vetrina.core.checks import load, page
from vetrina.core.checks._check import SEVERITIES, Check
from vetrina.core.faults import Refused, Unreadable, offer, refuse
from vetrina.core.in_force import InForce
from vetrina.core.routing import Router
from vetrina.formats.events import EventStream, open_input
from vetrina.formats.junit import Case, junit
from vetrina.formats.plans import read_in_force
from vetrina.formats.sarif import sarif
from vetrina.views import check as view

_CALLS = {"call", "event", "no-such-path", "unknown-stage", "env-file"}


def run(
    plan: Annotated[Path | None, typer.Argument(metavar="PLAN", help="The plan: a YAML or JSON file.", readable=False)] = None,
    events: Annotated[str | None, typer.Option("--events", metavar="EVENTS", help="Look at these events as well.")] = None,
    all_stages: Annotated[bool, typer.Option("--all-stages", help="Check under each stage too.")] = False,
    probe: Annotated[bool, typer.Option("--probe", help="Look at this machine: folders, disks, git.")] = False,
    probe_network: Annotated[bool, typer.Option("--probe-network", help="Ask for hosts and ports as well.")] = False,
    fail_on: Annotated[
        str, typer.Option("--fail-on", metavar="SEVERITY", help="End with 1 from error, warning or hint on.")
    ] = "warning",
    only: Annotated[list[str], typer.Option("--only", metavar="CODE", help="Run this check alone; repeatable.")] = [],  # noqa: B006
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
    json: calling.JsonOption = False,
) -> None:
    """Find what is wrong, risky or pointless in a plan: each with its place, the reason, and what to do.

    \b
    Examples:
      vetrina check plan.yaml
      vetrina check plan.yaml --events week.jsonl --all-stages
      vetrina check plan.yaml --probe --sarif findings.sarif --fail-on error
      vetrina check --explain twice
    """  # noqa: D301
    checks = load()
    if explain is not None or list_:
        _print_pages(checks, explain)
        return
    if plan is None:
        raise refuse("which plan?", fix="write vetrina check plan.yaml", where="check")
    if fail_on not in SEVERITIES:
        raise refuse(f'"{fail_on[:60]}" is no severity', fix=offer(fail_on, SEVERITIES), where="--fail-on")
    wanted = frozenset(_known(code, checks, "--only") for code in only)
    limits = _limits(limit, checks)

    def bring(one: str | None) -> InForce:
        stages = [*stage, *([one] if one else [])]
        return read_in_force(plan, stages=stages, layers=with_, env=env, env_files=env_file, sets=set_, tunes=tune)

    try:
        found = bring(None)
        known, unreadable = _circumstances(found, events, limits, probe=probe, network=probe_network, strict=strict)
        names = found.stage_names() if all_stages else []
        findings = checking.check_stages(bring, names, known, wanted) if names else checking.check(found, known, wanted)
    except Refused as refused:
        if isinstance(refused, Unreadable) or any(fault.code in _CALLS for fault in refused.faults):
            raise
        findings, known, unreadable = [checking.from_fault(fault) for fault in refused.faults], checking.Circumstances(), 0
    _write(findings, checks, sarif_file, junit_file)
    looked = sum(1 for code, one in checks.items() if one.needs in known.needs() and (not wanted or code in wanted))
    if json:
        calling.print_json(view.as_json(findings))
    else:
        calling.print_lines(view.finding_lines(findings, looked, calling.width()))
    serious = SEVERITIES[: [*SEVERITIES].index(fail_on) + 1]
    if unreadable or any(one.severity in serious for one in findings):
        raise typer.Exit(calling.Exit.WANTING)


def _print_pages(checks: dict[str, Check], explain: str | None) -> None:
    if explain is None:
        calling.print_lines(view.list_lines(checks, calling.width()))
    else:
        one = checks[_known(explain, checks, "--explain")]
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
    found: InForce, events: str | None, limits: dict[str, dict[str, float]], *, probe: bool, network: bool, strict: bool
) -> tuple[checking.Circumstances, int]:
    from vetrina.sinks import probing  # noqa: PLC0415  (sockets and git only where they are asked)

    seen, rolled, unreadable = None, None, 0
    if events is not None:
        stream = EventStream(events, scale=found.plan.scale, strict=strict)
        with open_input(events) as file:
            seen = checking.look_at(Router(found.plan), stream.read(file))
        if events != "-":
            with open_input(events) as file:
                rolled = checking.rolled_files(Router(found.plan), EventStream(events, scale=found.plan.scale).read(file))
        calling.remark_bad_lines(events, stream.unreadable, stream.bad_lines)
        unreadable = stream.unreadable
    paths = probing.probe_paths(found.plan) if probe else None
    hosts = probing.probe_hosts(found.plan) if network else None
    return checking.Circumstances(seen, paths, hosts, rolled, limits), unreadable


def _write(
    findings: list[checking.Finding], checks: dict[str, Check], sarif_file: Path | None, junit_file: Path | None
) -> None:
    if sarif_file is not None:
        pages = {code: page(checks[code]) for code in {one.code for one in findings} & set(checks)}
        calling.write_file(sarif_file, json_text.dumps(sarif(findings, checks, pages), ensure_ascii=False, indent=2) + "\n")
    if junit_file is not None:
        by_code: dict[str, list[checking.Finding]] = {}
        for one in findings:
            by_code.setdefault(one.code, []).append(one)
        cases = [Case(code, "check") for code in checks if code not in by_code]
        cases += [
            Case(
                f"{one.place or one.where} {one.message}",
                code,
                one.message,
                f"{one.place or one.where}\n{one.why}\n{one.remedy}",
            )
            for code, all_ in by_code.items()
            for one in all_
        ]
        calling.write_file(junit_file, junit("vetrina check", cases))
