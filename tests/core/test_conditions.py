"""Conditions hold as the words of a plan say; and what is concluded about them without an event is never wrong."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plans import NAMES, faults, plan
from vetrina.core.base.events import Event
from vetrina.core.plan.conditions import Ask, Condition, holds, level_cuts, logger_names, meets, reduce
from vetrina.core.plan.implication import certain, implies, impossible, levels_of, meets_loggers, questions

TIME = datetime(2026, 11, 16, tzinfo=UTC)
SEVERITY = {"trace": 1, "debug": 5, "info": 9, "notice": 10, "warn": 13, "error": 17, "fatal": 21}
RANGES = ["warn..", "..info", "debug..warn", "info", "error", "notice..error", "1..24", "trace.."]
VALUES: list[Any] = [1, 1.0, True, "5", 5, None, "valley", [1], {"a": 1}, 2.5, -1]
TESTS: list[Any] = [
    1, True, "5", None, "valley", 2.5, {"is": [1]}, {"is": {"a": 1.0}}, {"one-of": [5, "valley"]}, {"matches": "^[0-9]"}, {"matches": "a"},
    {"present": True}, {"present": False}, {"at-least": 1}, {"at-most": 2}, {"at-least": 0, "at-most": 4}, {"present": True, "matches": "l+e"},
]  # fmt: skip
FIELD = st.dictionaries(st.sampled_from(["gate", "pass.kind", "a.b"]), st.sampled_from(TESTS), min_size=1, max_size=2)
PLAIN = st.fixed_dictionaries(
    {},
    optional={
        "logger": NAMES | st.just("root") | st.lists(NAMES, min_size=1, max_size=2),
        "exactly": NAMES | st.just("root") | st.lists(NAMES, min_size=1, max_size=2),
        "level": st.sampled_from(RANGES),
        "message": st.sampled_from(["beat", "^h", "[0-9]+", "valley$"]),
        "field": FIELD,
        "error": st.booleans(),
        "channel": st.sampled_from(["in", ["in", "out"], ["out"]]),
    },
)
CONDITIONS = st.recursive(
    PLAIN,
    lambda inner: st.builds(
        lambda base, denied, some: base | ({"not": denied} if denied is not None else {}) | ({"any": some} if some else {}),
        PLAIN,
        st.none() | inner,
        st.lists(inner, max_size=3),
    ),
    max_leaves=4,
)
EVENTS = st.builds(
    lambda logger, level, message, gate, kind, error, channel: Event(
        TIME,
        level,
        logger,
        message,
        {"gate": gate, "pass": {"kind": kind}} if gate != "no" else {"a.b": kind},
        error,
        channel=channel,
    ),
    NAMES | st.just(""),
    st.sampled_from(list(SEVERITY)),
    st.sampled_from(["heartbeat 12", "hall", "to {gate}", "{gone}"]),
    st.sampled_from([*VALUES, "no"]),
    st.sampled_from(VALUES),
    st.sampled_from([None, "", "Jam"]),
    st.sampled_from([None, "", "in", "out", "else"]),
)


def text_in_a_hole(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, separators=(",", ":"))


def same(one: Any, other: Any) -> bool:
    """Compare as JSON values: 1 = 1.0, true is no number, "5" is none either."""
    if isinstance(one, list | dict) or isinstance(other, list | dict):
        return type(one) is type(other) and json.dumps(one).replace(".0", "") == json.dumps(other).replace(".0", "")
    return isinstance(one, bool) == isinstance(other, bool) and isinstance(one, str) == isinstance(other, str) and one == other


def answers(test: Any, found: list[Any]) -> bool:
    """Ask one question of a field: ``found`` holds its value, or nothing."""
    if not isinstance(test, dict):
        return bool(found) and same(found[0], test)
    return all(answer(operator, wanted, found) for operator, wanted in test.items())


def answer(operator: str, wanted: Any, found: list[Any]) -> bool:
    if operator == "present" or not found:
        return operator == "present" and bool(found) == wanted
    value = found[0]
    if operator in {"at-least", "at-most"}:
        number = isinstance(value, int | float) and not isinstance(value, bool)
        return number and bool(value >= wanted if operator == "at-least" else value <= wanted)
    if operator == "matches":
        return re.search(wanted, text_in_a_hole(value)) is not None
    return any(same(value, one) for one in (wanted if operator == "one-of" else [wanted]))


def said(condition: dict[str, Any], event: Event) -> bool:
    """Read a condition as the plan's words say it, with nothing of the program."""
    logger, severity = event.logger or "root", SEVERITY[str(event.level)]
    fields: dict[str, Any] = event.fields or {}
    message = event.message.replace("{gate}", text_in_a_hole(fields["gate"])) if "gate" in fields else event.message

    def under(name: str) -> bool:
        return name in {"root", logger} or logger.startswith(name + ".")

    def find(name: str) -> list[Any]:
        if name in fields:
            return [fields[name]]
        return [fields["pass"]["kind"]] if name == "pass.kind" and "pass" in fields else []

    def number(text: str) -> int:
        return int(text) if text.isdigit() else SEVERITY[text]

    def within(text: str) -> bool:
        low, dots, high = text.partition("..")
        return (number(low) if low else 1) <= severity <= ((number(high) if high else 24) if dots else number(low))

    def listed(value: Any) -> list[str]:
        return value if isinstance(value, list) else [value]

    reading: dict[str, Callable[[Any], bool]] = {
        "logger": lambda value: any(under(one) for one in listed(value)),
        "exactly": lambda value: logger in listed(value),
        "level": within,
        "message": lambda value: re.search(value, message) is not None,
        "field": lambda value: all(answers(test, find(name)) for name, test in value.items()),
        "error": lambda value: bool(event.error) == value,
        "channel": lambda value: bool(event.channel) and event.channel in listed(value),
        "not": lambda value: not said(value, event),
        "any": lambda value: any(said(one, event) for one in value),
    }
    return all(reading[key](value) for key, value in condition.items())


