"""Who said what about one value, what was read and what nothing uses; and the rows of the tree of loggers."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import NAMES, document, in_force, loggers
from vetrina.core.base.faults import Refused
from vetrina.core.base.logger_names import below
from vetrina.core.config.accounts import changes_nothing, sources, stray_entries, unused
from vetrina.core.config.history import hidden_names, history
from vetrina.core.config.resolution import LayerFile, ResolvedPlan, SetOption, TuneOption, parse_path
from vetrina.core.plan.loggers import Tree
from vetrina.core.routing.level_rows import Selection, level_rows
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import read_document

PLAN = """vetrina: 1
zone: Europe/Rome
values: {folder: logs, spare: x, deep: "${folder}/old"}
loggers:
  root: {level: warn, to: [desk, log]}
  a: info
  a.off: {level: debug, enabled: false}
appenders:
  desk: {sink: console}
  log: {sink: file, path: "${deep}/a.log", append: false}
templates: {short: "{message}", other: "{time}"}
stages:
  live: {loggers: {a: {level: error}}}
  quiet: {loggers: {a: {level: null}}}
  same: {zone: Europe/Rome}
"""


def layer(name: str, text: str) -> LayerFile:
    return LayerFile(name, read_document(text, Source(name, "file", text), lambda _fault: None))


def setting(text: str) -> SetOption:
    steps, rest = parse_path(text)
    source = Source(f"--set {text}", "option", rest[1:])
    node = read_document(rest[1:], source, lambda _fault: None)
    assert node is not None
    return SetOption(f"--set {text}", steps, node, source)


def tuning(logger: str, level: str) -> TuneOption:
    text = f"--tune {logger}={level}"
    return TuneOption(text, logger, level, Source(text, "option", level))


@pytest.mark.parametrize(
    "path, stages, sets, now, remark",
    [
        ("zone", (), (), "Europe/Rome", ""),
        ("loggers.a.level", (), (), "info", ""),
        ("loggers.a.level", ("live",), (), "error", ""),
        ("loggers.a.level", ("quiet",), (), "", "no layer sets a level for a; it inherits warn from root (plan.yaml:5)"),
        ("loggers[a.b].level", (), (), "", "no layer sets a level for a.b; it inherits info from a (plan.yaml:6)"),
        ("loggers.a.level", ("live",), ("loggers.a.level=debug",), "debug", ""),
        ("appenders.log.path", (), (), "logs/old/a.log", ""),
        ("appenders.log.encoding", (), (), "", "no layer says anything about it; the default is utf-8"),
        ("appenders.desk.floor", (), (), "", "no layer says anything about it"),
        ("loggers.root.to", (), (), "[desk, log]", ""),
        ("loggers.root.to[1].appender", (), (), "log", ""),
        ("appenders.log", (), (), "3 keys", ""),
        ("title", (), (), "", "no layer says anything about it"),
    ],
)
def test_the_history_of_a_value(path: str, stages: tuple[str, ...], sets: tuple[str, ...], now: str, remark: str) -> None:
    found = history(in_force(PLAN, stages=stages, sets=tuple(map(setting, sets))), path)

    assert found.now == now
    assert remark in found.remark


def test_every_saying_stands_in_order_with_its_fate() -> None:
    found = in_force(PLAN, stages=("live",), layers=(layer("l.yaml", "loggers: {a: trace}\n"),), tunes=(tuning("a", "fatal"),))
    told = history(found, "loggers.a.level")

    assert [(one.layer.kind, one.layer.label, one.text) for one in told.sayings] == [
        ("file", "plan.yaml", "info"),
        ("stage", "live", "error"),
        ("layer", "l.yaml", "trace"),
        ("option", "--tune a=fatal", "fatal"),
    ]
    assert len({one.fate for one in told.sayings}) == 2, "overruled, and the last word"
    assert told.now == "fatal"


def test_placeholders_tell_their_way() -> None:
    (use,) = history(in_force(PLAN), "appenders.log.path").uses
    assert (use.name, use.source, use.text) == ("deep", "value", "logs/old")
    assert [(one.name, one.source, one.text) for one in use.inner] == [("folder", "value", "logs")]
    (outside,) = history(in_force(PLAN, env={"deep": "/var"}), "appenders.log.path").uses
    assert (outside.source, outside.text, outside.inner) == ("option", "/var", ())


@pytest.mark.parametrize(
    "path, words",
    [
        ("lvel", 'there is no "lvel"'),
        ("loggers.a.lvel", 'did you mean "level"?'),
        ("appenders.dask", 'did you mean "desk"?'),
        ("zone.x", "a single value has nothing below it"),
        ("loggers.root.to[7]", "the list has 2 items, counted from 0"),
        ("loggers.root.to[x]", "the list has 2 items"),
        ("zone=x", "a path has no ="),
        ("", "the path is empty"),
        ("[a", "no step of a path"),
    ],
)
def test_what_is_no_path_of_the_plan(path: str, words: str) -> None:
    with pytest.raises(Refused) as refused:
        history(in_force(PLAN), path)

    (fault,) = refused.value.faults
    assert words in f"{fault.what} {fault.why} {fault.fix}"


def accounts(found: ResolvedPlan) -> list[tuple[str, str, int, int, str]]:
    return [(one.kind, one.name, one.set_values, one.in_force, one.remark) for one in sources(found)]


def test_every_source_is_accounted_for() -> None:
    layers = (layer("empty.yaml", "{}\n"), layer("over.yaml", "loggers: {a: fatal}\n"), layer("gone.yaml", "title: null\n"))
    found = in_force(PLAN, stages=("live",), layers=layers, env={"deep": "/var", "idle": "y"}, tunes=(tuning("a", "trace"),))
    told = accounts(found)

    assert [(kind, name) for kind, name, *_ in told] == [
        ("plan", "plan.yaml"), ("stage", "live"), ("layer file", "empty.yaml"), ("layer file", "over.yaml"), ("layer file", "gone.yaml"),
        ("option", "--tune a=trace"), ("option", "--env deep"), ("option", "--env idle"),
    ]  # fmt: skip
    assert [row[4] for row in told] == [
        "", "none of it is in force: others overrule it", "says nothing", "none of it is in force: others overrule it",
        "none of it is in force: it only removes", "", "", "no placeholder asks for it",
    ]  # fmt: skip
    assert told[0][2] > told[0][3] > 0
    assert told[5][2:4] == (2, 2), "a level, and that the logger is on"


def test_what_nothing_uses() -> None:
    found = in_force(PLAN, stages=("same",))
    told = {(one.kind, one.name) for one in unused(found)}

    assert {name for kind, name in told if "value" in kind} == {"spare"}
    assert {name for kind, name in told if "template" in kind} == {"short", "other"}
    assert [one.label for one, _ in changes_nothing(found)] == ["same"]
    assert changes_nothing(in_force(PLAN, stages=("live",))) == []


def test_an_entry_of_a_layer_that_names_nothing_in_the_plan_is_stray() -> None:
    found = in_force(PLAN, layers=(layer("l.yaml", "loggers: {ropeway: debug}\ntemplates: {shrot: '{level}'}\n"),))

    assert "shrot" in {one.name.rpartition(" ")[2] for one in stray_entries(found)}


def test_names_of_hidden_values() -> None:
    body = (
        'vetrina: 1\nappenders: {m: {sink: mail, host: h, from: a@b.example, recipients: c@d.example, password: "${PASS}"}}\n'
    )

    assert hidden_names(in_force(body.replace("${PASS}", "${MAIL_PASSWORD}"), env={"MAIL_PASSWORD": "sesame-4711"})) == [
        "MAIL_PASSWORD"
    ]


@given(loggers(), st.lists(NAMES, max_size=3), NAMES)
def test_rows_are_the_tree_in_its_order(entries: dict[str, dict[str, object]], asked: list[str], under: str) -> None:
    plan = in_force(document(entries)).plan
    tree = Tree(plan)
    rows, total = level_rows(plan, Selection(tuple(asked)))
    names = [row.logger for row in rows]

    assert total == len(rows) == len({"root", *plan.loggers, *asked})
    assert names[0] == "root"
    for at, row in enumerate(rows):
        standing = tree.standing(row.logger)
        inherited = None if row.logger == "root" else standing.inherited_from
        assert (row.effective, row.inherited_from) == (standing.severity, inherited)
        above = [one for one in names if one != row.logger and below(row.logger, one, ".")]
        assert row.depth == len(above)
        assert all(names.index(one) < at for one in above)
    part, whole = level_rows(plan, Selection(tuple(asked), under=under))
    assert whole == total
    assert [row.logger for row in part] == [name for name in names if below(name, under, ".")]
    found, _ = level_rows(plan, Selection(tuple(asked), find="AB"))
    assert [row.logger for row in found] == [name for name in names if "ab" in name]
    for depth in (0, 1, 2):
        shallow, _ = level_rows(plan, Selection(tuple(asked), depth=depth))
        assert [row.logger for row in shallow] == [row.logger for row in rows if row.depth <= depth]
        assert sum(row.folded for row in shallow) + len(shallow) == total


@pytest.mark.parametrize(
    "selection, shown",
    [
        (Selection(differs=True), ["root", "a"]),
        (Selection(("a.b.c",), only=True), ["root", "a", "a.b.c"]),
        (Selection(("b",)), ["root", "a", "a.off", "b"]),
        (Selection(under="a"), ["a", "a.off"]),
        (Selection(under="nobody"), []),
    ],
)
def test_which_rows_are_chosen(selection: Selection, shown: list[str]) -> None:
    rows, _ = level_rows(in_force(PLAN).plan, selection)

    assert [row.logger for row in rows] == shown


def test_rows_tell_what_a_change_changed() -> None:
    found = in_force(PLAN, stages=("live",))
    rows, _ = level_rows(found.plan, Selection(("a.x",)), found.bare_plan())

    assert {row.logger: row.changed for row in rows} == {"root": "", "a": "info", "a.off": "info", "a.x": "info"}
    assert {row.logger: row.enabled for row in rows} == {"root": True, "a": True, "a.off": False, "a.x": True}
    assert all(row.delivers == ("desk", "log") for row in rows)
