"""A capture: one guarded reproduction, from the levels before to the levels after, with what the logs got in between.

Here: the steps and their order, and that levels are put back whatever happens. Not here: what is made of what was
collected (collecting.py), how it is shown.
"""

from __future__ import annotations

import select
import sys
import time
from collections.abc import Callable
from contextlib import ExitStack, suppress

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.wording import counted
from vetrina.core.services.levels_now import LevelNow
from vetrina.formats.safe_files import locked
from vetrina.running.asking import Unanswered
from vetrina.running.changing import NotChanged, PutBack, now_text
from vetrina.running.logs_followed import Logs
from vetrina.running.opening import Given, Known
from vetrina.running.session import Session
from vetrina.running.tuning import levels_before
from vetrina.views.documents.capture import CapturePutBack, CaptureStep
from vetrina.work.capture_state import OWN, VERSION, CaptureState, forget, parts_folder, save
from vetrina.work.capture_wish import Arrived, Stops, Wish
from vetrina.work.commanding import Command

_PAUSE = 0.02
_SAVE_EVERY = 0.2
_ENDING = 5.0
_LONGEST_LINE = 1 << 20


class Capture:
    """One capture; ``say`` is told each step, ``show`` what arrived while it waits."""

    def __init__(
        self, known: Known, given: Given, wish: Wish, stop: Stops,
        say: Callable[[str], None], show: Callable[[Arrived], None],
    ) -> None:  # fmt: skip
        self._known, self._given, self._wish, self._stop = known, given, wish, stop
        self._say, self._show = say, show
        name = wish.into.name or str(wish.into)
        self.state = CaptureState(VERSION, str(known.path), name, wish.asked, now_text(), cost=wish.cost)
        self._logs = Logs(wish.logs, parts_folder(wish.into), self._took)
        self._arrived = Arrived()
        self._carried: dict[str, bytes] = {}
        self._hit = False
        self._saved = 0.0
        self._process: Command | None = None
        self._late = False
        self._ended: float | None = None

    def run(self) -> CaptureState:
        """Go through all steps up to the end of the sections; what went wrong is in the state's problems.

        Raise Refused for a call that cannot be; nothing was changed then.
        """
        wish = self._wish
        with ExitStack() as stack:
            stack.callback(self._logs.close)
            session = stack.enter_context(Session(self._known, wish.asked.settle, lambda: self._stop.asked))
            if wish.wanted:
                session.hold("vetrina capture")
            before = self._levels(session)
            tuned = levels_before(session.asked, wish.wanted, before) if wish.wanted else {}
            stack.enter_context(self._folder())
            stack.push(self._cleared)
            self.state.before = {**before, **tuned}
            self._logs.begin()
            self.state.followed = self._logs.followed
            save(wish.into, self.state)
            logs = len(self._logs.followed)
            noted = f"noted where {counted(logs, 'log')} {'ends' if logs == 1 else 'end'} now"
            self._step(f"levels read of {counted(len(self.state.before), 'logger')}; {noted}")
            if wish.wanted:
                guard = session.start_guard(self._given, wish.asked.at_most, wish.into / "guardian.log")
                self._step(f"guardian started: process {guard.process}")
            try:
                self._guarded(session, tuned)
            finally:
                self._put_back(session)
            self._after(session)
            self._settle()
        return self.state

    def _levels(self, session: Session) -> dict[str, LevelNow]:
        try:
            return dict(session.asked.levels([*self._known.planned, *self._wish.wanted]))
        except Unanswered as error:
            raise Unreached(self._known.unreached(error)) from None

    def _folder(self) -> ExitStack:
        """Make the capture's folder, which must be empty, and lock it."""
        into = self._wish.into
        try:
            into.mkdir(parents=True, exist_ok=True)
            there = any(into.iterdir())
        except OSError as error:
            raise refuse(
                f"the folder cannot be made: {error.strerror}", "nothing was changed", "name another folder", where=str(into)
            ) from None
        if there:
            raise refuse("the folder is not empty", "a capture has a folder of its own", "name a new folder", where=str(into))
        stack = ExitStack()
        stack.enter_context(locked(into))
        try:
            (into / OWN).mkdir(mode=0o700)
            parts_folder(into).mkdir(mode=0o700)
        except OSError as error:
            stack.close()
            raise refuse(
                f"the folder cannot be written: {error.strerror}", "nothing was changed", "name another folder", where=str(into)
            ) from None
        return stack

    def _cleared(self, kind: type[BaseException] | None, error: BaseException | None, trace: object) -> None:
        """Take the folder away again where nothing was done."""
        del kind, trace
        if isinstance(error, Refused):
            forget(self._wish.into)
            with suppress(OSError):
                self._wish.into.rmdir()

    def _guarded(self, session: Session, tuned: dict[str, LevelNow]) -> None:
        """Change levels, mark, wait, mark."""
        wish = self._wish
        if wish.wanted:
            try:
                session.change(wish.wanted, tuned, "vetrina capture")
            except NotChanged as failed:
                self._problem(str(failed))
                if failed.back is not None:
                    self.state.put_back = _done("this capture", failed.back)
                return
            self._step("levels set and verified: " + ", ".join(wish.asked.tune))
            self._during(session)
        self._mark(session, "begins" + (f": {wish.asked.note}" if wish.asked.note else ""))
        if not self._stop.asked:
            self._wait(session)
        if self._stop.asked:
            self._problem(f"stopped by {self._stop.name}")
        self._mark(session, "ends")
        self._ended = time.monotonic()

    def _during(self, session: Session) -> None:
        try:
            self.state.during = self._levels(session)
        except Unreached as error:
            self._problem(f"the levels during it could not be read: {error}")

    def _mark(self, session: Session, what: str) -> None:
        if not session.asked.marks:
            return
        try:
            session.asked.mark(f"vetrina capture {self.state.name} {what}")
            self._step(f"mark written: {what}")
        except Unanswered as error:
            self._problem(f"the mark could not be written: {error}")

    def _wait(self, session: Session) -> None:
        """Wait for the end of the reproduction, whatever it is, and follow the logs meanwhile."""
        asked = self._wish.asked
        if asked.command and not self._started(asked.command):
            return
        until = time.monotonic() + asked.for_ if asked.for_ is not None else None
        # without a guardian nothing was changed, and --at-most bounds the wait alone
        at_most = time.monotonic() + asked.at_most
        self._step(f"waiting for {' or '.join(self._wish.ends())}, {asked.at_most:g} seconds at most")
        try:
            why = self._waited(session, until, at_most)
        finally:
            self._end_command()
        if why:
            self._step(why)

    def _waited(self, session: Session, until: float | None, at_most: float) -> str:
        while True:
            self._poll()
            self._watch(session)
            now = time.monotonic()
            if self._stop.asked:
                return ""
            if self._process is not None and self._process.ended():
                return f"the command ended with {self._process.end()}"
            if self._hit:
                return "a line for --until arrived"
            if until is not None and now >= until:
                return "the time of --for is over"
            if self._wish.enter and _entered():
                return "Enter"
            if now >= at_most and not self._late:
                self._late = True
                self._problem("the time of --at-most was over before the end of the reproduction")
            if self._late and self._process is None:
                return "the time of --at-most is over"
            time.sleep(_PAUSE)

    def _started(self, command: list[str]) -> bool:
        try:
            self._process = Command(command, apart=self._wish.apart)
        except OSError as error:
            self._problem(f"the command cannot be started: {error.strerror or error}")
            return False
        return True

    def _end_command(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        ended = process.ended()
        self.state.exit = process.end()
        if not ended:
            self._step(f"the command was ended: {self.state.exit}")

    def _watch(self, session: Session) -> None:
        """Look after the guardian: what it did, and whether it is there."""
        if session.guard is None or self.state.put_back is not None:
            return
        try:
            told = session.guard.look()
        except Refused as refused:
            self._problem(f"the guardian died and could not be started again: {refused}")
            session.end_guard(done=True)
            return
        if session.guard.restarts != self.state.guardian_restarts:
            self.state.guardian_restarts = session.guard.restarts
            self._step("the guardian had died; another one was started")
        if told is not None:
            self.state.put_back = CapturePutBack("the guardian", told.back, {}, told.left, {})
            if not self._late:
                self._late = True
                self._problem("the time of --at-most was over before the end of the reproduction")
            self._step("levels put back by the guardian, while the reproduction goes on")

    def _put_back(self, session: Session) -> None:
        """Put back what was changed; where that fails the guardian goes on trying."""
        if not self._wish.wanted:
            return
        try:
            result = session.put_back()
            if result.whole and not result.back:  # nothing was changed, or the guardian has done it
                self._hear(session)
                session.end_guard(done=True)
                return
        except (VetrinaError, OSError) as error:
            result = PutBack(failed=dict.fromkeys(self._wish.wanted, str(error)))
        before = self.state.put_back
        self.state.put_back = _done("this capture", result)
        if before is not None:
            self.state.put_back.back = {**before.back, **result.back}
        if result.whole:
            session.end_guard(done=True)
            self._step("levels put back and verified")
        else:
            goes_on = session.guard is not None and bool(result.failed)
            session.end_guard(done=not result.failed)
            for name, why in {**result.failed, **result.foreign}.items():
                self._problem(f"NOT put back: {name}: {why}")
            self._problem(
                "by hand: vetrina live SERVICE --put-back"
                + ("; the guardian goes on trying for ten minutes, and writes what it does to guardian.log" if goes_on else "")
            )
        self._stop.hurry = True

    def _hear(self, session: Session) -> None:
        """Hear what the guardian did, if it did anything."""
        until = time.monotonic() + _ENDING if self._late else 0.0
        self._watch(session)
        while self.state.put_back is None and time.monotonic() < until:
            time.sleep(_PAUSE)
            self._watch(session)

    def _after(self, session: Session) -> None:
        try:
            self.state.after = self._levels(session)
        except Unreached as error:
            self._problem(f"the levels after it could not be read: {error}")
        self.state.ended = now_text()

    def _settle(self) -> None:
        """Take what still comes, and the rest of all logs."""
        self._stop.hurry = True
        until = (self._ended or time.monotonic()) + self._wish.asked.settle
        while time.monotonic() < until:
            self._poll()
            time.sleep(_PAUSE)
        try:
            self._logs.finish()
        except OSError as error:
            self._problem(f"the sections could not be written whole: {error.strerror or error}")
        self._save(always=True)

    def _poll(self) -> None:
        try:
            came = self._logs.poll()
        except OSError as error:
            self._problem(f"the sections could not be written: {error.strerror or error}")
            return
        if came:
            self._save()
        self._show(self._arrived)

    def _took(self, part: str, data: bytes) -> None:
        """Count what arrived, and look for the line that ends the wait."""
        name = part.rpartition(".")[0]
        self._arrived.bytes += len(data)
        self._arrived.lines[name] = self._arrived.lines.get(name, 0) + data.count(b"\n")
        if self._wish.until is None or self._hit:
            return
        *lines, rest = (self._carried.get(part, b"") + data).split(b"\n")
        self._carried[part] = rest[-_LONGEST_LINE:]
        own = f"vetrina capture {self.state.name}".encode()
        self._hit = any(
            own not in line and self._wish.until.found_in(line.decode("utf-8", "replace").rstrip("\r")) for line in lines
        )

    def _step(self, what: str) -> None:
        self.state.steps.append(CaptureStep(now_text(), what))
        self._say(what)
        self._save(always=True)

    def _problem(self, what: str) -> None:
        if what not in self.state.problems:
            self.state.problems.append(what)
            self._say(f"PROBLEM: {what}")
            self._save(always=True)

    def _save(self, *, always: bool = False) -> None:
        if not always and time.monotonic() - self._saved < _SAVE_EVERY:
            return
        self._saved = time.monotonic()
        with suppress(OSError):  # a full disk is told where sections are written
            save(self._wish.into, self.state)


class Unreached(VetrinaError):
    """A service that does not answer; the message names it."""


def _done(by: str, result: PutBack) -> CapturePutBack:
    return CapturePutBack(by, result.back, result.foreign, result.failed, result.notes)


def _entered() -> bool:
    """Tell whether somebody pressed Enter."""
    ready, _, _ = select.select([sys.stdin], [], [], 0)
    if not ready:
        return False
    sys.stdin.readline()
    return True