def built(*conditions: dict[str, Any]) -> list[Condition]:
    text = json.dumps({"vetrina": 1, "rules": [{"drop": one} for one in conditions]})
    return [rule.condition for rule in plan(text, "").rules]


@settings(max_examples=150)
@given(CONDITIONS, st.lists(EVENTS, min_size=1, max_size=6))
def test_a_condition_holds_as_its_words_say(raw: dict[str, Any], events: list[Event]) -> None:
    (condition,) = built(raw)
    for event in events:
        logger, severity = event.logger or "root", SEVERITY[str(event.level)]

        assert meets(condition, event, logger, severity) == said(raw, event)
        assert holds(reduce(condition, logger, severity), event, ask_of(event)) == said(raw, event), "asked by questions"


def ask_of(event: Event) -> Callable[[Ask], bool]:
    return lambda ask: ask.holds(event)


def narrowed(draw: st.DrawFn, raw: dict[str, Any]) -> dict[str, Any]:
    """Return a condition with some keys fewer, or others: often one that is wider."""
    kept = {key: value for key, value in raw.items() if draw(st.integers(0, 3))}
    return kept | draw(PLAIN.filter(lambda one: len(one) <= 1))


@st.composite
def pairs(draw: st.DrawFn) -> tuple[dict[str, Any], dict[str, Any]]:
    raw = draw(CONDITIONS)
    return raw, draw(st.just(narrowed(draw, raw)) | CONDITIONS)


@settings(max_examples=160)
@given(pairs(), st.lists(EVENTS, min_size=10, max_size=20), NAMES)
def test_conclusions_about_conditions_are_never_wrong(
    two: tuple[dict[str, Any], dict[str, Any]], events: list[Event], via: str
) -> None:
    narrow, wide = built(*two)
    follows, never, (low, high) = implies(narrow, wide), impossible(narrow), levels_of(narrow)
    assert not follows or questions(wide) <= questions(narrow), "the quick look never hides an implication"
    for event in events:
        logger, severity = event.logger or "root", SEVERITY[str(event.level)]
        if severity in range(5, 18) and (logger == via or logger.startswith(via + ".")):
            assert said(two[0], event) or not certain(narrow, (5, 17), (via,), ".")
        if said(two[0], event):
            assert said(two[1], event) or not follows
            assert not never
            assert low <= severity <= high
            if logger == via or logger.startswith(via + "."):
                assert meets_loggers(narrow, (via,), ".")
    cuts = level_cuts(narrow)
    names = logger_names(narrow)
    for severity in range(1, 24):
        if severity + 1 not in cuts and not names:
            assert repr(reduce(narrow, "a", severity)) == repr(reduce(narrow, "a", severity + 1)), "levels matter at cuts only"


