"""A service: the steps by which it is talked to, and what its answers and words mean."""

from __future__ import annotations

import posixpath
from collections.abc import Mapping
from datetime import timedelta
from typing import Any
from urllib.parse import urlsplit

from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base.expressions import Expression
from vetrina.core.base.faults import Place
from vetrina.core.base.origins import Sourced

Look = str | int
"""Where a value of an answer stands: a JSONPath within the item, or how many members up a name stands."""


class Reading(Struct, frozen=True):
    """How an answer is read: JSON by ``each`` and ``looks`` (name, level, effective), or text by ``lines``."""

    each: str = ""
    looks: Mapping[str, Look] = {}
    lines: Expression | None = None


class Step(Struct, frozen=True):
    """A request (``method``, ``target``), or a program (``run``), and how its answer is read.

    ``json``, ``form`` and ``text`` are what is sent; ``expect`` are the answers that are fine, any 2xx where there are none.
    """

    name: str
    place: Place
    method: str = ""
    target: str = ""
    run: tuple[str, ...] = ()
    json: Any | UnsetType = UNSET
    form: Mapping[str, str] | None = None
    text: str | None = None
    headers: Mapping[str, str] = {}
    expect: frozenset[int] = frozenset()
    timeout: timedelta | None = None
    reading: Reading = Reading()


class Log(Struct, frozen=True):
    """A log that a service writes: a plan's ``appender``, or a ``path`` (a pattern) with its ``template``, if that is known."""

    place: Place
    appender: str = ""
    path: str = ""
    template: str | None = None
    encoding: str = "utf-8"


class Http(Struct, frozen=True):
    """What all requests share."""

    base: str
    headers: Mapping[str, str] = {}
    timeout: timedelta = timedelta(seconds=5)
    ca: str | None = None


class Service(Struct, frozen=True):
    """A service; ``steps`` by their names, ``levels`` its own words, ``hidden`` texts that must never be shown.

    ``folder`` is where its file really is: paths are relative to it, and programs run there.
    """

    title: str
    steps: Mapping[str, Step]
    http: Http | None = None
    plan: str | None = None
    by: str | None = None
    stages: tuple[str, ...] = ()
    layers: tuple[str, ...] = ()
    levels: Mapping[str, Sourced[str]] = {}
    separator: str | None = None
    root: str = "root"
    logs: tuple[Log, ...] = ()
    hidden: frozenset[str] = frozenset()
    file: str = ""
    folder: str = "."

    @property
    def name(self) -> str:
        """What it is called for people."""
        return self.title or self.file

    @property
    def address(self) -> str:
        """Where it is talked to, for people: its base, without what is secret in it, or the program that sets its levels."""
        step = self._changing
        if step is not None and step.run:
            return f"program {step.run[0]}"
        return "" if self.http is None else plain_address(self.http.base)

    @property
    def identity(self) -> str:
        """What is equal for all files that talk to this service: the address, or the program with all its words."""
        step = self._changing
        if step is None or not step.run:
            return self.address
        program = posixpath.normpath(posixpath.join(self.folder, step.run[0])) if "/" in step.run[0] else step.run[0]
        return "\0".join(("program", program, *step.run[1:]))

    @property
    def _changing(self) -> Step | None:
        return self.steps.get("set") or self.steps.get("list") or self.steps.get("read")


def plain_address(base: str) -> str:
    """Return a URL's scheme, host, port and path, each in its usual form: equal for two that lead to one place."""
    parts = urlsplit(base)
    host = (parts.hostname or "").lower()
    host = "127.0.0.1" if host == "localhost" else host
    port = parts.port or {"http": 80, "https": 443}.get(parts.scheme.lower(), 0)
    shown = f"[{host}]" if ":" in host else host
    return f"{parts.scheme.lower()}://{shown}:{port}{parts.path.rstrip('/')}"
