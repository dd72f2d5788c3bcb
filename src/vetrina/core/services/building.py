"""A service made of the sections of its file; whatever is wrong is told with its place."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any
from urllib.parse import unquote, urlsplit

from msgspec import UNSET

from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.base.faults import Fault
from vetrina.core.base.origins import Sourced
from vetrina.core.services.grammar import METHODS, STEPS, HttpKeys, LogKeys, ServiceKeys, StepKeys
from vetrina.core.services.service import Http, Log, Look, Reading, Service, Step

Report = Callable[[Fault], None]
Checks = Callable[[str], str]
"""Why a text is no JSONPath, nothing for one that is."""
_LOOKS = ("name", "level", "effective")


def build_service(keys: ServiceKeys, no_path: Checks, report: Report, file: str = "", folder: str = ".") -> Service:
    """Return the service that a file means, which stands in a folder; faults go to ``report``."""
    builder = _Builder(no_path, report)
    steps = {name: found for name in STEPS if (one := getattr(keys, name)) is not None and (found := builder.step(name, one))}
    builder.needed(keys, steps)
    http = None if keys.http is None else builder.http(keys.http)
    headers = [*(http.headers.values() if http else ()), *(value for one in steps.values() for value in one.headers.values())]
    return Service(
        title=_text(keys.title),
        steps=steps,
        http=http,
        plan=_text(keys.plan) or None,
        by=_text(keys.by) or None,
        stages=tuple(one.value for one in keys.stages or ()),
        layers=tuple(one.value for one in keys.with_ or ()),
        levels=keys.levels or {},
        separator=_text(keys.separator) or None,
        root=_text(keys.root) or "root",
        logs=tuple(map(builder.log, keys.logs or ())),
        hidden=frozenset(value for value in (*headers, *_user(http)) if value),
        file=file,
        folder=folder,
    )


def _text(one: Sourced[str] | None) -> str:
    return "" if one is None else one.value


def _user(http: Http | None) -> tuple[str, ...]:
    """Return the user information in a base URL: its parts as they are written, and what they mean."""
    if http is None:
        return ()
    parts = urlsplit(http.base)
    given = [one for one in (parts.username, parts.password) if one]
    return (*given, *map(unquote, given))


def _bad_base(base: str) -> str:
    """Return what is wrong with a base URL, nothing for a good one."""
    try:
        parts = urlsplit(base)
        parts.port  # noqa: B018  (raises for a port that is none)
    except ValueError:
        return "base is no URL"
    if parts.scheme.lower() not in {"http", "https"} or not parts.hostname:
        return "base is no URL of http or https"
    return "base has a query or a fragment, and paths are put behind it" if parts.query or parts.fragment else ""


class _Builder:
    def __init__(self, no_path: Checks, report: Report) -> None:
        self._no_path, self._report = no_path, report

    def needed(self, keys: ServiceKeys, steps: Mapping[str, Step]) -> None:
        """Tell what is missing."""
        if keys.list is None and keys.read is None:
            fix = "write list, which asks for all loggers, or read, which asks for one"
            self._report(Fault("missing-key", "no step asks this service for its levels", fix=fix, place=keys.held.place))
        if keys.http is None and any(one.method for one in steps.values()):
            one = next(one for one in steps.values() if one.method)
            self._report(Fault("missing-key", f'"{one.name}" is a request, and there is no http', fix="write http: {base: URL}", place=one.place))  # fmt: skip

    def http(self, keys: HttpKeys) -> Http:
        """Return what requests share."""
        base = _text(keys.base)
        if keys.base is not None and (what := _bad_base(base)):
            place = keys.base.origin.place or keys.held.place
            self._report(Fault("wrong-value", what, fix="write http://127.0.0.1:8700", place=place))
        headers = {name: one.value for name, one in (keys.headers or {}).items()}
        usual = Http(base, headers, ca=_text(keys.ca) or None)
        return usual if keys.timeout is None else Http(base, headers, keys.timeout.value, usual.ca)

    def step(self, name: str, keys: StepKeys) -> Step | None:
        """Return a step, None for what is none."""
        ways = [one for one in (*METHODS, "run") if getattr(keys, one) is not None]
        if len(ways) != 1:
            what = f'"{name}" says in {len(ways)} ways what is done' if ways else f'"{name}" does not say what is done'
            self._report(
                Fault("wrong-value", what, fix="write one of get, put, post, patch, delete, run", place=keys.held.place)
            )
            return None
        bodies = [one for one in ("json", "form", "text") if getattr(keys, one) is not None]
        if len(bodies) > 1 or (bodies and ways[0] in {"run", "get"}):
            what = f'"{name}" sends {" and ".join(bodies)}' + (f" by {ways[0]}" if ways[0] in {"run", "get"} else "")
            self._report(Fault("wrong-value", what, fix="send one thing, by put, post, patch or delete", place=keys.held.place))
            return None
        if ways[0] == "run" and (keys.headers or keys.expect):
            what = f'headers and expect of "{name}" have no effect: a program has none'
            self._report(Fault("wrong-value", what, fix="leave them out", place=keys.held.place))
        method = "" if ways[0] == "run" else ways[0]
        target = getattr(keys, method) if method else None
        if target is not None and not target.value.startswith(("/", "?")):
            place = target.origin.place or keys.held.place
            self._report(
                Fault("wrong-value", f'the path of "{name}" does not begin with /', fix=f"write {method}: /levels", place=place)
            )
        return Step(
            name=name,
            place=keys.held.place,
            method=method,
            target=_text(getattr(keys, method)) if method else "",
            run=tuple(one.value for one in keys.run or ()),
            json=UNSET if keys.json is None else keys.json.value,
            form=None if keys.form is None else {key: one.value for key, one in keys.form.items()},
            text=None if keys.text is None else keys.text.value,
            headers={key: one.value for key, one in (keys.headers or {}).items()},
            expect=frozenset(one.value for one in keys.expect or ()),
            timeout=None if keys.timeout is None else keys.timeout.value,
            reading=self._reading(name, keys),
        )

    def _reading(self, name: str, keys: StepKeys) -> Reading:
        looks = {
            key: look
            for key in _LOOKS
            if (one := getattr(keys, key)) is not None and (look := self._look(key, one)) is not None
        }
        if keys.lines is not None:
            if keys.each is not None or looks:
                what = f'"{name}" reads its answer as lines and as JSON'
                self._report(
                    Fault("wrong-value", what, fix="keep lines, or each, name, level and effective", place=keys.held.place)
                )
            return Reading(lines=self._lines(keys.lines, listed=name == "list"))
        if name not in {"list", "read"}:
            return Reading(looks=looks)
        wanted = [*(["each", "name"] if name == "list" else []), "level or effective"]
        given = {
            *looks,
            *(["each"] if keys.each is not None else []),
            *(["level or effective"] if looks.keys() & {"level", "effective"} else []),
        }
        if keys.each is not None:
            self._path("each", keys.each)
        for one in wanted:
            if one not in given:
                fix = f"write {one.partition(' ')[0]}, or lines for an answer in text"
                self._report(
                    Fault(
                        "missing-key", f'"{name}" does not say where {one} stands in the answer', fix=fix, place=keys.held.place
                    )
                )
        return Reading(_text(keys.each), looks)

    def _look(self, key: str, one: Sourced[Any]) -> Look | None:
        value = one.value
        if isinstance(value, str):
            return value if self._path(key, one) else None
        if isinstance(value, dict) and set(value) == {"key"} and isinstance(value["key"], int) and 0 <= value["key"] < 100:
            return int(value["key"])
        what = f"{key} is a JSONPath, or {{key: N}}"
        self._report(Fault("wrong-value", what, fix=f'write {key}: "$.{key}"', place=one.origin.place))
        return None

    def _path(self, key: str, one: Sourced[Any]) -> bool:
        reason = self._no_path(one.value)
        if reason:
            self._report(
                Fault(
                    "wrong-value",
                    f"{key} is no JSONPath: {reason}",
                    fix='write "$.loggers[*]", or the like',
                    place=one.origin.place,
                )
            )
        return not reason

    def _lines(self, one: Sourced[str], *, listed: bool) -> Expression | None:
        try:
            found = Expression(one.value)
        except BadExpression as bad:
            self._report(Fault("bad-expression", f"this is no RE2 expression: {bad}", place=one.origin.place))
            return None
        wanted = {"name"} if listed else set()
        if not wanted <= found.groups or not found.groups & {"level", "effective"}:
            what = f"lines has no group {'name, or none of' if listed else 'called'} level or effective"
            self._report(Fault("wrong-value", what, fix=r"write (?P<name>\S+) (?P<level>\S+)", place=one.origin.place))
        return found

    def log(self, keys: LogKeys) -> Log:
        """Return a log."""
        if (keys.appender is None) == (keys.path is None):
            fix = "write {appender: NAME}, or {path: PATTERN}"
            self._report(Fault("wrong-value", "a log is an appender's, or stands at a path", fix=fix, place=keys.held.place))
        if keys.appender is not None and keys.template is not None:
            what = "template has no effect: the appender has its own"
            self._report(Fault("wrong-value", what, fix="leave it out", place=keys.held.place))
        template = None if keys.template is None else keys.template.value
        return Log(keys.held.place, _text(keys.appender), _text(keys.path), template, _text(keys.encoding) or "utf-8")
