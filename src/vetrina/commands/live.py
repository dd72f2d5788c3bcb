"""`vetrina live SERVICE`: the levels in a running service beside the planned ones; a recorded change, and back."""

from __future__ import annotations

import sys
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any

import typer

from vetrina.commands import calling, completing, options
from vetrina.commands.stopping import Stop, noted
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import refuse
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.quantities import duration
from vetrina.core.services.levels_now import LevelNow, rows
from vetrina.running.asking import Unanswered
from vetrina.running.changing import NotChanged, PutBack, now_text
from vetrina.running.opening import Given, Known, known_service
from vetrina.running.session import Session, command_words
from vetrina.running.tuning import levels_before, wanted_levels
from vetrina.views import live as view
from vetrina.views import screen
from vetrina.views.documents import live as documents

SETTLE = "2 seconds"
_GRACE = 60.0
ServiceArgument = Annotated[
    Path,
    typer.Argument(metavar="SERVICE", help="The service file: a YAML file that says how to talk to it.", show_default=False),
]
TuneOption = Annotated[
    list[str],
    typer.Option(
        "--tune",
        autocompletion=completing.tunes,
        metavar="LOGGER=LEVEL",
        help="Set a logger's level in the running service; repeatable.",
    ),
]
SettleOption = Annotated[
    str, typer.Option("--settle", metavar="DURATION", help="How long the service may take until it shows a change.")
]
EnvOption = Annotated[
    list[str], typer.Option("--env", metavar="NAME=VALUE", help="A value for placeholders, in the service's file and its plan.")
]
EnvFileOption = Annotated[
    list[Path], typer.Option("--env-file", metavar="FILE", help="Values for placeholders, NAME=VALUE lines; repeatable.")
]


