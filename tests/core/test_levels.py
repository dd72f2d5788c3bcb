from __future__ import annotations

import re

import pytest

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.levels import LevelRange, Scale, Severities, new_name_fault

SCALE = Scale({"wire": 7, "Loud": 13})


@pytest.mark.parametrize(
    "written, severity",
    [
        ("trace", 1),
        ("DEBUG", 5),
        ("info", 9),
        ("notice", 10),
        ("Warn", 13),
        ("error", 17),
        ("critical", 18),
        ("alert", 19),
        ("fatal", 21),
        ("warning", 13),
        ("information", 9),
        ("informational", 9),
        ("err", 17),
        ("emergency", 21),
        ("wire", 7),
        ("WIRE", 7),
        (7, 7),
        ("24", 24),
        (1, 1),
        (9.0, 9),
        (0, None),
        (25, None),
        ("0", None),
        ("off", None),
        ("debgu", None),
        (True, None),
        ("", None),
        (None, None),
        ("9.0", None),
    ],
)
def test_what_is_written_means_a_severity_or_nothing(written: object, severity: int | None) -> None:
    assert SCALE.severity(written) == severity


@pytest.mark.parametrize(
    "severity, name", [(5, "debug"), (7, "wire"), (13, "warn"), (2, "2"), (0, "all"), (25, "off"), (21, "fatal")]
)
def test_a_severity_bears_the_built_in_name_else_the_plans_else_its_number(severity: int, name: str) -> None:
    assert SCALE.name(severity) == name


@pytest.mark.parametrize(
    "text, low, high",
    [("warn..", 13, 24), ("..info", 1, 9), ("debug..warn", 5, 13), ("error", 17, 17), (9, 9, 9), ("wire..7", 7, 7)],
)
def test_ranges_include_both_ends(text: object, low: int, high: int) -> None:
    assert SCALE.range(text) == LevelRange(low, high)


@pytest.mark.parametrize(
    "text, words",
    [
        ("..", "bounds nothing"),
        ("warn..info", "upside down"),
        ("all..", "threshold"),
        ("..off", "threshold"),
        ("debgu..", 'level "debgu" is not known; the nearest: debug'),
    ],
)
def test_what_is_no_range_says_why(text: str, words: str) -> None:
    with pytest.raises(NotUnderstood, match=re.escape(words)):
        SCALE.range(text)


@pytest.mark.parametrize(
    "name, words",
    [
        ("debug", "built-in"),
        ("ALL", "built-in"),
        ("warning", "built-in"),
        ("12", "digits"),
        ("a b", "characters"),
        ("x-1", ""),
        ("spur", ""),
    ],
)
def test_new_names_keep_the_built_in_ones(name: str, words: str) -> None:
    assert words in new_name_fault(name, {})
    assert bool(new_name_fault(name, {})) == bool(words)


def test_events_levels_are_remembered_within_a_bound() -> None:
    table = Severities(SCALE)
    for number in range(10_000):
        assert table["dEbUg" if number % 2 else "DEBUG"] == 5
        with pytest.raises(KeyError):
            table[f"no-{number}"]

    assert len(table) <= 4096
