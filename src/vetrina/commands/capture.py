"""`vetrina capture SERVICE --into DIR`: one guarded reproduction, from the levels before to the levels after."""

from __future__ import annotations

import sys
import time
from pathlib import Path
from typing import Annotated, Any, Self

import typer

from vetrina.commands import calling, options
from vetrina.commands.live import SETTLE, EnvFileOption, EnvOption, SettleOption, TuneOption, span_given
from vetrina.commands.reading import reading
from vetrina.commands.stopping import noted
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.quantities import show_size
from vetrina.core.base.wording import counted
from vetrina.core.changes.outcome import verdict
from vetrina.formats.inputs import inputs_of
from vetrina.formats.safe_files import locked
from vetrina.running.changing import now_text
from vetrina.running.logs_followed import logs_known
from vetrina.running.opening import Given, Known, known_service, plan_of
from vetrina.running.session import Session
from vetrina.running.tuning import wanted_levels
from vetrina.views import capture as view
from vetrina.views import live as live_view
from vetrina.views import screen
from vetrina.work.capture_state import Asked, load
from vetrina.work.capture_wish import Arrived, Wish
from vetrina.work.capturing import Capture, Unreached
from vetrina.work.collecting import collect, resumed
from vetrina.work.conditions import expressions_of
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording

AT_MOST = "30 minutes"


