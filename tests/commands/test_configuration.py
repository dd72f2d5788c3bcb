"""Which configuration is in force: layers, placeholders and options, through the program."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from support import DEMO, Run, event, every_other

Write = Callable[..., Path]
PLAN = """vetrina: 1
title: ${WHO:-nobody}
values:
  logs: ${LOGS:-/var/log}
  spare: x
loggers:
  root: {level: warn, to: [desk, book]}
  ropeway: info
  ropeway.gate: {level: debug, to: desk}
  lib: {level: off, enabled: false}
appenders:
  desk: {sink: console}
  book: {sink: file, path: "${logs}/book.log"}
  post: {sink: mail, host: mail.sereno.example, from: a@sereno.example, recipients: b@sereno.example, password: "${MAIL_PASSWORD:-}"}
stages:
  live:
    loggers:
      ropeway.gate: {level: info, to: {remove: [desk]}}
      ropeway.gaet: trace
"""
LAYER = "appenders:\n  desk: {floor: error}\nloggers:\n  ropeway: {level: notice}\n"


def level(run: Run, *options: str, logger: str = "ropeway.gate") -> tuple[str, str, Any]:
    found = run("levels", "plan.yaml", *options, "--json").json
    row = next(row for row in found["loggers"] if row["logger"] == logger)
    return row["effective"], row["origin"]["kind"], row["origin"]["line"]


def test_what_wins_in_the_order_of_precedence(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("layer.json", json.dumps({"loggers": {"ropeway.gate": "error"}}))
    stage, layer = ["--stage", "live"], ["--with", "layer.json"]
    option, tune = ["--set", "loggers[ropeway.gate].level=alert"], ["--tune", "ropeway.gate=trace"]

    assert level(run) == ("debug", "file", 9)
    assert level(run, *stage) == ("info", "stage", 18)
    assert level(run, *layer, *stage) == ("error", "layer", 1)
    assert level(run, *option, *layer, *stage) == ("alert", "option", None)
    assert level(run, *tune, *option, *layer, *stage) == ("trace", "option", None)
    assert level(run, "--tune", "lib=fatal", logger="lib") == ("fatal", "option", None)


def test_placeholders_take_option_then_file_then_values_then_environment(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("a.env", "# remark\nexport WHO='env file'\nLOGS=/from/file\n")

    def told(*options: str, env: dict[str, str] | None = None) -> tuple[str, str]:
        plan = run("resolve", "plan.yaml", *options, "--json", env=env).json["plan"]
        return plan["title"], plan["appenders"]["book"]["path"]

    assert told() == ("nobody", "/var/log/book.log")
    assert told(env={"WHO": "process", "logs": "unasked"}) == ("process", "/var/log/book.log")
    assert told("--env-file", "a.env", env={"WHO": "process"}) == ("env file", "/from/file/book.log")
    assert told("--env-file", "a.env", "--env", "WHO=option", "--env", "logs=here") == ("option", "here/book.log")


def test_levels_marks_what_was_changed_and_narrows_the_tree(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("levels", "plan.yaml", "--stage", "live", "--json").json["loggers"]

    def names(*options: str) -> list[str]:
        return [row["logger"] for row in run("levels", "plan.yaml", *options, "--json").json["loggers"]]

    assert {row["logger"]: row["changed_from"] for row in found if "changed_from" in row} == {
        "ropeway.gate": "debug",
        "ropeway.gaet": "info",
    }
    assert names("--under", "ropeway") == ["ropeway", "ropeway.gate"]
    assert names("--differs") == ["root", "ropeway", "ropeway.gate"]
    assert names("--find", "GATE") == ["ropeway.gate"]
    assert names("--depth", "1") == ["root", "lib", "ropeway"]
    assert "1 more logger is folded" in run("levels", "plan.yaml", "--depth", "1").out
    assert "(off duty)" in run("levels", "plan.yaml").out


def meaning(row: dict[str, Any]) -> list[Any]:
    return [row[name] for name in ("logger", "set", "effective", "climb", "delivers")]


def test_resolve_writes_a_plan_that_means_the_same(run: Run) -> None:
    for options in ([], ["--stage", "live"], ["--stage", "bench", "--with", "local.yaml", "--defaults"]):
        text = run("resolve", "plan.yaml", *options, cwd=DEMO).out
        first = run("levels", "plan.yaml", *[one for one in options if one != "--defaults"], "--json", cwd=DEMO).json
        again = run("levels", "/dev/stdin", "--json", stdin=text.encode()).json
        assert [meaning(row) for row in again["loggers"]] == [meaning(row) for row in first["loggers"]]


def test_resolve_json_bears_every_origin(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("resolve", "plan.yaml", "--stage", "live", "--env", "LOGS=/x", "--json").json
    origins = {one["path"]: (one["kind"], one["line"]) for one in found["origins"]}

    jsonschema.validate(found, run("schema", "output", "resolve").json)
    assert found["plan"]["loggers"]["root"] == {"level": "warn", "to": [{"appender": "desk"}, {"appender": "book"}]}
    assert found["plan"]["loggers"]["ropeway.gate"] == {"level": "info", "to": []}
    assert origins["loggers[ropeway.gate].level"] == ("stage", 18)
    assert origins["appenders.book.path"] == ("option", 13)
    assert origins["workdir"][0] == "default"


def test_origin_tells_the_history_of_a_value(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("layer.yaml", LAYER)
    found = run(
        "origin", "plan.yaml", "loggers[ropeway.gate].level", "--stage", "live", "--tune", "ropeway.gate=warn", "--json"
    ).json
    path = run("origin", "plan.yaml", "appenders.book.path", "--json", env={"LOGS": "/out"}).json
    jsonschema.validate(found, run("schema", "output", "origin").json)

    assert [(one["kind"], one["text"], one["line"], one["fate"]) for one in found["history"]] == [
        ("file", "debug", 9, "overruled"),
        ("stage", "info", 18, "overruled"),
        ("option", "warn", None, "in force"),
    ]
    (logs,) = path["placeholders"]
    assert (path["value"], logs["name"], logs["line"], logs["placeholders"][0]["where"]) == (
        "/out/book.log",
        "logs",
        4,
        "the process environment",
    )
    assert (
        "inherits notice from ropeway (layer.yaml:4)"
        in run("origin", "plan.yaml", "loggers[ropeway.x].level", "--with", "layer.yaml").out
    )
    assert "the default is true" in run("origin", "plan.yaml", "appenders.book.append").out
    assert "switched off" in run("origin", "plan.yaml", "loggers.lib.level").out


def test_origin_unused_finds_what_nobody_uses(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    write("layer.yaml", "loggers: {ropeway: {level: null}}\n")
    write("same.yaml", "# nothing yet\n")
    write("a.env", "WHOO=typo\n")
    found = run(
        "origin",
        "plan.yaml",
        "--unused",
        "--with",
        "layer.yaml",
        "--with",
        "same.yaml",
        "--env-file",
        "a.env",
        "--env",
        "N=1",
        "--json",
    ).json
    jsonschema.validate(found, run("schema", "output", "origin-unused").json)
    unused = {(one["kind"], one["name"]): (one["line"], one["remark"]) for one in found["unused"]}
    sources = {one["name"]: (one["set"], one["in_force"]) for one in found["sources"]}

    assert unused["value", "spare"] == (5, "")
    assert unused["appender", "post"] == (14, "attached to no logger")
    assert unused["logger in stage live", "ropeway.gaet"][1].endswith("did you mean ropeway.gate?")
    assert unused["layer file", "layer.yaml"] == (None, "none of it is in force: it only removes")
    assert unused["layer file", "same.yaml"] == (None, "says nothing")
    assert unused["env file", "a.env"] == (None, "no placeholder asks for any of them")
    assert unused["option", "--env N"] == (None, "no placeholder asks for it")
    assert sources["layer.yaml"] == (1, 0)


SECRET = "hunter-2-and-more"


@pytest.mark.parametrize(
    "words",
    [
        ["resolve", "plan.yaml"],
        ["resolve", "plan.yaml", "--json"],
        ["origin", "plan.yaml", "appenders.post.password"],
        ["origin", "plan.yaml", "appenders.post.password", "--json"],
        ["origin", "plan.yaml", "title"],
        ["levels", "plan.yaml"],
        ["routes", "plan.yaml", "week.jsonl"],
        ["routes", "plan.yaml", "week.jsonl", "--json"],
        ["why", "plan.yaml", "--logger", "a", "--level", "error"],
        ["levels", "plan.yaml", "--set", "loggers.a.level=${MAIL_PASSWORD}"],
        ["levels", "plan.yaml", "--set", "loggers.a.to=${MAIL_PASSWORD}"],
        ["levels", "plan.yaml", "--set", "zone=${MAIL_PASSWORD}"],
        ["levels", "plan.yaml", "--set", "appenders.desk.template=${MAIL_PASSWORD}"],
        ["levels", "plan.yaml", "--set", "appenders.desk.template='{${MAIL_PASSWORD}}'"],
        ["levels", "plan.yaml", "--set", "appenders.book.path='{${MAIL_PASSWORD}'"],
        ["levels", "plan.yaml", "--set", "rules=[{drop: {message: '(${MAIL_PASSWORD}'}}]"],
        ["levels", "plan.yaml", "--set", "appenders.book.roll={every: '${MAIL_PASSWORD}', rename-to: 'x{n}'}"],
    ],
)
@pytest.mark.parametrize("given", every_other(["option", "environment"]))
def test_secrets_from_outside_are_never_shown(run: Run, write: Write, words: list[str], given: str) -> None:
    write(
        "plan.yaml",
        PLAN.replace("title: ${WHO:-nobody}", 'title: "we are ${MAIL_PASSWORD:-}"').replace(
            "${logs}/book", "${logs}/${MAIL_PASSWORD:-}book"
        ),
    )
    write("week.jsonl", [event(level="error")])
    options = ["--env", f"MAIL_PASSWORD={SECRET}"] if given == "option" else []
    found = run(*words, *options, env={"MAIL_PASSWORD": SECRET})

    assert SECRET[:8] not in found.out + found.err
    assert found.out + found.err


def test_resolve_gives_secrets_back_as_placeholders(run: Run, write: Write) -> None:
    write("plan.yaml", PLAN)
    found = run("resolve", "plan.yaml", env={"MAIL_PASSWORD": SECRET})

    assert 'password: "${MAIL_PASSWORD}"' in found.out
    assert run("resolve", "plan.yaml", "--json", env={"MAIL_PASSWORD": SECRET}).json["hidden"] == ["MAIL_PASSWORD"]


@pytest.mark.parametrize(
    "options, words",
    [
        pytest.param(["--stage", "liev"], 'no stage is called "liev"\n  fix: did you mean "live"?', id="stage"),
        pytest.param(
            ["--with", "list.yaml"],
            "list.yaml:1:1: fault: a layer is a mapping like a plan, and this is a list",
            id="a layer that is a list",
        ),
        pytest.param(["--with", "two.yaml"], 'two.yaml:1:10: fault: format version "2" is not known', id="another version"),
        pytest.param(
            ["--with", "kinds.yaml"],
            "kinds.yaml:1:22: fault: a level is wanted here, and this is a list",
            id="a wrong type in a layer",
        ),
        pytest.param(["--with", "keys.yaml"], 'did you mean "ceiling"?', id="an unknown key in a layer"),
        pytest.param(["--env", "1x=2"], "not NAME=VALUE", id="--env"),
        pytest.param(["--env-file", "bad.env"], "bad.env:2:1: fault: ", id="an env file with a broken line"),
        pytest.param(["--set", "loggers"], "not PATH=VALUE", id="--set without a value"),
        pytest.param(["--set", "apenders.desk.floor=info"], 'did you mean "appenders"?', id="--set of an unknown section"),
        pytest.param(["--set", "loggers.root.to[9].floor=info"], "item [9] does not exist", id="--set past the end"),
        pytest.param(["--set", "loggers.root.to.x=info"], "the index of a list is wanted", id="--set of a key in a list"),
        pytest.param(["--set", "title=[a"], "the value is not YAML", id="--set of no YAML"),
        pytest.param(["--set", "title.x=a"], "a single value has nothing below it", id="--set below a value"),
        pytest.param(["--set", "stages.live.title=a"], "stages are chosen with --stage", id="--set of a stage"),
        pytest.param(["--set", "loggers.a.level=" + "9" * 5000], "is not a whole number from 1 to 24", id="a huge number"),
        pytest.param(["--tune", "a=loud"], 'level "loud" is not known', id="--tune"),
    ],
)
def test_bad_layers_and_options(run: Run, write: Write, options: list[str], words: str) -> None:
    write("plan.yaml", PLAN)
    write("list.yaml", "- a\n")
    write("two.yaml", "vetrina: 2\n")
    write("kinds.yaml", "loggers: {a: {level: [info]}}\n")
    write("keys.yaml", "appenders: {desk: {ceilling: info}}\n")
    write("bad.env", "A=1\nthis is no assignment\n")
    found = run("levels", "plan.yaml", *options)

    assert (found.code, found.out) == (2, "")
    assert words in found.err


def test_faults_of_all_layers_and_stages_come_in_one_run(run: Run, write: Write) -> None:
    write(
        "plan.yaml",
        PLAN.replace("ropeway.gaet: trace", "ropeway.gaet: trcae").replace("root: {level: warn", "root: {level: wran"),
    )
    write("layer.yaml", "loggers: {x: {levl: info}}\nlogers: {}\n")
    found = run("levels", "plan.yaml", "--with", "layer.yaml")
    places = [line.split(": fault")[0] for line in found.err.splitlines() if ": fault: " in line]

    assert places == ["layer.yaml:1:15", "layer.yaml:2:1", "plan.yaml:7:17", "plan.yaml:19:21"]


def test_schemas_accept_the_demo_and_reject_mistakes(run: Run) -> None:
    from vetrina.formats.documents import yaml_value

    schema = run("schema", "plan").json
    jsonschema.Draft202012Validator.check_schema(schema)
    check = jsonschema.Draft202012Validator(schema).is_valid
    plan = yaml_value((DEMO / "plan.yaml").read_text(), "plan.yaml")
    layer = {"vetrina": 1, **yaml_value((DEMO / "local.yaml").read_text(), "local.yaml")}
    first = json.loads((DEMO / "week.jsonl").read_text().splitlines()[0])
    line = jsonschema.Draft202012Validator(run("schema", "events").json)

    assert check(plan)
    assert check(layer)
    assert check({"vetrina": 1, "levels": {"wire": 7}, "loggers": {"a": "wire", "b": "WARN", "c": "${l}"}})
    assert line.is_valid(first)
    assert not line.is_valid({**first, "count": 0})
    mistakes: list[dict[str, Any]] = [
        {"logers": {}},
        {"loggers": {"a": {"levl": "info"}}},
        {"loggers": {"a": 25}},
        {"loggers": {"a": "debgu"}},
        {"stages": {"s": {"loggers": {"a": {"level": "debgu"}}}}},
        {"appenders": {"a": {"sink": "fiel"}}},
        {"deliver": "twice"},
        {"appenders": {"a": {"sink": "none", "buffer": {"age": "5 fortnights"}}}},
        {"appenders": {"a": {"sink": "file", "path": "x", "roll": {"at-size": "20 MB MB"}}}},
        {"rules": [{"drop": {"logger": 5}}]},
        {"vetrina": 2},
    ]
    for wrong in mistakes:
        assert not check({"vetrina": 1, **wrong}), wrong
