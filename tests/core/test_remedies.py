"""Whatever way is offered lets the message through; and what is wanted once arrives once."""

from __future__ import annotations

import json

import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from plans import APPENDERS, in_force
from routed import EVENTS, made, plans
from vetrina.core.base.events import Event
from vetrina.core.changes.remedies import Other, ways_to, ways_to_once
from vetrina.core.config.edits import Edit, changed_lines, flow, with_edits
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.routing.counting import Counter, Traffic
from vetrina.core.routing.router import Router
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.forms import DEFAULT_TEXT

CHANNEL = json.dumps(
    {"vetrina": 1, "loggers": {"a": {"level": "trace", "to": ["one"]}}, "appenders": {"one": {"sink": "none"}}}
)


@settings(max_examples=40)
@example(CHANNEL, made("a", "trace", channel="in"), "one")
@given(plans(), EVENTS, st.sampled_from(APPENDERS))
def test_applying_the_first_way_makes_the_message_arrive(text: str, event: Event, appender: str) -> None:
    found = in_force(text)
    assume(appender not in {one.appender for one in Router(found.plan).route(event).deliveries})
    ways = ways_to(found, event, appender)
    said = [(set(map(str, way.edits)), set(way.lines)) for way in ways]
    assert not any(one < other or lines < more for one, lines in said for other, more in said), "no way is another and more"
    for way in ways:
        after = with_edits(found, way.edits)

        assert after is not None
        assert appender in {one.appender for one in Router(after.plan).route(event).deliveries}
        assert way.lines
    assert [way.opened for way in ways] == sorted(way.opened for way in ways)


@st.composite
def met_twice(draw: st.DrawFn) -> str:
    """Return a random plan in which most events arrive twice in one appender: attached twice, or on two ways up."""
    plan = json.loads(draw(plans()))
    name = draw(st.sampled_from(APPENDERS))
    plan |= {"deliver": "each", "rules": []}
    plan["appenders"][name] = {"sink": "none"}
    loggers = plan["loggers"]
    twice = draw(st.booleans())
    loggers["root"] = {"level": "all", "to": [name, name] if twice else [name]}
    for entry in loggers.values():
        entry.pop("climb", None)
    if not twice:
        loggers["a"] = {"level": "all", "to": [name]}
    return json.dumps(plan)


@settings(max_examples=60)
@given(met_twice(), EVENTS)
def test_applying_a_way_to_once_makes_it_arrive_once_where_it_arrived(text: str, event: Event) -> None:
    found = in_force(text)
    before = [one.appender for one in Router(found.plan).route(event).deliveries]
    assume(len(before) > len(set(before)))
    ways = ways_to_once(found, event)
    assert ways
    for way in ways:
        after = with_edits(found, way.edits)

        assert after is not None
        assert sorted(one.appender for one in Router(after.plan).route(event).deliveries) == sorted(set(before))


TEXT = """vetrina: 1
rules: [{drop: {logger: noise}}]
loggers:
  root: {level: warn, to: one}
  a: {level: info}
  a.b: {to: [{appender: two, floor: error}], climb: false}
  c: {level: off, enabled: false, climb: false}
appenders:
  one: {sink: none, floor: info}
  two: {sink: none, enabled: false, rules: [{drop: {message: hello}}]}
  three: {sink: none, ceiling: debug, otherwise: drop}
"""


@pytest.mark.parametrize(
    "event, appender, first",
    [
        pytest.param(made("x", "info"), "one", ["--tune x=info"], id="lower the level"),
        pytest.param(made("a.b", "info"), "one", ["--set 'loggers[a.b].climb=true'"], id="let it climb"),
        pytest.param(made("noise", "error"), "one", ["--set 'rules[0].drop.not={exactly: noise}'"], id="spare it at the door"),
        pytest.param(made("a", "debug"), "one", ["--tune a=debug", "--set 'appenders[one].floor=debug'"], id="level and floor"),
        pytest.param(made("a", "info", fields={"badge": 4711}), "three", None, id="attach, raise the ceiling, keep"),
        pytest.param(made("a.b", "info"), "two", None, id="floor of the attachment, switch on, spare at the rule"),
    ],
)
def test_ways_are_the_ones_a_person_would_take(event: Event, appender: str, first: list[str] | None) -> None:
    ways = ways_to(in_force(TEXT), event, appender)

    assert ways
    if first is not None:
        assert first in [
            sorted((str(edit) for edit in way.edits), key=lambda one: not one.startswith("--tune")) for way in ways
        ]


def test_a_way_says_what_else_it_lets_in() -> None:
    found = in_force(TEXT)

    def traffic(plan: ResolvedPlan) -> Traffic:
        counter = Counter(Router(plan.plan))
        counter.feed([made("x", "info"), made("x.y", "info"), made("x", "error")])
        return counter.result()

    tuned = next(
        way for way in ways_to(found, made("x", "info"), "one", traffic=traffic) if str(way.edits[0]) == "--tune x=info"
    )

    size = len(text_template(DEFAULT_TEXT, Setting()).compile("\n")(made("x", "info"), 1))
    assert tuned.sinks == {"one": (2, 2 * size + 2)}
    assert tuned.others == (Other("x", 9, 1), Other("x.y", 9, 1))
    assert tuned.lines == ("+ loggers.x.level: info",)


@pytest.mark.parametrize(
    "value, text",
    [({"a b": [1, True, None]}, "{a b: [1, true, null]}"), ("x", "x"), ("5", '"5"'), (5, "5"), ("${a}", '"$${a}"')],
)
def test_values_of_edits_are_yaml_on_one_line(value: object, text: str) -> None:
    assert flow(value) == text


def test_changed_lines_show_what_differs() -> None:
    found = in_force(TEXT)
    after = with_edits(found, [Edit("--tune", "a=debug", "", "debug")])

    assert after is not None
    assert changed_lines(found, after) == ["- loggers.a.level: info", "+ loggers.a.level: debug"]
