"""Every kind of value: what it takes, what it makes of it, and what it says of the rest."""

from __future__ import annotations

from datetime import timedelta

import pytest

from plans import faults, in_force
from vetrina.core.base.levels import LevelRange
from vetrina.core.plan.conditions import LevelIs
from vetrina.core.plan.model import Plan

ROOT = "loggers: {root: {to: a}}\nappenders: {a: {sink: file, path: a.log%s}}\n"


def made(body: str) -> Plan:
    return in_force(f"vetrina: 1\n{body}").plan


@pytest.mark.parametrize(
    "written, severity",
    [
        ("trace", 1), ("DEBUG", 5), ("Info", 9), ("notice", 10), ("warn", 13), ("error", 17), ("fatal", 21), ("1", 1), ("24", 24),
        ("'13'", 13), ("wire", 7), ("WIRE", 7), ("all", 0), ("off", 25),
    ],
)  # fmt: skip
def test_levels(written: str, severity: int) -> None:
    level = made(f"levels: {{wire: 7}}\nloggers: {{x: {written}}}\n").loggers["x"].level

    assert level is not None
    assert level.value == severity


@pytest.mark.parametrize(
    "written, words",
    [
        ("debgu", 'level "debgu" is not known'),
        ("0", "0 is not a whole number from 1 to 24"),
        ("25", "25 is not a whole number from 1 to 24"),
        ("1.5", "1.5 is not a whole number from 1 to 24"),
        ("true", "wants a level, and this is the boolean true"),
        ("''", 'level "" is not known'),
    ],
)
def test_what_is_no_level(written: str, words: str) -> None:
    (fault,) = faults(f"loggers: {{x: {{level: {written}}}}}\n")

    assert words in fault


@pytest.mark.parametrize(
    "written, low, high",
    [
        ("warn..", 13, 24),
        ("..info", 1, 9),
        ("debug..warn", 5, 13),
        ("error", 17, 17),
        ("9", 9, 9),
        ("'5..9'", 5, 9),
        ("..", 0, 0),
    ],
)
def test_ranges(written: str, low: int, high: int) -> None:
    body = f"rules: [{{drop: {{level: {written}}}}}]\n"
    if not low:
        assert "alone bounds nothing" in faults(body)[0]
        return
    (rule,) = made(body).rules

    assert rule.condition == LevelIs(LevelRange(low, high))


@pytest.mark.parametrize(
    "key, written, value",
    [
        ("at-size", "10 MiB", 10 << 20),
        ("at-size", "'1.5 kB'", 1500),
        ("keep: {disk", "2 GB}", 2_000_000_000),
        ("keep: {age", "14 days}", timedelta(days=14)),
        ("keep: {age", "PT90S}", timedelta(seconds=90)),
        ("keep: {files", "0}", 0),
        ("each-start", "true", True),
    ],
)
def test_sizes_spans_counts_and_flags(key: str, written: str, value: object) -> None:
    roll = made(ROOT % f", roll: {{rename-to: 'a.{{n}}', {key}: {written}}}").appenders["a"].roll
    found = {
        "at-size": roll.at_size,
        "keep: {disk": roll.keep.disk,
        "keep: {age": roll.keep.age,
        "keep: {files": roll.keep.files,
    }.get(key)

    assert (found.value if found is not None else roll.each_start) == value


