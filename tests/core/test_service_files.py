"""Service files: what they mean, and that every fault is told at its place; the reader and the schema refuse the same."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import pytest
import yaml
from jsonschema import Draft202012Validator
from msgspec import UNSET

from vetrina.core.base.faults import Refused
from vetrina.core.base.hidden import shown
from vetrina.core.services.service import Service
from vetrina.formats.services import read_service, service_schema

Write = Callable[..., Path]
WHOLE = r"""vetrina-service: 1
title: control room
plan: plan.yaml
stages: [live]
values: {room: "127.0.0.1:8700"}
levels: {Whisper: debug}
root: TOP
http: {base: "http://${room}", headers: {X-Key: "${ROOM_KEY:-none}"}, timeout: 3 seconds}
list: {get: /levels, each: "$.loggers[*]", name: {key: 0}, level: "$.level", effective: "$.effective"}
read: {run: [room, level, "{logger}"], lines: '(?P<level>\S+)'}
set: {put: "/levels/{logger}", json: {level: "{level}", keep: null}, expect: [200, 204], headers: {X-Why: secret words}}
clear: {delete: "/levels/{logger}"}
mark: {post: /marks, text: "{text}", timeout: 1 minute}
logs:
  - {appender: daybook}
  - {path: logs/access*.log, template: "{time|%H:%M:%S} {message}", encoding: latin-1}
"""


def read(folder: Path, text: str, **more: object) -> Service:
    path = folder / "room.service.yaml"
    path.write_text(text, encoding="utf-8")
    return read_service(path, environment={"ROOM_KEY": "key-20817"}, **more)  # type: ignore[arg-type]


def test_a_whole_service_file(tmp_path: Path) -> None:
    found = read(tmp_path, WHOLE)
    levels = {word: one.value for word, one in found.levels.items()}
    assert (found.title, found.plan, found.stages, levels, found.root) == (
        "control room",
        "plan.yaml",
        ("live",),
        {"Whisper": "debug"},
        "TOP",
    )
    assert found.http is not None
    assert (found.http.base, found.http.headers, found.http.timeout) == (
        "http://127.0.0.1:8700",
        {"X-Key": "key-20817"},
        timedelta(seconds=3),
    )
    listed, one, changed, marked = (found.steps[name] for name in ("list", "read", "set", "mark"))
    assert (listed.method, listed.target, listed.reading.each, dict(listed.reading.looks)) == (
        "get",
        "/levels",
        "$.loggers[*]",
        {"name": 0, "level": "$.level", "effective": "$.effective"},
    )
    assert (one.run, one.reading.lines is not None) == (("room", "level", "{logger}"), True)
    assert (changed.json, changed.expect, listed.json) == ({"level": "{level}", "keep": None}, frozenset({200, 204}), UNSET)
    assert (marked.text, marked.timeout) == ("{text}", timedelta(minutes=1))
    assert [(log.appender, log.path, log.encoding) for log in found.logs] == [
        ("daybook", "", "utf-8"),
        ("", "logs/access*.log", "latin-1"),
    ]
    assert shown("the key-20817 and secret words") == "the *** and ***"


def test_values_come_from_outside_first(tmp_path: Path) -> None:
    found = read(tmp_path, WHOLE, env=["room=valley:1", "ROOM_KEY=other-key"])
    assert found.http is not None
    assert (found.http.base, found.http.headers) == ("http://valley:1", {"X-Key": "other-key"})


LIST = 'list: {get: /levels, each: "$[*]", name: "$.n", level: "$.l"}\n'
HEAD = "vetrina-service: 1\nhttp: {base: 'http://h'}\n"
FAULTS = [
    ("", "no service file"),
    ("title: x\n", "no service file of a known version"),
    ("vetrina-service: 2\n", "known version"),
    ("vetrina-service: 1\n", "no step asks this service"),
    (f"vetrina-service: 1\n{LIST}", "there is no http"),
    (f"vetrina-service: 1\nhttp: {{base: h}}\n{LIST}", "base is no URL"),
    (f"vetrina-service: 1\nhttp: {{}}\n{LIST}", '"base"'),
    (f"{HEAD}{LIST}titel: x\n", '"titel" is not a known key'),
    (f"{HEAD}lst: {{}}\n", '"lst" is not a known key'),
    (f"{HEAD}list: {{}}\n", "does not say what is done"),
    (f"{HEAD}list: {{get: /a, put: /b}}\n", "in 2 ways"),
    (f"{HEAD}list: {{get: /a, json: 1, each: $, name: $, level: $}}\n", "sends json by get"),
    (f"{HEAD}{LIST}set: {{put: /a, json: 1, text: x}}\n", "sends json and text"),
    (f"{HEAD}list: {{run: [room], headers: {{a: b}}, lines: '(?P<name>a)(?P<level>b)'}}\n", "a program has none"),
    (f"{HEAD}list: {{get: /a, name: $, level: $}}\n", "where each stands"),
    (f"{HEAD}list: {{get: /a, each: $, level: $}}\n", "where name stands"),
    (f"{HEAD}list: {{get: /a, each: $, name: $}}\n", "where level or effective stands"),
    (f"{HEAD}list: {{get: /a, each: '$.[', name: $, level: $}}\n", "each is no JSONPath"),
    (f"{HEAD}list: {{get: /a, each: $, name: 7, level: $}}\n", "name is a JSONPath, or {key: N}"),
    (f"{HEAD}list: {{get: /a, each: $, name: {{key: -1}}, level: $}}\n", "name is a JSONPath"),
    (f"{HEAD}list: {{get: /a, lines: '('}}\n", "no RE2 expression"),
    (f"{HEAD}list: {{get: /a, lines: '(?P<level>x)'}}\n", "lines has no group"),
    (f"{HEAD}list: {{get: /a, lines: '(?P<name>x)(?P<level>x)', each: $}}\n", "as lines and as JSON"),
    (f"{HEAD}list: {{get: /a, expect: 99, each: $, name: $, level: $}}\n", "must be from 100 to 599"),
    (f"{HEAD}list: {{get: /a, timeout: soon, each: $, name: $, level: $}}\n", "no duration"),
    (f"{HEAD}{LIST}logs: [{{appender: a, path: b}}]\n", "a log is an appender's, or stands at a path"),
    (f"{HEAD}{LIST}logs: [{{}}]\n", "a log is an appender's, or stands at a path"),
    (f"{HEAD}{LIST}logs: [{{appender: a, template: x}}]\n", "template has no effect"),
    (f"{HEAD}{LIST}title: ${{none}}\n", "none"),
    (f"{HEAD}{LIST}run: [a]\n", '"run" is not a known key'),
    ("vetrina-service: 1\nlist: [\n", ""),
]


@pytest.mark.parametrize(("text", "what"), FAULTS)
def test_faults_are_told_at_their_place(tmp_path: Path, text: str, what: str) -> None:
    with pytest.raises(Refused) as found:
        read(tmp_path, text)
    faults = found.value.faults
    assert any(what in one.what for one in faults), faults
    assert all(one.place is not None or one.where for one in faults)


def test_the_schema_takes_what_the_reader_takes() -> None:
    validator = Draft202012Validator(service_schema())
    validator.validate(yaml.safe_load(WHOLE))
    validator.validate(yaml.safe_load(HEAD + LIST))
    for text in (
        f"{HEAD}{LIST}titel: x\n",
        f"{HEAD}list: {{get: 7}}\n",
        f"{HEAD}list: {{get: /a, expect: 99}}\n",
        "title: x\n",
    ):
        assert list(validator.iter_errors(yaml.safe_load(text)))
