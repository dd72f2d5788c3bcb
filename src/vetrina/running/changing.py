"""Levels changed and put back: on record before anything is sent, each verified, nothing left changed without being told."""

from __future__ import annotations

import getpass
import os
import platform
import time
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.faults import Refused
from vetrina.core.base.hidden import shown
from vetrina.core.services.levels_now import LevelNow
from vetrina.core.services.records import Changed, Due, Record, RecordStep, due, restored, shows, word_back
from vetrina.formats.service_records import read_record, write_record
from vetrina.running.asking import Asked, Unanswered

_PAUSE = 0.05


class PutBack(Struct):
    """How a putting back went, logger by logger: ``back`` are verified, ``foreign`` changed by somebody else meanwhile, ``failed`` the others, each with why.

    ``notes`` are what has to be known of those that are back.
    """

    back: dict[str, str] = {}
    foreign: dict[str, str] = {}
    failed: dict[str, str] = {}
    notes: dict[str, str] = {}

    @property
    def whole(self) -> bool:
        """Whether all is back."""
        return not self.foreign and not self.failed


class NotChanged(VetrinaError):
    """A level could not be set or verified; the message is a sentence, ``logger`` the one that failed.

    ``back`` tells how the putting back of the whole call went.
    """

    def __init__(self, what: str, logger: str, back: PutBack | None = None) -> None:
        super().__init__(what)
        self.logger, self.back = logger, back