@pytest.mark.parametrize(
    "extra, words",
    [
        (", roll: {at-size: 20, rename-to: 'a.{n}'}", "20 has no unit"),
        (", roll: {at-size: 0 B, rename-to: 'a.{n}'}", "must be"),
        (", roll: {at-size: 20 Mib, rename-to: 'a.{n}'}", 'unit "Mib" is not known'),
        (", roll: {every: day, rename-to: 'a.{period}', keep: {age: 2 months}}", "a month has no fixed length"),
        (", roll: {every: day, rename-to: 'a.{period}', keep: {files: -1}}", "must be from 0"),
        (", roll: {every: day, rename-to: 'a.{period}', keep: {files: many}}", 'this is the text "many"'),
        (", roll: {every: dya, rename-to: 'a.{period}'}", '"dya" is not a period'),
        (", roll: {every: 0 hours, rename-to: 'a.{period}'}", "every 0 hours is not possible"),
        (", roll: {every: 3 weeks, rename-to: 'a.{period}'}", '"3 weeks" is not a period'),
        (", roll: {every: hour, at: '03:00', rename-to: 'a.{period}'}", '"at" moves the boundary of days'),
        (", roll: {every: day, at: '24:00', rename-to: 'a.{period}'}", 'wants a wall-clock time such as "03:00"'),
        (", roll: {at: '03:00', rename-to: 'a.{n}'}", '"at" needs "every"'),
        (", roll: {every: day}", "a rolled file has no name to go to"),
        (", append: yes", "wants true or false"),
        (", append: 1", "wants true or false, and this is the number 1"),
        (", encoding: utf8", "one of utf-8"),
        (", path: ''", '"path" is given twice'),
        (", floor: [warn]", "a level is wanted here, and this is a list"),
        (", otherwise: maybe", "one of keep, drop"),
        (", buffer: {events: 0}", "must be from 1"),
        (", buffer: {at-once: off}", 'level "off" is not known'),
        (", template: ''", "this is empty"),
        (", template: {text: x}", "a template's name or a text is wanted here, and this is a mapping"),
        (", tone: high", '"tone" is not a known key in an appender'),
        (", url: x", '"url" is not a known key in an appender with sink: file'),
        (", rules: {drop: {}}", "a list of rules"),
        (", rules: [{drop: {}, keep: {}}]", "this one has drop and keep"),
        (", rules: [{}]", "this one has none"),
        (", rules: [{lift: {}}]", '"lift" is not a verdict here'),
        (", rules: [{drop: {message: '('}}]", "is not an RE2 expression"),
        (", rules: [{drop: {field: {n: {at-least: x}}}}]", '"at-least" wants a number'),
        (", rules: [{drop: {field: {n: {over: 3}}}}]", "by operators, and this is another mapping"),
        (", rules: [{drop: {any: []}}]", '"any" must not be empty'),
        (", rules: [{drop: {error: maybe}}]", "wants true or false"),
        (", waive: [{check: twice}]", 'a waiver needs "why"'),
    ],
)  # fmt: skip
def test_what_an_appender_does_not_take(extra: str, words: str) -> None:
    found = faults(ROOT % extra)

    assert any(words in one for one in found), found
    assert all(one[0].isdigit() for one in found), "each with its place"


@pytest.mark.parametrize(
    "body, words",
    [
        ("separator: ''", "must not be empty"),
        ("zone: Europe/Roma", "is not in the IANA time zone database; did you mean Europe/Rome?"),
        ("title: 5", "wants a text, and this is the number 5"),
        ("title: [a]", "a text is wanted here, and this is a list"),
        ("title: {a: null}", "a text is wanted here, and this is a mapping"),
        ("deliver: twice", "one of each, once"),
        ("levels: {loud: 30}", "a severity from 1 to 24"),
        ("levels: {info: 10}", "info"),
        ("levels: {wire: 7, WIRE: 8}", "WIRE"),
        ("values: {a-b: x}", 'cannot be asked for as ${…}: use letters, digits and "_"'),
        ("loggers: {'': warn, root: info}", 'means "root", which is there already'),
        ("loggers: [a]", "a mapping is wanted here"),
        ("templates: {t: {as: csv}}", 'a template as: csv needs "columns"'),
        ("templates: {t: {as: json}}", 'a template as: json needs "members"'),
        ("templates: {t: {as: text}}", 'a template as: text needs "text"'),
        ("templates: {t: {as: csv, members: {}, columns: {a: x}}}", '"members" is not a known key in a template as: csv'),
        ("templates: {t: {as: json, members: {a: {raw: nope}}}}", '"nope" is not a source'),
        ("templates: {t: {as: json, members: {a: {raw: '{time}'}}}}", "raw wants one source"),
        ("templates: {t: '{tme}'}", '"tme" is not a source'),
        ("templates: {t: '{time|padd 3}'}", '"padd" is not a step'),
        ("templates: {t: '{level|%H}'}", "works on a time, and this is none"),
        ("templates: {t: '{message|last 2}'}", "last works on a logger's name"),
        ("templates: {t: '{message|pad}'}", "pad"),
        ("mask: {patterns: ['(']}", "is not an RE2 expression"),
        ("rules: [{drop: {level: 'x..'}}]", 'level "x" is not known'),
        ("workdir: ''", "this is empty"),
        ("<<: {}", "is not part of YAML 1.2"),
    ],
)
def test_what_a_plan_does_not_take(body: str, words: str) -> None:
    found = faults(body + "\n")

    assert any(words in one for one in found), found
