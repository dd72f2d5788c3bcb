"""Random plans with rules, and events that their gates decide about."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any

from hypothesis import strategies as st

from plans import APPENDERS, LEVELS, NAMES, loggers
from vetrina.core.base.events import Event

TIME = datetime(2026, 11, 16, tzinfo=UTC)


def made(logger: str = "a.b", level: str | int = "info", message: str = "hello", **more: Any) -> Event:
    return Event(TIME, level, logger, message, **more)


CONDITIONS: st.SearchStrategy[dict[str, Any]] = st.deferred(
    lambda: st.one_of(
        st.fixed_dictionaries(
            {},
            optional={
                "logger": st.one_of(NAMES, st.just("root"), st.lists(NAMES, max_size=2)),
                "exactly": NAMES,
                "level": st.sampled_from(["info..", "..debug", "warn", "debug..error"]),
                "message": st.sampled_from(["x", "^hello$", "[0-9]"]),
                "field": st.sampled_from(
                    [
                        {"n": 1},
                        {"n": {"at-least": 2}},
                        {"n": {"present": False}},
                        {"s": {"matches": "a"}},
                        {"n": {"one-of": [1, 2]}},
                    ]
                ),
                "error": st.booleans(),
                "channel": st.sampled_from(["in", ["in", "out"]]),
            },
        ),
        st.builds(lambda inner: {"not": inner}, CONDITIONS),
        st.builds(lambda inner: {"any": inner}, st.lists(CONDITIONS, min_size=1, max_size=2)),
    )
)


def rules(*verdicts: str) -> st.SearchStrategy[list[dict[str, Any]]]:
    return st.lists(
        st.builds(lambda verdict, condition: {verdict: condition}, st.sampled_from(verdicts), CONDITIONS), max_size=3
    )


EVENTS = st.builds(
    made,
    st.one_of(NAMES, st.just("")),
    LEVELS,
    st.sampled_from(["hello", "x {n}", "{n} {s}"]),
    fields=st.none()
    | st.fixed_dictionaries(
        {}, optional={"n": st.sampled_from([1, 2.0, True, "1"]), "s": st.sampled_from(["a", None, [1, "a"]])}
    ),
    error=st.sampled_from([None, "", "Boom"]),
    channel=st.sampled_from([*[None] * 5, "", "in", "out", "else"]),
)


CHANNELS = st.dictionaries(
    st.sampled_from(["in", "out"]),
    st.fixed_dictionaries(
        {}, optional={"logger": st.one_of(NAMES, st.just("root")), "level": LEVELS, "enabled": st.booleans()}
    ),
)


@st.composite
def plans(draw: st.DrawFn) -> str:
    """Return a random plan with rules at every gate."""
    entries = draw(loggers())
    for entry in entries.values():
        if entry.get("to"):
            windows = st.fixed_dictionaries({}, optional={"floor": LEVELS, "ceiling": LEVELS, "rules": rules("drop", "keep")})
            entry["to"] = [{"appender": name, **draw(windows)} for name in entry["to"]]
    details = st.fixed_dictionaries(
        {"sink": st.just("none")},
        optional={
            "floor": LEVELS,
            "ceiling": LEVELS,
            "enabled": st.booleans(),
            "rules": rules("drop", "keep"),
            "otherwise": st.sampled_from(["keep", "drop"]),
        },
    )
    return json.dumps(
        {
            "vetrina": 1,
            "deliver": draw(st.sampled_from(["each", "once"])),
            "rules": draw(rules("drop", "keep", "lift")),
            "channels": draw(CHANNELS),
            "loggers": entries,
            "appenders": {name: draw(details) for name in APPENDERS},
        }
    )
