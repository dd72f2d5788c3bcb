"""Where a mimicked process writes, as a layer over its plan, and the service file that says how to talk to it."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from msgspec import Struct

from vetrina.core.plan.model import Appender, Plan
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.sink_kinds.kind import full_path
from vetrina.rehearsal.sandbox import rerooted

_SOME_TIME = datetime(2026, 11, 13, 10, 41, tzinfo=UTC)
PLACES = "places.yaml"


class Standing(Struct, frozen=True):
    """How a stand-in is read: the plan and what was laid over it, as paths from the service file's folder."""

    plan: str
    by: str
    stages: Sequence[str]
    layers: Sequence[str]


def folder_of(plan: Plan) -> str:
    """Return what relative sink paths start from below the stand-in's folder: its top, unless an absolute one leads there as well."""
    paths = [one.sink.file for one in plan.appenders.values() if one.policy is not None]
    relative = {full_path(path, "/") for path in paths if not path.startswith("/")}
    absolute = {full_path(path, "/") for path in paths if path.startswith("/")}
    return full_path(plan.folder, os.path.abspath(".")) if relative & absolute else "/"  # noqa: PTH100  (as text)


def places_of(plan: Plan, into: Path) -> tuple[dict[str, Roll], str]:
    """Return the file appenders whose files below ``into`` can be said in a plan, and a layer that says them."""
    folder, top = folder_of(plan), str(into.absolute() / "files")
    found: dict[str, Roll] = {}
    lines = ["# Where the stand-in writes; made by vetrina mimic.", "vetrina: 1", "appenders:"]
    for name, one in plan.appenders.items():
        if one.policy is None or not _plain(one.policy, folder):
            continue
        found[name] = one.policy
        lines.append(f"  {_quoted(name)}:")
        lines.append(f"    path: {_quoted(top + full_path(one.policy.path.text, folder))}")
        if one.policy.rename_to is not None:
            lines.append(f"    roll: {{rename-to: {_quoted(top + full_path(one.policy.rename_to.text, folder))}}}")
    return found, "\n".join(lines if found else [*lines[:-1], "appenders: {}"]) + "\n"


def _plain(roll: Roll, folder: str) -> bool:
    """Tell whether a policy's names stay as they are below another folder."""
    names = [full_path(one.fill(_SOME_TIME, 1), folder) for one in (roll.path, roll.rename_to) if one is not None]
    return all(f"/{rerooted(name)}" == name for name in names)


def service_text(plan: Plan, standing: Standing, port: int, into: str, said: Sequence[str]) -> str:
    """Return the text of a service file for a stand-in that listens at a port and writes below ``into``."""
    lines = [
        "# How to talk to the stand-in; made by vetrina mimic, and gone with it.",
        "vetrina-service: 1",
        f"title: {_quoted((plan.title or plan.name) + ' (stand-in)')}",
        f"plan: {_quoted(standing.plan)}",
        *([f"by: {_quoted(standing.by)}"] if standing.by else []),
        *([f"stages: [{', '.join(map(_quoted, standing.stages))}]"] if standing.stages else []),
        f"with: [{', '.join(map(_quoted, standing.layers))}]",
        f'values: {{room: "127.0.0.1:{port}"}}',
        'http: {base: "http://${room}", timeout: 5 seconds}',
        'list: {get: /levels, each: "$.loggers[*]", name: "$.name", level: "$.level", effective: "$.effective"}',
        'read: {get: "/levels/{logger}", name: "$.name", level: "$.level", effective: "$.effective"}',
        'set: {put: "/levels/{logger}", json: {level: "{level}"}}',
        'clear: {delete: "/levels/{logger}"}',
        'mark: {post: /marks, json: {text: "{text}"}}',
        "logs:",
        *(f"  - {{appender: {_quoted(name)}}}" for name in said),
        *_consoles(plan, into),
    ]
    if lines[-1] == "logs:":
        lines[-1] = "logs: []"
    return "\n".join(lines) + "\n"


def _consoles(plan: Plan, into: str) -> list[str]:
    """Return the logs of the console streams; those that several templates write are bytes only."""
    streams: dict[str, list[Appender]] = {}
    for one in plan.appenders.values():
        if one.sink.kind == "console" and one.enabled.value:
            streams.setdefault(one.sink.text("stream", "stdout"), []).append(one)
    lines = []
    for stream, some in streams.items():
        named = [name for name, template in plan.templates.items() if template is some[0].template]
        template = f", template: {_quoted(named[0])}" if named and len({id(one.template) for one in some}) == 1 else ""
        lines.append(f"  - {{path: {_quoted(f'{into}/console/{stream}.txt')}{template}}}")
    return lines


def _quoted(text: str) -> str:
    """Return a text as YAML, in which nothing is a placeholder."""
    return json.dumps(text, ensure_ascii=False).replace("${", "$${")