def run(
    service: ServiceArgument,
    logger: Annotated[
        list[str], typer.Argument(autocompletion=completing.loggers, metavar="[LOGGER]…", help="Only these loggers.")
    ] = [],
    tune: TuneOption = [],
    for_: Annotated[
        str, typer.Option("--for", metavar="DURATION", help="With --tune: hold the change so long, then put it back, guarded.")
    ] = "",
    put_back: Annotated[bool, typer.Option("--put-back", help="Put back all that is on record, and verify it.")] = False,
    anyway: Annotated[
        bool, typer.Option("--anyway", help="With --put-back: also what somebody else changed meanwhile.")
    ] = False,
    record: Annotated[bool, typer.Option("--record", help="Show what is on record; the service is not asked.")] = False,
    settle: SettleOption = SETTLE,
    dry_run: Annotated[
        bool, typer.Option("--dry-run", help="With --tune: show what would be changed, and change nothing.")
    ] = False,
    yes: Annotated[bool, typer.Option("--yes", help="With --tune: change without asking.")] = False,
    env: EnvOption = [],
    env_file: EnvFileOption = [],
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Show the levels that a running service has, beside those of its plan; change some, recorded and verified; put them back.

    Nothing but the steps in the service's file is ever sent. What a change replaces is on record beside that file before
    anything is sent.

    \b
    Examples:
      vetrina live room.service.yaml
      vetrina live room.service.yaml ropeway.gate.scanner
      vetrina live room.service.yaml --tune ropeway.gate.scanner=debug
      vetrina live room.service.yaml --tune ropeway.gate=debug --for "10 minutes" --yes
      vetrina live room.service.yaml --put-back
    """
    _possible(logger, tune, for_, put_back=put_back, anyway=anyway, record=record, dry_run=dry_run, yes=yes)
    given = Given(tuple(env), tuple(map(str, env_file)))
    call = _Call(known_service(service, given), given, service, span_given(settle, "--settle"), json=json, wide=wide)
    with noted() as stop, Session(call.known, call.settle, lambda: stop.asked) as session:
        if record:
            call.show_record(session)
            return
        if put_back:
            call.put_back(session, anyway=anyway)
            return
        call.remind(session)
        if tune:
            call.tune(session, stop, tune, for_, dry_run=dry_run, yes=yes)
        else:
            call.show(session, logger)


def _possible(
    logger: list[str], tune: list[str], for_: str, *, put_back: bool, anyway: bool, record: bool, dry_run: bool, yes: bool
) -> None:
    """Refuse options that have no effect together."""
    if put_back:
        calling.only_beside("--put-back", "--anyway", "--settle", "--env", "--env-file", "--json", "--wide")
    if record:
        calling.only_beside("--record", "--env", "--env-file", "--json", "--wide")
    for word, given in (("--put-back", put_back), ("--record", record), ("--tune", bool(tune))):
        if given and logger:
            raise refuse(f"loggers have no effect with {word}", fix="leave them out", where=" ".join(logger))
    calling.exclude("--dry-run", dry_run, {"--yes": yes, "--for": for_})
    for option, value, needs, there in (
        ("--for", for_, "--tune", tune), ("--dry-run", dry_run, "--tune", tune), ("--yes", yes, "--tune", tune),
        ("--anyway", anyway, "--put-back", put_back),
    ):  # fmt: skip
        if value and not there:
            raise refuse(f"{option} has no effect without {needs}", fix="leave it out", where=option)


def span_given(text: str, option: str) -> float:
    """Return the seconds that an option means."""
    try:
        return duration(text).total_seconds()
    except NotUnderstood as reason:
        raise refuse(str(reason), where=f"{option} {text}") from None


class _Call:
    """A call of `live`."""

    def __init__(self, known: Known, given: Given, path: Path, settle: float, *, json: bool, wide: bool) -> None:
        self.known, self._given, self._path, self.settle = known, given, path, settle
        self._json, self._width = json, calling.width(wide=wide)
        self._command = f"vetrina live {path}"

    def remind(self, session: Session) -> None:
        """Say first what is not put back."""
        record = session.record()
        if record.steps:
            calling.remark([view.record_note(record, session.changed_still(), self._command)])

    def show_record(self, session: Session) -> None:
        """Show what is on record."""
        record = session.record()
        if self._json:
            calling.print_json(documents.recorded(record))
        else:
            calling.print_fitted(view.record_lines(record), self._width)

    def show(self, session: Session, loggers: list[str]) -> None:
        """Show the levels; end with 1 where something is not as planned."""
        only = list(map(tree_name, loggers))
        at = now_text()
        found = rows(self._levels(session, only), self.known.plan, self.known.words, only)
        service = self.known.service
        if self._json:
            calling.print_json(documents.Live(service.name, at, documents.levels(found, self.known.words)))
        else:
            plan = self.known.found
            beside = "" if plan is None else f"{plan.plan.name} {plan.overrides.words()}".strip()
            lines = view.heading(service.name, service.address, beside, at)
            lines += view.level_lines(found, self.known.words, self._width, planned=plan is not None)
            calling.print_fitted(lines, self._width, *([] if plan is None else [plan.plan]))
        if any(one.verdict not in {None, "same"} for one in found):
            raise typer.Exit(calling.Exit.WANTING)

    def _levels(self, session: Session, only: list[str]) -> Mapping[str, LevelNow]:
        wanted = only or self.known.planned
        if not wanted and not session.asked.lists:
            raise refuse(
                "this service is asked logger by logger, and no plan names any", fix="name the loggers", where=str(self._path)
            )
        try:
            found = dict(session.asked.levels(wanted))
            if session.asked.lists and "read" in self.known.service.steps:
                found |= {name: now for name in only if name not in found and (now := session.asked.level(name)) is not None}
        except Unanswered as error:
            raise self._unanswered(error) from None
        return found

    def _unanswered(self, error: Unanswered) -> typer.Exit:
        """Say once that the service does not answer; end with 1."""
        self._say_bad(self.known.unreached(error))
        return typer.Exit(calling.Exit.WANTING)

    @staticmethod
    def _say_bad(text: str) -> None:
        calling.remark([[screen.Span("failed: ", "bad"), screen.span(text)]])

    def put_back(self, session: Session, *, anyway: bool) -> None:
        """Put back all that is on record."""
        if not session.record().steps:
            if self._json:
                calling.print_json(documents.put_back(self.known.service.name, {}, {}, {}, {}))
            else:
                calling.remark(["nothing is on record: nothing to put back"])
            return
        session.hold(command_words() + " --put-back")
        result = session.put_back(everything=True, anyway=anyway)
        self._show_put_back(result)
        if not result.whole:
            raise typer.Exit(calling.Exit.WANTING)

    def _show_put_back(self, result: PutBack) -> None:
        if self._json:
            calling.print_json(self._put_back(result))
        else:
            command = f"{self._command} --put-back"
            calling.print_fitted(
                view.put_back_lines(result.back, result.foreign, result.failed, result.notes, command), self._width
            )

    def _put_back(self, result: PutBack) -> documents.LivePutBack:
        return documents.put_back(self.known.service.name, result.back, result.foreign, result.failed, result.notes)

    def tune(self, session: Session, stop: Stop, tunes: list[str], for_: str, *, dry_run: bool, yes: bool) -> None:
        """Change levels, and with --for put them back when that is over."""
        held = span_given(for_, "--for") if for_ else 0.0
        wanted = wanted_levels(tunes, self.known.words)
        if not dry_run:
            session.hold(command_words() + " --tune")
        try:
            before = levels_before(session.asked, wanted, session.asked.levels(wanted))
        except Unanswered as error:
            raise self._unanswered(error) from None
        if not self._json:
            calling.print_lines(view.change_lines(before, wanted, self.known.words))
        if dry_run or not self._agreed(yes=yes):
            self._told(wanted, before, done=False)
            calling.remark(["nothing was changed" + (" (--dry-run)" if dry_run else "")])
            return
        if held:
            log = self.known.path.with_name(f".{self.known.path.name}.guardian.log")
            session.start_guard(self._given, held + _GRACE, log)
        try:
            session.change(wanted, before, f"{command_words()} --tune")
        except NotChanged as failed:
            self._failed(session, wanted, before, failed)
        if not held:
            self._told(wanted, before, done=True)
            calling.remark([f"set and verified; {self._command} --put-back puts it back"])
            return
        self._hold_and_back(session, stop, wanted, before, held)

    def _failed(self, session: Session, wanted: Mapping[str, int], before: Mapping[str, LevelNow], failed: NotChanged) -> None:
        result = failed.back or PutBack()
        self._told(wanted, before, done=False, problem=str(failed), back=result)
        self._say_bad(str(failed))
        if not self._json:
            self._show_put_back(result)
        session.end_guard(done=result.whole)
        raise typer.Exit(calling.Exit.WANTING)

    def _hold_and_back(
        self, session: Session, stop: Stop, wanted: Mapping[str, int], before: Mapping[str, LevelNow], seconds: float
    ) -> None:
        calling.remark([f"set and verified; put back in {seconds:g} seconds, or on Ctrl-C"])
        until = time.monotonic() + seconds
        while time.monotonic() < until and not stop.asked:
            time.sleep(0.05)
            if session.guard is not None:
                session.guard.look()
        result = session.put_back()
        session.end_guard(done=result.whole)
        self._told(wanted, before, done=True, back=result)
        if not self._json:
            self._show_put_back(result)
        if stop.asked or not result.whole:
            raise typer.Exit(calling.Exit.WANTING)

    def _agreed(self, *, yes: bool) -> bool:
        """Ask on a terminal; elsewhere --yes has to say it."""
        if yes:
            return True
        if self._json or not sys.stdin.isatty():
            raise refuse(
                "nothing was changed: nobody can be asked here", fix="say --yes, or --dry-run to look only", where="live"
            )
        return bool(typer.confirm("Change this in the running service?", err=True))

    def _told(
        self,
        wanted: Mapping[str, int],
        before: Mapping[str, LevelNow],
        *,
        done: bool,
        problem: str | None = None,
        back: Any = None,
    ) -> None:
        if not self._json:
            return
        words = self.known.words
        changed = [
            documents.LiveChanged(
                name,
                words.level(before[name].set),
                words.level(before[name].in_effect),
                words.scale.name(level),
                words.word(level),
            )
            for name, level in wanted.items()
        ]
        put_back = None if back is None else self._put_back(back)
        calling.print_json(documents.LiveChange(self.known.service.name, done, changed, problem, put_back))
