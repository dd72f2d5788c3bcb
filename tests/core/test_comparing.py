"""Comparing finds every difference between two plans and invents none; its parts are tables."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plans import LEVELS, NAMES, in_force, loggers, plan
from routed import CHANNELS
from vetrina.core.base.events import Event
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import NAMES as LEVEL_NAMES
from vetrina.core.changes.comparing import compare
from vetrina.core.changes.counterexamples import TIME, Contradiction, counterexample
from vetrina.core.changes.regex_texts import regex_texts
from vetrina.core.plan.conditions import Ask, ErrorIs, FieldIs, MessageMatches
from vetrina.core.plan.model import Plan
from vetrina.core.routing.router import Router

SINKS = "appenders: {one: {sink: file, path: one.log}, two: {sink: file, path: two.log}}\n"


def conditions() -> st.SearchStrategy[dict[str, Any]]:
    tests = st.one_of(
        st.sampled_from([1, "x", True, None]),
        st.fixed_dictionaries({}, optional={"at-least": st.integers(0, 3), "at-most": st.integers(1, 4)}).filter(bool),
        st.sampled_from([{"present": False}, {"one-of": [1, "x"]}, {"matches": "^x"}]),
    )
    simple = st.fixed_dictionaries(
        {},
        optional={
            "logger": NAMES,
            "exactly": NAMES,
            "level": LEVELS.map(lambda one: f"{one}.."),
            "message": st.sampled_from(["gate", "^heart", "open$"]),
            "error": st.booleans(),
            "channel": st.sampled_from(["in", ["in", "out"]]),
            "field": st.fixed_dictionaries({"n": tests}),
        },
    )
    return st.one_of(
        simple, simple.map(lambda one: {"not": one}), st.lists(simple, min_size=1, max_size=2).map(lambda some: {"any": some})
    )


def rules(verdicts: tuple[str, ...]) -> st.SearchStrategy[list[dict[str, Any]]]:
    return st.lists(
        st.builds(lambda verdict, condition: {verdict: condition}, st.sampled_from(verdicts), conditions()), max_size=2
    )


@st.composite
def plans(draw: st.DrawFn) -> Plan:
    appenders = {
        name: {
            "sink": "file",
            "path": f"{name}.log",
            "rules": draw(rules(("drop", "keep"))),
            **draw(
                st.fixed_dictionaries({}, optional={"floor": LEVELS, "otherwise": st.just("drop"), "enabled": st.booleans()})
            ),
        }
        for name in ("one", "two", "three")
    }
    document = {
        "vetrina": 1,
        "rules": draw(rules(("drop", "keep", "lift"))),
        "channels": draw(CHANNELS),
        "loggers": draw(loggers()),
        "appenders": appenders,
        "deliver": draw(st.sampled_from(["each", "once"])),
    }
    return in_force(json.dumps(document)).plan


EVENTS = st.builds(
    lambda logger, level, message, fields, error, channel: Event(
        TIME, level, logger, message, fields or None, error or None, channel=channel
    ),
    st.one_of(NAMES, st.just(""), NAMES.map("{}.other".format)),
    st.one_of(LEVELS, st.integers(1, 24)),
    st.sampled_from(["gate", "heart", "open", "heart of the gate, open", ""]),
    st.fixed_dictionaries({}, optional={"n": st.sampled_from([0, 1, 2.5, 3, 9, "x", "xx", "y", True, None])}),
    st.sampled_from(["", "boom"]),
    st.sampled_from([None, None, "in", "out", "else", ""]),
)


def arrivals(plan: Plan, event: Event) -> list[str]:
    return sorted(plan.appenders[one.appender].sink.place for one in Router(plan).route(event).deliveries)


@settings(max_examples=70, deadline=None)
@given(plans(), plans(), st.lists(EVENTS, min_size=20, max_size=40))
def test_every_difference_is_found_and_none_is_invented(first: Plan, second: Plan, events: list[Event]) -> None:
    found = compare(first, second)

    told = [*found.differences, *found.undecided]
    for one in found.differences:
        assert one.example is not None
        assert arrivals(first, one.example) != arrivals(second, one.example)
    for event in events:
        severity = first.scale.severity(event.level) or 0
        inside = [one for one in told if one.holds(event.logger or "root", severity, event, found.loggers, ".")]
        differs = arrivals(first, event) != arrivals(second, event)
        assert bool(inside) == differs or (inside and not any(one.example for one in inside))


@settings(max_examples=40, deadline=None)
@given(plans())
def test_a_plan_is_equal_to_itself(one: Plan) -> None:
    found = compare(one, one)

    assert not found.differences
    assert not found.undecided
    assert found.classes > 0


def test_one_threshold_is_one_difference_over_the_whole_subtree() -> None:
    body = "loggers: {{root: {{level: warn, to: one}}, a: {level}, a.b: {{note: x}}}}\n" + SINKS.replace("{", "{{").replace(
        "}", "}}"
    )

    found = compare(plan(body.format(level="info")), plan(body.format(level="debug")))

    (one,) = found.differences
    assert (one.logger, one.scope, one.low, one.high, one.only_in_second) == ("a", "all", 5, 8, ("file one.log",))
    assert not found.undecided


def test_what_cannot_be_exemplified_is_undecided_never_equal() -> None:
    body = "loggers: {root: {to: one}}\n" + SINKS
    hard = plan("rules: [{drop: {message: '\\pL{3}\\C'}}]\n" + body)

    found = compare(plan(body), hard)

    assert not found.differences
    assert [one.example for one in found.undecided] == [None]


def test_another_separator_is_another_tree() -> None:
    first = plan("loggers: {root: {to: one}, a: {level: warn}}\n" + SINKS)
    second = plan('separator: "/"\nloggers: {root: {to: one}, a: {level: warn}}\n' + SINKS)

    found = compare(first, second)

    assert {one.example.logger for one in found.differences if one.example} == {"a.anything", "a/anything"}


ASKS: dict[str, Ask] = {
    "5": FieldIs("n", "is", 5), "true": FieldIs("n", "is", True), "1": FieldIs("n", "is", 1), "x": FieldIs("n", "one-of", ["x", 5]),
    ">5": FieldIs("n", "at-least", 5), "<6": FieldIs("n", "at-most", 6), "there": FieldIs("n", "present", True),
    "gate": MessageMatches(Expression("gate [0-9]+")), "^open": MessageMatches(Expression("^open")), "digits": FieldIs("n", "matches", Expression("^[0-9]{3}$")),
    "error": ErrorIs(True), "none": ErrorIs(False), "5.5": FieldIs("n", "is", 5.5),
}  # fmt: skip


@pytest.mark.parametrize(
    "wanted, possible",
    [
        ("+5 ->5", False),
        ("+>5 +<6 -5", True),
        ("+>5 +<6 -5 -5.5", True),
        ("+1 +true", False),
        ("+1 -true", True),
        ("+x -5", True),
        ("+x -5 -there", False),
        ("-there", True),
        ("-there +5", False),
        ("+error +none", False),
        ("-error -none", False),
        ("+gate +^open", True),
        ("-gate +^open", True),
        ("+digits +>5", None),
        ("+digits -5", True),
    ],
)
def test_an_event_for_the_wanted_answers(wanted: str, possible: bool | None) -> None:
    answers = [(ASKS[word[1:]], word[0] == "+") for word in wanted.split()]
    if possible is False:
        with pytest.raises(Contradiction):
            counterexample("a", "info", answers)
        return
    found = counterexample("a", "info", answers)

    assert (found is not None) == bool(possible)
    assert found is None or all(ask.holds(found) == answer for ask, answer in answers)


@pytest.mark.parametrize(
    "expression",
    [
        "gate", "^heart.*beat$", "a|b", "(?i)Gate", "x{3,}", r"\d+ of \d{2}", "[^a-c]x", r"[\w.]+@[a-z]+\.com", r"\Q(a.b)\E", "(?P<n>a)(?:b|c)?", r"\x41\x{42}", "[[:digit:]]z", "colou?r", r"\bword\b", "a+?b*?c",
    ],
)  # fmt: skip
def test_a_specimen_is_found_by_its_expression(expression: str) -> None:
    found = regex_texts(expression)

    assert found
    assert any(Expression(expression).found_in(text) for text in found)


@pytest.mark.parametrize("expression", [r"\pL", "(?<", "[", "a(", r"\C"])
def test_what_is_not_understood_has_no_specimen(expression: str) -> None:
    assert regex_texts(expression) == []


def test_levels_are_told_by_every_threshold() -> None:
    first = plan("loggers: {root: {level: all, to: one}}\n" + SINKS)
    second = plan("loggers: {root: {level: all, to: [{appender: one, floor: info, ceiling: error}]}}\n" + SINKS)

    found = compare(first, second).differences

    assert [(one.low, one.high) for one in found] == [(1, 8), (18, max(LEVEL_NAMES.values()) + 3)]
