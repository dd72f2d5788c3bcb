"""Random plans with files and templates, and streams of events for them."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta, timezone

from hypothesis import strategies as st

from plans import APPENDERS, LEVELS, NAMES, in_force, loggers
from routed import rules
from vetrina.core.base.events import Event
from vetrina.core.plan.model import Plan

START = datetime(2026, 10, 24, 21, 30, tzinfo=UTC)


TEMPLATES = [
    "{message}",
    "{time} {level|upper|pad 5} {logger} {message}{error|before ' '}".replace("'", '\\"'),
    "{sequence} {fields}",
    "rows",
    "j",
]


FORMS = {
    "rows": {"as": "csv", "header": True, "columns": {"at": "{time}", "say": "{message}"}},
    "j": {"as": "json", "members": {"at": "{time}", "say": "{text}", "data": {"raw": "fields"}}},
}


@st.composite
def plans(draw: st.DrawFn) -> Plan:
    details = st.fixed_dictionaries(
        {"sink": st.just("file"), "path": st.sampled_from(["a.log", "b.log"]), "template": st.sampled_from(TEMPLATES).map(lambda one: one.replace('\\"', '"'))},
        optional={
            "floor": LEVELS, "rules": rules("drop", "keep"), "enabled": st.booleans(), "encoding": st.sampled_from(["utf-16-le", "ascii"]),
        },
    )  # fmt: skip
    document = {
        "vetrina": 1,
        "zone": "Europe/Rome",
        "deliver": draw(st.sampled_from(["each", "once"])),
        "rules": draw(rules("drop", "lift")),
        "loggers": draw(loggers()),
        "appenders": {name: draw(details) for name in APPENDERS},
        "templates": FORMS,
    }
    return in_force(json.dumps(document)).plan


EVENTS = st.builds(
    lambda minutes, zone, level, logger, message, fields, error, count: Event(
        (START + timedelta(minutes=minutes)).astimezone(zone), level, logger, message, fields, error, count=count
    ),
    st.integers(-100, 4000),
    st.sampled_from([UTC, UTC, timezone(timedelta(hours=2))]),
    LEVELS,
    NAMES | st.just(""),
    st.sampled_from(["hello", "x {n}", "{n} {s} {gone}", "é"]),
    st.none()
    | st.fixed_dictionaries({}, optional={"n": st.sampled_from([1, 2.0, True, "1"]), "s": st.sampled_from(["a", None])}),
    st.sampled_from([None, "", "Boom"]),
    st.sampled_from([None, None, None, 3]),
)


STREAMS = st.lists(EVENTS, max_size=25)
