"""The keys of a service file: one table for reading it, for its faults and for its schema."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from vetrina.core.base.origins import Sourced
from vetrina.core.schema.containers import Key, ListOf, MapOf, Record, Section
from vetrina.core.schema.kinds import Anything, DurationKind, Text, Whole

VERSION = 1
METHODS = ("get", "put", "post", "patch", "delete")
STEPS = ("list", "read", "set", "clear", "mark")


class StepKeys(Section, frozen=True):
    """A request, or a program, and how its answer is read."""

    get: Sourced[str] | None = None
    put: Sourced[str] | None = None
    post: Sourced[str] | None = None
    patch: Sourced[str] | None = None
    delete: Sourced[str] | None = None
    run: tuple[Sourced[str], ...] | None = None
    json: Sourced[Any] | None = None
    form: dict[str, Sourced[str]] | None = None
    text: Sourced[str] | None = None
    headers: dict[str, Sourced[str]] | None = None
    expect: tuple[Sourced[int], ...] | None = None
    timeout: Sourced[timedelta] | None = None
    each: Sourced[str] | None = None
    name: Sourced[Any] | None = None
    level: Sourced[Any] | None = None
    effective: Sourced[Any] | None = None
    lines: Sourced[str] | None = None


class HttpKeys(Section, frozen=True):
    """What all requests share."""

    base: Sourced[str] | None = None
    headers: dict[str, Sourced[str]] | None = None
    timeout: Sourced[timedelta] | None = None
    ca: Sourced[str] | None = None


class LogKeys(Section, frozen=True):
    """A log that the service writes."""

    appender: Sourced[str] | None = None
    path: Sourced[str] | None = None
    template: Sourced[str] | None = None
    encoding: Sourced[str] | None = None


class ServiceKeys(Section, frozen=True):
    """A service file."""

    title: Sourced[str] | None = None
    plan: Sourced[str] | None = None
    by: Sourced[str] | None = None
    stages: tuple[Sourced[str], ...] | None = None
    with_: tuple[Sourced[str], ...] | None = None
    levels: dict[str, Sourced[str]] | None = None
    separator: Sourced[str] | None = None
    root: Sourced[str] | None = None
    http: HttpKeys | None = None
    list: StepKeys | None = None
    read: StepKeys | None = None
    set: StepKeys | None = None
    clear: StepKeys | None = None
    mark: StepKeys | None = None
    logs: tuple[LogKeys, ...] | None = None


_TEXTS = MapOf(Text(as_written=True))
_LOOK = "a JSONPath within it, or {key: N}: the name of the member, 0 for its own"
STEP = Record(
    name="a step",
    into=StepKeys,
    keys={
        **{one: Key(Text(empty=False), f"the path of a {one.upper()} request, below http.base", example=f"{{{one}: /levels}}") for one in METHODS},
        "run": Key(ListOf(Text(as_written=True), least=1), "a program and its arguments, never through a shell", example="[room, levels]"),
        "json": Key(Anything(), "what is sent as JSON; {logger}, {level} and {text} stand for what is asked", example='{level: "{level}"}'),
        "form": Key(_TEXTS, "what is sent as a form", example='{level: "{level}"}'),
        "text": Key(Text(as_written=True), "what is sent as text", example='"{level}"'),
        "headers": Key(_TEXTS, "further headers; their values are never shown", example="{X-Key: abc}"),
        "expect": Key(ListOf(Whole(low=100, high=599), single=True), "the answers that are fine", default="any 2xx", example="[200, 204]"),
        "timeout": Key(DurationKind(), "how long the whole answer may take", default="that of http", example="5 seconds"),
        "each": Key(Text(empty=False), "a JSONPath to the loggers in the answer", example="$.loggers[*]"),
        "name": Key(Anything(), f"where the logger's name stands: {_LOOK}", example="$.name"),
        "level": Key(Anything(), f"where the level that is set stands: {_LOOK}", example="$.level"),
        "effective": Key(Anything(), f"where the level in effect stands: {_LOOK}", example="$.effective"),
        "lines": Key(Text(empty=False), "for text answers: an RE2 expression with the groups name, level, effective", example="'(?P<name>\\S+) (?P<level>\\S+)'"),
    },
)  # fmt: skip
HTTP = Record(
    name="what requests share",
    into=HttpKeys,
    keys={
        "base": Key(Text(empty=False), "the URL that paths stand below", required=True, example="http://127.0.0.1:8700"),
        "headers": Key(_TEXTS, "headers of every request; their values are never shown", example='{X-Key: "${ROOM_KEY:-}"}'),
        "timeout": Key(DurationKind(), "how long a whole answer may take", default="5 seconds", example="5 seconds"),
        "ca": Key(Text(), "a file of certificates to trust, relative to this file", example="room.pem"),
    },
)
LOG = Record(
    name="a log",
    into=LogKeys,
    keys={
        "appender": Key(Text(empty=False), "the plan's appender, with its template and its files", example="daybook"),
        "path": Key(Text(empty=False), "a path or a pattern, relative to this file", example="logs/access*.log"),
        "template": Key(Text(), "the name of the plan's template, or a text", example="'{time} {message}'"),
        "encoding": Key(Text(), "its encoding", default="utf-8", example="latin-1"),
    },
)
_HELP = {
    "list": "asks for all loggers", "read": "asks for one logger", "set": "sets a logger's level",
    "clear": "makes a logger inherit its level again", "mark": "writes one line into the service's log",
}  # fmt: skip
_EXAMPLES = {
    "list": '{get: /levels, each: "$.loggers[*]", name: "$.name", level: "$.level"}', "read": '{get: "/levels/{logger}", level: "$.level"}',
    "set": '{put: "/levels/{logger}", json: {level: "{level}"}}', "clear": '{delete: "/levels/{logger}"}', "mark": '{post: /marks, json: {text: "{text}"}}',
}  # fmt: skip
SERVICE = Record(
    name="a service file",
    into=ServiceKeys,
    keys={
        "vetrina-service": Key(Whole(), "version of the format", required=True, example="1"),
        "title": Key(Text(), "what the service is", example="control room, valley station"),
        "plan": Key(Text(empty=False), "the plan that ought to hold, relative to this file", example="plan.yaml"),
        "by": Key(Text(empty=False), "the mapping, where the plan is a document", example="kiosk.mapping.yaml"),
        "stages": Key(ListOf(Text(), single=True), "stages that are laid over the plan", example="[live]"),
        "with": Key(ListOf(Text(), single=True), "partial plans that are laid over it, relative to this file", example="[local.yaml]"),
        "values": Key(MapOf(Text(as_written=True)), "texts for placeholders, anywhere in this file", example='{room: "127.0.0.1:8700"}'),
        "levels": Key(MapOf(Text(as_written=True)), "the service's words for levels, ignoring case", example="{whisper: debug}"),
        "separator": Key(Text(empty=False), "between the segments of its loggers' names", default="the plan's", example='"."'),
        "root": Key(Text(), "what it calls the root logger", default="root", example="TOP"),
        "http": Key(HTTP, "what requests share", example="{base: http://127.0.0.1:8700}"),
        **{one: Key(STEP, _HELP[one], example=_EXAMPLES[one]) for one in STEPS},
        "logs": Key(ListOf(LOG), "where it writes", example="[{appender: daybook}, {path: logs/raw.log}]"),
    },
)  # fmt: skip
