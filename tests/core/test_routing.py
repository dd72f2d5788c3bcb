"""All gates, as a table; and that the slow explanation agrees with the compiled router."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import in_force, plan
from routed import EVENTS, made, plans
from vetrina.core.base.events import Event
from vetrina.core.routing.explaining import explain
from vetrina.core.routing.router import Router

NONE = "{sink: none}"


def told(body: str, event: Event) -> str:
    """Return where an event goes, as one text."""
    route = Router(plan(body)).route(event)
    if route.stopped_at:
        return route.stopped_at
    arrived = [f"{one.appender}<{one.via}" for one in route.deliveries]
    return " ".join(arrived + [f"{one.appender}!{one.gate}" for one in route.stops])


BASE = "appenders: {one: {sink: none}, two: {sink: none}}\n"


@pytest.mark.parametrize(
    "body, event, expected",
    [
        pytest.param(
            "loggers: {root: {level: warn, to: one}, a: info}\n" + BASE,
            made(),
            "one<root",
            id="climbs past a stricter ancestor",
        ),
        pytest.param("loggers: {root: {to: one}}\n" + BASE, made(level="debug"), "level", id="assume is info"),
        pytest.param(
            "assume: trace\nloggers: {root: {to: one}}\n" + BASE, made(level="debug"), "one<root", id="assume can be set"
        ),
        pytest.param("loggers: {a: {to: []}}\n" + BASE, made(), "nowhere", id="nothing is attached"),
        pytest.param("loggers: {root: {to: one}, a.b: {climb: false}}\n" + BASE, made(), "nowhere", id="does not climb"),
        pytest.param(
            "loggers: {root: {to: one}, a: {to: two, climb: false}}\n" + BASE,
            made(),
            "two<a",
            id="the first climb: false is included",
        ),
        pytest.param(
            "loggers: {root: {to: one}, a: {level: off, enabled: false, climb: false}}\n" + BASE,
            made(),
            "one<root",
            id="a disabled entry is not there",
        ),
        pytest.param(
            "loggers: {root: {to: [one, one]}}\n" + BASE, made(), "one<root one<root", id="naming twice attaches twice"
        ),
        pytest.param(
            "deliver: once\nloggers: {root: {to: [one]}, a: {to: [one]}}\n" + BASE, made(), "one<a one!once", id="deliver once"
        ),
        pytest.param(
            "deliver: once\nloggers: {root: {to: [one]}, a: {to: [{appender: one, floor: error}]}}\n" + BASE,
            made(),
            "one<root one!attachment",
            id="only an attachment that was passed counts as met",
        ),
        pytest.param(
            "deliver: once\nloggers: {root: {to: [one]}, a: {to: [one]}}\nappenders: {one: {sink: none, floor: error}}\n",
            made(),
            "one!floor one!once",
            id="met even where the appender stops it",
        ),
        pytest.param(
            "loggers: {root: {to: [one, two]}}\nappenders: {one: {sink: none, enabled: false, floor: off}, two: {sink: none, ceiling: debug}}\n",
            made(),
            "one!disabled two!ceiling",
            id="disabled comes before floor",
        ),
        pytest.param(
            "loggers: {root: {to: [{appender: one, ceiling: debug}]}}\n" + BASE,
            made(),
            "one!attachment",
            id="an attachment's ceiling",
        ),
        pytest.param(
            "loggers: {root: {to: [{appender: one, rules: [{drop: {message: ell}}]}]}}\n" + BASE,
            made(),
            "one!attachment",
            id="an attachment's rule",
        ),
        pytest.param(
            "rules: [{drop: {logger: a}}]\nloggers: {root: {to: one}}\n" + BASE, made(), "door", id="dropped at the door"
        ),
        pytest.param(
            "rules: [{keep: {}}, {drop: {}}]\nloggers: {root: {to: one}}\n" + BASE, made(), "one<root", id="keep ends the rules"
        ),
        pytest.param(
            "rules: [{keep: {}}]\nloggers: {root: {to: one, level: warn}}\n" + BASE, made(), "level", id="keep does not lift"
        ),
        pytest.param(
            "rules: [{lift: {field: {badge: 4711}}}]\nloggers: {root: {to: one, level: off}}\n" + BASE,
            made(fields={"badge": 4711}),
            "one<root",
            id="lift skips the level gate",
        ),
        pytest.param(
            "rules: [{lift: {field: {badge: 4711}}}]\nloggers: {root: {to: one, level: off}}\n" + BASE,
            made(fields={"badge": "4711"}),
            "level",
            id="a text is no number",
        ),
        pytest.param(
            "rules: [{drop: {message: x}}, {lift: {message: ell}}]\nloggers: {root: {to: one, level: off}}\n" + BASE,
            made(message="hellx"),
            "door",
            id="the first rule that matches decides",
        ),
        pytest.param(
            "loggers: {root: {to: one}}\nappenders: {one: {sink: none, rules: [{keep: {level: warn..}}], otherwise: drop}}\n",
            made(),
            "one!rules",
            id="otherwise drop",
        ),
        pytest.param(
            "loggers: {root: {to: one}}\nappenders: {one: {sink: none, otherwise: drop}}\n",
            made(),
            "one!rules",
            id="otherwise without rules",
        ),
        pytest.param(
            "loggers: {root: {level: all, to: {add: [one]}}}\n" + BASE, made(level=1), "one<root", id="all lets trace through"
        ),
        pytest.param(
            "loggers: {'': {level: off, to: one}}\n" + BASE,
            made("root", "fatal"),
            "level",
            id="the empty name is root, and off stops fatal",
        ),
        pytest.param(
            "separator: '::'\nloggers: {root: {to: one}, 'a::b': {to: two, climb: false}}\n" + BASE,
            made("a::b::c"),
            "two<a::b",
            id="another separator",
        ),
    ],
)
def test_gates(body: str, event: Event, expected: str) -> None:
    assert told(body, event) == expected


@given(plans(), st.lists(EVENTS, min_size=1, max_size=5))
def test_the_explanation_always_agrees_with_the_router(text: str, events: list[Event]) -> None:
    router = Router(in_force(text).plan)
    for event in events:
        route, explanation = router.route(event), explain(router, event)

        assert explanation.stopped_at == route.stopped_at
        assert list(explanation.deliveries) == [tuple(one) for one in route.deliveries]
        stopped = [(step.appender, step.via, step.gate) for step in explanation.steps if not step.passed and step.appender]
        assert stopped == [tuple(one) for one in route.stops]


FIELD = "rules: [{{drop: {{field: {{{}}}}}}}]\nloggers: {{root: {{to: one}}}}\nappenders: {{one: {{sink: none}}}}\n"


@pytest.mark.parametrize(
    "test, value, holds",
    [
        ("n: 1", 1.0, True),
        ("n: 1", True, False),
        ("n: true", True, True),
        ("n: 5", "5", False),
        ("n: null", None, True),
        ("n: [1, a]", [1.0, "a"], True),
        ("n: {is: {a: 1}}", {"a": 1}, True),
        ("n: {one-of: [1, b]}", "b", True),
        ("n: {matches: '^\\[1,'}", [1, 2], True),
        ("n: {present: true}", None, True),
        ("n: {at-least: 2}", 2, True),
        ("n: {at-least: 2}", "3", False),
        ("n: {at-least: 0}", True, False),
        ("n: {at-least: 1, at-most: 2}", 3, False),
        ("n.a: 1", {"a": 1}, True),
        ("m: {present: false}", 1, True),
        ("m: 1", 1, False),
    ],
)
def test_field_operators(test: str, value: object, holds: bool) -> None:
    assert told(FIELD.format(test), made(fields={"n": value})) == ("door" if holds else "one<root")