def run(
    service: Annotated[
        Path | None,
        typer.Argument(metavar="SERVICE", help="The service file: how to talk to it, and where it logs.", show_default=False),
    ] = None,
    command: Annotated[
        list[str], typer.Argument(metavar="[-- COMMAND…]", help="What reproduces the problem; the capture ends with it.")
    ] = [],
    into: Annotated[
        Path | None, typer.Option("--into", metavar="DIR", help="The capture's own folder: empty or new.", show_default=False)
    ] = None,
    tune: TuneOption = [],
    for_: Annotated[str, typer.Option("--for", metavar="DURATION", help="Wait so long.")] = "",
    until: Annotated[str, typer.Option("--until", metavar="RE2", help="Wait for a line like this in one of the logs.")] = "",
    at_most: Annotated[
        str, typer.Option("--at-most", metavar="DURATION", help="Levels are put back after this time, whatever happens.")
    ] = AT_MOST,
    settle: SettleOption = SETTLE,
    events: Annotated[
        str, typer.Option("--events", metavar="EVENTS", help="Say first what the change would cost, by these events.")
    ] = "",
    note: Annotated[
        str, typer.Option("--note", metavar="TEXT", help="Why: it stands in the report and in the start mark.")
    ] = "",
    mask: Annotated[bool, typer.Option("--mask", help="Mask secrets and personal data in what is collected.")] = False,
    zip_: Annotated[bool, typer.Option("--zip", help="Pack the folder into DIR.zip beside it, too.")] = False,
    page: options.PageOption = None,
    collect_: Annotated[
        Path | None, typer.Option("--collect", metavar="DIR", help="Only collect: what a capture left that was cut off.")
    ] = None,
    env: EnvOption = [],
    env_file: EnvFileOption = [],
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Guide one reproduction: change levels, mark, wait, mark, put back, collect what the logs got meanwhile.

    A guardian, a process of its own, puts the levels back if this one goes away. Without COMMAND, --for and --until it waits
    for Enter.

    \b
    Examples:
      vetrina capture room.service.yaml --into INC-7 --tune ropeway.gate.scanner=debug --note "gate 2 sticks"
      vetrina capture room.service.yaml --into INC-7 --tune ropeway.gate=debug --tune lib=off --for "10 minutes"
      vetrina capture room.service.yaml --into INC-7 --tune ropeway.gate=debug --until 'door .* stuck' --zip -- ./open-gate-2
      vetrina capture room.service.yaml --into INC-7 --tune ropeway.gate=debug --for "10 minutes" --page INC-7.html
      vetrina capture --collect INC-7
    """
    given = Given(tuple(env), tuple(map(str, env_file)))
    if collect_ is not None:
        _only_collects(service, command)
        _collect(collect_, given, page, zip_=zip_, wide=wide, json=json)
        return
    path, folder = _named(service, into, zip_=zip_)
    asked = Asked(
        tune, note, until, span_given(for_, "--for") if for_ else None, span_given(at_most, "--at-most"),
        span_given(settle, "--settle"), command, mask,
    )  # fmt: skip
    wish = Wish(asked, {}, folder, enter=_ending(asked), apart=json)
    known = known_service(path, given)
    _complete(wish, known, given, events)
    _has_plan(known, page)
    _remind(known, path)
    found = _captured(known, given, wish, zip_=zip_, json=json)
    whole = _page(page, known, given, tune, folder)
    _end(found, folder, whole=whole, wide=wide, json=json)


def _only_collects(service: Path | None, command: list[str]) -> None:
    """Refuse what has no effect with --collect."""
    calling.only_beside("--collect", "--env", "--env-file", "--zip", "--page", "--json", "--wide")
    if service is not None or command:
        raise refuse("a service has no effect with --collect", fix="leave it out: the capture knows it", where=str(service))


def _named(service: Path | None, into: Path | None, *, zip_: bool) -> tuple[Path, Path]:
    """Return the service's file and the capture's folder; refuse a call without one of them."""
    if service is None:
        raise refuse("which service?", fix="name its file: vetrina capture room.service.yaml --into DIR", where="capture")
    if into is None:
        raise refuse("where to?", "a capture has a folder of its own", "add --into DIR", where="capture")
    packed = into.with_name(f"{into.name}.zip")
    if zip_ and packed.exists():
        raise refuse("this file is there already", fix="name another folder", where=str(packed))
    return service, into


def _ending(asked: Asked) -> bool:
    """Tell whether Enter ends the wait; refuse a call that would never end, or whose end is after --at-most."""
    enter = sys.stdin.isatty() and not asked.command
    if not (asked.command or asked.for_ is not None or asked.until or enter):
        raise refuse(
            "when does the reproduction end?",
            "nobody can press Enter here",
            "give --for, --until or -- COMMAND",
            where="capture",
        )
    if asked.for_ is not None and asked.for_ >= asked.at_most:
        raise refuse(
            "--for is not shorter than --at-most",
            "levels would be put back before its end",
            "give a longer --at-most",
            where="--for",
        )
    return enter


def _complete(wish: Wish, known: Known, given: Given, events: str) -> None:
    """Find what a wish means for this service; what is wrong there is told before anything is changed."""
    wish.wanted = wanted_levels(wish.asked.tune, known.words)
    wish.logs = logs_known(known)
    wish.until = expressions_of([wish.asked.until], "--until")[0] if wish.asked.until else None
    wish.cost = _cost(known, given, wish.wanted, events)


def _captured(known: Known, given: Given, wish: Wish, *, zip_: bool, json: bool) -> Any:
    """Go through the capture; return its document."""
    with noted() as stop, _Counted(on=not json) as shown:
        try:
            state = Capture(known, given, wish, stop, shown.say, shown.show).run()
        except Unreached as error:
            calling.remark([[screen.Span("failed: ", "bad"), screen.span(f"{error}; nothing was changed")]])
            raise typer.Exit(calling.Exit.WANTING) from None
        shown.end()
        return collect(known, wish.into, state, _said, zip_=zip_)


def _remind(known: Known, path: Path) -> None:
    """Say first what an earlier call has not put back."""
    with Session(known, 0.0) as session:
        record = session.record()
        if record.steps:
            calling.remark([live_view.record_note(record, session.changed_still(), f"vetrina live {path}")])


def _said(what: str) -> None:
    """Tell a step with its time."""
    style = "bad" if what.startswith("PROBLEM") else ""
    calling.remark([[screen.Span(f"{now_text()[11:23]}  ", "quiet"), screen.span(what, style)]])


def _cost(known: Known, given: Given, wanted: dict[str, int], events: str) -> list[str]:
    """Return what the change would do to some events, by the plan; nothing without events."""
    if not events:
        return []
    if known.found is None or not wanted:
        missing = "a plan in the service's file" if known.found is None else "--tune"
        raise refuse(f"--events has no effect without {missing}", fix="leave it out", where="--events")
    after = plan_of(known.service, given, [f"{name}={known.words.scale.name(level)}" for name, level in wanted.items()])
    assert after is not None  # noqa: S101  (there is a plan)
    inputs = inputs_of(events)
    with calling.again_and_again(inputs) as again, reading(again, "auto", "") as engine:
        recording = Recording(again, engine=engine)
        outcome = Trial(recording).outcome(known.found, after)
    calling.remark_bad_lines(recording.name, recording.unreadable, recording.bad_lines)
    sentences = [f"by {known.found.plan.name} and {events}, not by the running process:", *verdict(outcome)]
    for one in sentences:
        _said(one)
    return sentences


class _Counted:
    """Shows on a terminal what arrives, while the capture waits; elsewhere it does nothing."""

    def __init__(self, *, on: bool) -> None:
        self._on = on and sys.stderr.isatty()
        self._live = ""
        self._shown = 0.0

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.end()

    def show(self, arrived: Arrived) -> None:
        """Show how much has arrived, now and then."""
        if not self._on or time.monotonic() - self._shown < 0.25:
            return
        self._shown = time.monotonic()
        lines = sum(arrived.lines.values())
        where = ", ".join(f"{screen.number(count)} in {name}" for name, count in sorted(arrived.lines.items()) if count)
        text = f"arrived: {counted(lines, 'line')}, {show_size(arrived.bytes)}" + (f" ({where})" if where else "")
        if text != self._live:
            self._live = text
            sys.stderr.write("\r\x1b[K" + screen.shorten(text, calling.width() - 1))
            sys.stderr.flush()

    def say(self, what: str) -> None:
        """Tell a step on a line of its own."""
        self.end()
        _said(what)

    def end(self) -> None:
        """Take it away."""
        if self._live:
            sys.stderr.write("\r\x1b[K")
            sys.stderr.flush()
            self._live = ""


def _has_plan(known: Known, page: Path | None) -> None:
    """Refuse a page where the service's file names no plan."""
    if page is not None and known.found is None:
        raise refuse(
            "a page shows a plan, and the service's file names none", fix="add plan: to it, or leave --page out", where="--page"
        )


def _page(path: Path | None, known: Known, given: Given, tune: list[str], folder: Path) -> bool:
    """Write the page of the plan with the levels that held meanwhile, and of the events that were collected; tell whether that went well."""
    if path is None:
        return True
    from vetrina.commands import handing  # noqa: PLC0415  (what makes pages is loaded where one is made)

    wanted = wanted_levels(tune, known.words)
    found = plan_of(known.service, given, [f"{name}={known.words.scale.name(level)}" for name, level in wanted.items()])
    assert found is not None  # noqa: S101  (asked before)
    events = folder / "events.jsonl"
    recording = Recording(events) if events.exists() and events.stat().st_size else None
    try:
        handing.tell(handing.write_page(path, found, recording, f"{known.service.name}: {folder.name}"))
    except Refused as refused:
        _said(f"PROBLEM: the page could not be written: {refused}")
        return False
    return True


def _collect(folder: Path, given: Given, page: Path | None, *, zip_: bool, wide: bool, json: bool) -> None:
    state = load(folder)
    known = known_service(Path(state.service), given)
    _has_plan(known, page)
    with locked(folder):
        _remind(known, Path(state.service))
        resumed(known, folder, state, _said)
        found = collect(known, folder, state, _said, zip_=zip_)
        whole = _page(page, known, given, state.asked.tune, folder)
        _end(found, folder, whole=whole, wide=wide, json=json)


def _end(found: Any, folder: Path, *, whole: bool, wide: bool, json: bool) -> None:
    """Show what a capture came to; end with 1 where something is not as it should be."""
    if json:
        calling.print_json(found)
    else:
        width = calling.width(wide=wide)
        calling.print_fitted(view.result_lines(found, str(folder), width), width)
    if found.exit or not whole:
        raise typer.Exit(calling.Exit.WANTING)