class Changer:
    """Changes one service's levels, and puts them back, by the record beside its file; whoever uses it holds the service's lock."""

    def __init__(self, asked: Asked, file: Path, settle: float, stopped: Callable[[], bool] = lambda: False) -> None:
        self.asked, self.file, self.settle = asked, file, settle
        self._stopped = stopped

    def record(self) -> Record:
        """Return what is on record."""
        return read_record(self.file, self.asked.service.address)

    def change(self, wanted: Mapping[str, int], before: Mapping[str, LevelNow], command: str, id_: str) -> RecordStep:
        """Set levels, on record first, and verify each; return the step on record.

        Raise NotChanged where one fails: all of this call are put back then, and the message says how that went.
        """
        words = self.asked.words
        changes = tuple(Changed(name, before[name], words.word(level)) for name, level in wanted.items())
        step = RecordStep(id_, now_text(), command, _user(), os.getpid(), platform.node(), str(Path.cwd()), changes)
        record = self.record()
        write_record(self.file, replace(record, service=shown(self.asked.service.address), steps=(*record.steps, step)))
        for at, one in enumerate(changes):
            try:
                self._set(one)
            except NotChanged as reason:
                with suppress(Refused):  # where it cannot be written, those to which nothing was sent are put back too
                    self._off_record({later.logger for later in changes[at + 1 :]}, {step.id})
                again = self.put_back([step.id], anyway={reason.logger}, late=True)
                raise NotChanged(str(reason), reason.logger, again) from None
        return step

    def _off_record(self, loggers: Collection[str], steps: Collection[str]) -> None:
        write_record(self.file, self.record().without(loggers, steps))

    def _set(self, one: Changed) -> None:
        if self._stopped():
            raise NotChanged(f"stopped before {one.logger} was set", one.logger)
        try:
            self.asked.set(one.logger, one.after)
            self._verified(one.logger, lambda now: now is not None and shows(now, one.after, self.asked.words), one.after)
        except Unanswered as error:
            raise NotChanged(f"{one.logger} could not be set to {one.after}: {error}", one.logger) from None

    def _verified(self, logger: str, fine: Callable[[LevelNow | None], bool], wanted: str) -> None:
        """Wait until the service shows a level; raise NotChanged where it does not in time."""
        now = self._settled(logger, fine)
        if fine(now):
            return
        says = "no longer knows it" if now is None else f"still says {now.in_effect or 'nothing of it'}"
        raise NotChanged(f"{logger} was set to {wanted}, and {self.settle:g} seconds later the service {says}", logger)

    def _settled(self, logger: str, fine: Callable[[LevelNow | None], bool]) -> LevelNow | None:
        until = time.monotonic() + self.settle
        while True:
            now = self.asked.level(logger)
            if fine(now) or time.monotonic() >= until:
                return now
            time.sleep(_PAUSE)

    def put_back(self, steps: Collection[str] | None = None, *, anyway: Collection[str] = (), late: bool = False) -> PutBack:
        """Put back what some steps on record changed (None: all), latest first; verify it, and take it off the record.

        A level that somebody else changed meanwhile is left and stays on record, unless its logger is among ``anyway``. ``late`` looks once
        more after the time that the service may take: what was sent before may be taken late.
        """
        record = self.record()
        ids = {one.id for one in record.steps} if steps is None else set(steps)
        waiting = due(record, ids)
        result = PutBack()
        sent = [one for one in waiting if self._send_back(one, result, anyway=one.logger in anyway)]
        for one in sent:
            self._verify_back(one, result)
        if late and sent:
            time.sleep(self.settle)
            for one in sent:
                self._look_again(one, result)
        if result.back or not waiting:
            done = [name for name in result.back if name not in result.failed]
            try:
                self._off_record(done, ids)
            except Refused as refused:  # the levels are back, and the record says still that they are not
                result.failed["the record"] = f"what is back could not be taken off it: {refused}"
        return result

    def changed_still(self) -> list[str]:
        """Return the loggers on record that are not as they were before; one of which the service says nothing counts as such."""
        record = self.record()
        return [one.logger for one in due(record, {one.id for one in record.steps}) if not self._is_back(one)]

    def _is_back(self, one: Due) -> bool:
        with suppress(Unanswered):
            now = self.asked.level(one.logger)
            return now is not None and restored(now, one.before, self.asked.words, clears=self.asked.clears)
        return False

    def _send_back(self, one: Due, result: PutBack, *, anyway: bool) -> bool:
        """Send what was there before; tell whether it was sent."""
        words = self.asked.words
        try:
            now = self.asked.level(one.logger)
            if now is None and anyway:
                result.back[one.logger] = "is not known to the service any more"
                return False
            if now is None:
                result.failed[one.logger] = "the service does not know it any more"
                return False
            if not (anyway or one.is_ours(now, words) or restored(now, one.before, words, clears=self.asked.clears)):
                result.foreign[one.logger] = f"it is {now.set or now.in_effect or 'not set'} now, and was set to {one.after}"
                return False
            self._send(one)
        except Unanswered as error:
            result.failed[one.logger] = str(error)
            return False
        return True

    def _send(self, one: Due) -> None:
        word, _ = word_back(one.before, clears=self.asked.clears)
        if word is None:
            self.asked.clear(one.logger)
        else:
            self.asked.set(one.logger, word)

    def _verify_back(self, one: Due, result: PutBack) -> None:
        words, clears = self.asked.words, self.asked.clears

        def fine(now: LevelNow | None) -> bool:
            return now is not None and restored(now, one.before, words, clears=clears)

        word, note = word_back(one.before, clears=clears)
        try:
            now = self._settled(one.logger, fine)
        except Unanswered as error:
            result.failed[one.logger] = f"it was sent, and could not be verified: {error}"
            return
        if not fine(now):
            says = "does not know it any more" if now is None else f"says {now.set or now.in_effect or 'that none is set'}"
            result.failed[one.logger] = f"it was sent, and {self.settle:g} seconds later the service {says}"
            return
        result.back[one.logger] = "inherits again" if word is None else word
        if note:
            result.notes[one.logger] = note

    def _look_again(self, one: Due, result: PutBack) -> None:
        """Put a level back once more where what was sent before was taken late."""
        if one.logger not in result.back:
            return
        try:
            now = self.asked.level(one.logger)
            if now is not None and not restored(now, one.before, self.asked.words, clears=self.asked.clears):
                del result.back[one.logger]
                self._send(one)
                self._verify_back(one, result)
        except Unanswered as error:
            result.back.pop(one.logger, None)
            result.failed[one.logger] = f"it was put back, and could not be looked at again: {error}"


def put_back_problems(result: PutBack) -> Sequence[tuple[str, str]]:
    """Return the loggers that are not back, with why."""
    return [*result.failed.items(), *result.foreign.items()]


def now_text() -> str:
    """Return the time, as records have it."""
    return datetime.now(tz=UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return str(os.getuid()) if hasattr(os, "getuid") else ""
