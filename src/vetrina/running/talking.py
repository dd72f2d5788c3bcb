"""Talking with a service: one step sent, its whole answer within its time. Nothing secret is ever in a message."""

from __future__ import annotations

import os
import selectors
import signal
import subprocess
import time
from collections.abc import Mapping
from contextlib import suppress
from http import HTTPStatus
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood, VetrinaError
from vetrina.core.base.faults import refuse
from vetrina.core.services.filling import request_of, words_of
from vetrina.core.services.service import Service, Step

if TYPE_CHECKING:
    from vetrina.running.requests import Web

MOST = 16 << 20
"""Bytes of an answer."""


class NoAnswer(VetrinaError):
    """A step brought no answer that is fine; the message is a clause that says why.

    ``status`` is that of an HTTP answer, 0 for none.
    """

    def __init__(self, what: str, status: int = 0) -> None:
        super().__init__(what)
        self.status = status


class Answer(Struct, frozen=True):
    """A whole answer."""

    data: bytes
    status: int = 0


class Talker:
    """Sends the steps of one service, one at a time; ``close`` ends it."""

    def __init__(self, service: Service) -> None:
        self.service = service
        self._web: Web | None = None

    def ask(self, name: str, values: Mapping[str, str] | None = None) -> Answer:
        """Return the answer of a step; raise NoAnswer where there is none that is fine."""
        step = self.service.steps[name]
        return self._run(step, values or {}) if step.run else self._request(step, values or {})

    def close(self) -> None:
        """End what is open."""
        if self._web is not None:
            self._web.close()
            self._web = None

    def _request(self, step: Step, values: Mapping[str, str]) -> Answer:
        try:
            from vetrina.running.requests import Web  # noqa: PLC0415  (programs need no HTTP)
        except ImportError as error:
            what = f"asking over HTTP needs {error.name}, which is not installed"
            raise refuse(what, fix="pip install 'vetrina[live]'", where=self.service.file) from None

        assert self.service.http is not None  # noqa: S101  (a request without it is a fault of the file)
        try:
            request = request_of(step, values)
        except NotUnderstood as reason:
            raise NoAnswer(str(reason)) from None
        if self._web is None:
            self._web = Web(self.service.http, Path(self.service.folder))
        answer = self._web.send(request, (step.timeout or self.service.http.timeout).total_seconds())
        fine = answer.status in step.expect if step.expect else 200 <= answer.status < 300
        if not fine:
            raise NoAnswer(_words_of_status(answer.status), answer.status)
        return answer

    def _run(self, step: Step, values: Mapping[str, str]) -> Answer:
        try:
            words = words_of(step, values)
        except NotUnderstood as reason:
            raise NoAnswer(str(reason)) from None
        usual = self.service.http.timeout.total_seconds() if self.service.http is not None else 5.0
        return _program(words, step.timeout.total_seconds() if step.timeout is not None else usual, self.service.folder)


def _words_of_status(status: int) -> str:
    try:
        words = f"it answers {status} ({HTTPStatus(status).phrase})"
    except ValueError:
        words = f"it answers {status}"
    return f"{words}, and redirects are not followed" if 300 <= status < 400 else words


def _program(words: tuple[str, ...], seconds: float, folder: str) -> Answer:
    """Run a program, without a shell and without input; what it writes to standard error is thrown away."""
    until = time.monotonic() + seconds
    try:
        process = subprocess.Popen(  # noqa: S603  (the words of the user's own service file)
            words,
            cwd=folder,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or "it is no program"
        raise NoAnswer(f"the program {words[0]} cannot be started: {reason}") from None
    try:
        data = _output(process, until, seconds)
        code = process.wait(max(0.001, until - time.monotonic()))
    except subprocess.TimeoutExpired:
        raise NoAnswer(f"the program {words[0]} has not ended within {seconds:g} seconds") from None
    finally:
        with suppress(OSError):
            os.killpg(process.pid, signal.SIGKILL)  # also what it has left behind
        process.wait()
        if process.stdout is not None:
            process.stdout.close()
    if code:
        how = f"was ended by signal {-code}" if code < 0 else f"ended with {code}"
        raise NoAnswer(f"the program {words[0]} {how}")
    return Answer(data)


def _output(process: subprocess.Popen[bytes], until: float, seconds: float) -> bytes:
    """Return all that a program writes; raise NoAnswer for too much, TimeoutExpired where it takes too long."""
    found = bytearray()
    stream: Any = process.stdout
    with selectors.DefaultSelector() as selector:
        selector.register(stream, selectors.EVENT_READ)
        while True:
            if not selector.select(max(0.0, until - time.monotonic())):
                raise subprocess.TimeoutExpired(process.args, seconds)
            piece = os.read(stream.fileno(), 1 << 16)
            if not piece:
                return bytes(found)
            found += piece
            if len(found) > MOST:
                raise NoAnswer(f"its answer is longer than {MOST >> 20} MiB")
