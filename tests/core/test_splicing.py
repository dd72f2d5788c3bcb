"""A change written into a plan's text: the table of places, and that every other byte stays on random plans."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plans import in_force
from vetrina.core.base.faults import Refused
from vetrina.core.config.edits import changed_lines
from vetrina.core.config.resolution import ResolvedPlan, SetOption, parse_path
from vetrina.core.config.splices import Target
from vetrina.core.config.splicing import splice
from vetrina.core.schema.nodes import Source, synthetic
from vetrina.formats.documents import read_document

BASE = """vetrina: 1
# the control room
loggers:
  root: {level: warn, to: [desk]}  # everything
  ropeway: info       # short
  ropeway.gate:
    level: 'debug'    # quoted
    to:
      - desk          # first
      - appender: log
        floor: error
appenders:
  desk: {sink: console}
  log: {sink: file, path: "${logs:-/x}/a.log"}
stages:
  live:
    loggers: {ropeway: {level: error}}
"""


def option(text: str) -> SetOption:
    parsed = parse_path(text)
    source = Source(f"--set {text}", "option", parsed[1][1:])
    node = read_document(parsed[1][1:], source, lambda _fault: None) or synthetic(source, "")
    return SetOption(f"--set {text}", parsed[0], node, source)


def spliced(text: str, change: str, target: Target | None = None, **asked: object) -> tuple[str, ResolvedPlan]:
    """Return the text with the change made, after it was verified to do what the option does."""
    edit = option(change)
    found = in_force(text, **asked)
    one = splice(found, edit, target)
    after = one.onto(text)
    if target is None:
        assert changed_lines(in_force(after, **asked), in_force(text, **asked, sets=(edit,))) == []
    return after, found


@pytest.mark.parametrize(
    "change, old, new",
    [
        ("loggers.root.level=info", "{level: warn, to", "{level: info, to"),
        ("loggers.ropeway.level=debug", "ropeway: info  ", "ropeway: debug  "),
        ("loggers.ropeway=debug", "ropeway: info  ", "ropeway: debug  "),
        ("loggers.ropeway.climb=false", "ropeway: info  ", "ropeway: {level: info, climb: false}  "),
        ("loggers[ropeway.gate].level=trace", "level: 'debug'", "level: 'trace'"),
        ("loggers[ropeway.gate].level=9", "level: 'debug'", "level: 9"),
        ("loggers[ropeway.gate].to[1].floor=warn", "floor: error", "floor: warn"),
        ("loggers[ropeway.gate].to={add: [log]}", "        floor: error\n", "        floor: error\n      - log\n"),
        ("loggers[ropeway.gate].to={remove: [log]}", "\n      - appender: log\n        floor: error", ""),
        ("loggers[ropeway.gate].to={remove: [desk], add: [desk]}", "      - desk          # first\n      - appender: log\n        floor: error\n", "      - appender: log\n        floor: error\n      - desk\n"),
        ("loggers[ropeway.gate].to={remove: [desk, log], add: [log]}", "- desk          # first\n      - appender: log\n        floor: error", "[log]"),
        ("loggers.root.to={add: [log]}", "to: [desk]", "to: [desk, log]"),
        ("loggers.root.to={remove: [desk], add: [log]}", "to: [desk]", "to: [log]"),
        ("loggers[a.b].level=trace", "        floor: error\n", "        floor: error\n  a.b: trace\n"),
        ("loggers[a.b].climb=false", "        floor: error\n", "        floor: error\n  a.b: {climb: false}\n"),
        ("loggers[ropeway.gate].climb=false", "        floor: error\n", "        floor: error\n    climb: false\n"),
        ("loggers.root.note=x, y", "to: [desk]}", 'to: [desk], note: "x, y"}'),
        ("appenders.desk.floor=warn", "{sink: console}", "{sink: console, floor: warn}"),
        ("zone=Europe/Rome", "{level: error}}\n", "{level: error}}\nzone: Europe/Rome\n"),
        ("templates.short='{message}'", "{level: error}}\n", '{level: error}}\ntemplates: {short: "{message}"}\n'),
        ("loggers[ropeway.gate]=null", "\n    level: 'debug'    # quoted\n    to:\n      - desk          # first\n      - appender: log\n        floor: error", "\n    null"),
    ],
)  # fmt: skip
def test_a_value_takes_the_old_ones_place(change: str, old: str, new: str) -> None:
    assert BASE.count(old) == 1
    text, _ = spliced(BASE, change)

    assert text == BASE.replace(old, new)


def test_a_value_is_written_where_it_is_decided() -> None:
    text, _ = spliced(BASE, "loggers.ropeway.level=debug", stages=("live",))

    assert text == BASE.replace("ropeway: {level: error}", "ropeway: {level: debug}")


@pytest.mark.parametrize(
    "change, old, new",
    [
        ("{remove: [b, c]}", '["a", "b", "c"]', '["a"]'),
        ("{remove: [a, c], add: [a]}", '["a", "b", "c"]', '["b", "a"]'),
        ("{remove: [b]}", '["a", "b", "c"]', '["a", "c"]'),
    ],
)
def test_a_list_in_json_stays_json(change: str, old: str, new: str) -> None:
    import json

    text = '{"vetrina": 1, "loggers": {"root": {"to": ["a", "b", "c"]}}, "appenders": {"a": {"sink": "none"}, "b": {"sink": "none"}, "c": {"sink": "none"}}}'

    after, _ = spliced(text, f"loggers.root.to={change}")

    assert after == text.replace(old, new)
    json.loads(after)


def test_a_stage_can_be_named() -> None:
    text, _ = spliced(BASE, "loggers.ropeway.level=trace", Target("stage", "live"))
    new, _ = spliced(BASE, "loggers.ropeway.level=trace", Target("stage", "bench"))

    assert text == BASE.replace("ropeway: {level: error}", "ropeway: {level: trace}")
    assert in_force(new, stages=("bench",)).plan.loggers["ropeway"].level.value == 1  # type: ignore[union-attr]


def test_line_ends_and_json_are_kept() -> None:
    crlf = BASE.replace("\n", "\r\n")
    json = '{\n  "vetrina": 1,\n  "loggers": {\n    "root": {"level": "warn"}\n  }\n}\n'

    assert spliced(crlf, "loggers[a.b].level=trace")[0] == crlf.replace(
        "        floor: error\r\n", "        floor: error\r\n  a.b: trace\r\n"
    )
    assert spliced(json, "loggers.a.level=debug")[0] == json.replace('"warn"}\n', '"warn"},\n    "a": {"level": "debug"}\n')


@pytest.mark.parametrize(
    "text, change, expected",
    [
        (BASE, "appenders.log.path=b.log", "a placeholder decides this value"),
        ("vetrina: 1\nloggers: {a: &x {level: info}, b: *x}\n", "loggers.a.level=debug", "shared by an alias"),
        ("vetrina: 1\nloggers: {a: {level: &x info}, b: {level: *x}}\n", "loggers.b.level=debug", "shared by an alias"),
        (BASE, "loggers.root.to[3]=desk", "is not in this list"),
    ],
)
def test_what_another_place_decides_is_refused(text: str, change: str, expected: str) -> None:
    with pytest.raises(Refused) as refused:
        splice(in_force(text), option(change))

    assert expected in refused.value.faults[0].what


REMARKS = st.sampled_from(["", "  # why", "   # ü – 运行中"])
LEVELS = st.sampled_from(["info", "'warn'", '"error"', "9"])
NAMES = st.sampled_from(["a", "a.b", "c d", "ü", "x.y.z"])


@st.composite
def texts(draw: st.DrawFn) -> str:
    """Return a plan in mixed styles, with remarks everywhere."""
    names = draw(st.lists(NAMES, min_size=1, max_size=4, unique=True))
    lines = ["# top", "vetrina: 1", "loggers:" + draw(REMARKS)]
    for name in names:
        level, remark = draw(LEVELS), draw(REMARKS)
        quoted = f'"{name}"' if " " in name or draw(st.booleans()) else name
        lines += draw(
            st.sampled_from(
                [
                    [f"  {quoted}: {level}{remark}"],
                    [f"  {quoted}: {{level: {level}, climb: false}}{remark}"],
                    [f"  {quoted}: {{climb: true, # odd", f"    level: {level}}}{remark}"],
                    [f"  {quoted}:{remark}", "    # inside", f"    climb: false{remark}", f"    level: {level}{remark}"],
                    [f"  {quoted}: {{}}{remark}"],
                ]
            )
        )
        lines += draw(st.sampled_from([[], [""], ["# between"]]))
    return draw(st.sampled_from(["\n", "\r\n"])).join([*lines, *draw(st.sampled_from([[], [""], ["zone: UTC"]]))])


@settings(max_examples=200)
@given(texts(), NAMES, st.sampled_from(["level=trace", "climb=false", "note=new words", "enabled=true", "to=[]"]))
def test_every_other_byte_stays(text: str, name: str, change: str) -> None:
    found = in_force(text)
    edit = option(f'loggers["{name}"].{change}')

    one = splice(found, edit)
    after = one.onto(text)

    assert after.startswith(text[: one.start])
    assert after.endswith(text[one.end :])
    assert one.end - one.start <= len('"error"')
    assert changed_lines(in_force(after), in_force(text, sets=(edit,))) == []