@pytest.mark.parametrize(
    "raw, why",
    [
        ({"level": "..info", "any": [{"level": "warn.."}]}, ""),
        ({"logger": "a", "exactly": "b"}, "no logger is both"),
        ({"logger": ["a.b", "c"], "exactly": ["a.b.c"]}, ""),
        ({"field": {"gate": {"present": False}, "a.b": 1}}, ""),
        ({"field": {"gate": {"present": False, "is": 1}}}, "wants the field gate absent"),
        ({"error": True, "not": {"error": True}}, "its opposite"),
        ({"level": "info", "not": {"level": "..warn"}}, "its opposite"),
        ({"channel": "in", "not": {"channel": ["in", "out"]}}, "its opposite"),
        ({"channel": []}, "no channel is all that it names"),
    ],
)
def test_a_condition_that_can_never_hold_is_told(raw: dict[str, Any], why: str) -> None:
    found = impossible(built(raw)[0])

    assert why in found if why else found == ""


@pytest.mark.parametrize(
    "raw, always",
    [
        ({}, True),
        ({"logger": "root"}, True),
        ({"logger": ["b", "a"]}, True),
        ({"logger": "a.b"}, False),
        ({"exactly": "a"}, False),
        ({"level": "debug..error"}, True),
        ({"level": "info.."}, False),
        ({"any": [{"error": True}, {"logger": "a"}]}, True),
        ({"not": {"level": "info", "any": [{"error": True}]}}, False),
        ({"not": {"logger": "a", "exactly": "b"}}, True),
        ({"field": {"gate": {"present": False}}}, False),
        ({"logger": "a", "error": False}, False),
    ],
)
def test_what_holds_for_all_that_comes_by(raw: dict[str, Any], always: bool) -> None:
    text = json.dumps({"vetrina": 1, "rules": [{"drop": raw}]})

    assert certain(plan(text, "").rules[0].condition, (5, 17), ("a",), ".") is always


@pytest.mark.parametrize(
    "narrow, wide, follows",
    [
        ({"logger": "a.b"}, {"logger": "a"}, True),
        ({"logger": "a"}, {"logger": "a.b"}, False),
        ({"logger": "ab"}, {"logger": "a"}, False),
        ({"exactly": "a.b"}, {"logger": "a"}, True),
        ({"logger": "a"}, {"exactly": "a"}, False),
        ({"exactly": ["a", "b"]}, {"exactly": ["a", "b", "c"]}, True),
        ({"level": "warn"}, {"level": "info.."}, True),
        ({"level": "info.."}, {"level": "warn.."}, False),
        ({"logger": "a", "error": True}, {"error": True}, True),
        ({}, {"level": "1..24"}, False),
        ({"error": True}, {"level": "1..24"}, True),
        ({"level": "error"}, {"any": [{"logger": "c"}, {"level": "warn.."}]}, True),
        ({"field": {"gate": 1}}, {"field": {"gate": True}}, False),
        ({"channel": "in"}, {"channel": ["out", "in"]}, True),
        ({"channel": ["in", "out"]}, {"channel": "in"}, False),
    ],
)
def test_what_follows_from_a_condition(narrow: dict[str, Any], wide: dict[str, Any], follows: bool) -> None:
    assert implies(*built(narrow, wide)) is follows


@pytest.mark.parametrize(
    "raw, words",
    [
        ({"any": []}, "any"),
        ({"level": "warn..info"}, "upside down"),
        ({"level": ".."}, ".."),
        ({"level": "off"}, "off"),
        ({"message": "("}, "expression"),
        ({"field": {"gate": {"a": 1}}}, "is"),
        ({"not": []}, "a mapping is wanted"),
        ({"any": [None, {"error": True}]}, "this item is empty"),
        ({"logger": ["a", None]}, "this item is empty"),
        ({"field": {"gate": {"matches": None}}}, "asks for nothing"),
        ({"field": {"gate": {"present": True, "at-least": None}}}, "wants a number"),
        ({"loger": "a"}, "loger"),
    ],
)
def test_a_condition_that_says_nothing_sensible_is_a_fault(raw: dict[str, Any], words: str) -> None:
    told = faults(json.dumps({"vetrina": 1, "rules": [{"drop": raw}]}), "")

    assert len(told) == 1
    assert words in told[0]


def test_what_fills_to_nothing_never_widens_a_question_of_a_field() -> None:
    rule = "rules:\n  - drop:\n      field:\n        gate:\n          matches: ${NONE:-}\n"

    assert faults(rule) == ['6:11 nothing is asked of the field "gate": what was to be asked fills to nothing']
