"""The tree's laws, and the same trees in the standard library's own logging."""

from __future__ import annotations

import logging
import random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import LEVELS, NAMES, document, in_force, loggers, plan
from vetrina.core.base.logger_names import below
from vetrina.core.plan.loggers import Tree
from vetrina.core.routing.router import Router

_NUMBERS = {"trace": 5, "debug": 10, "info": 20, "warn": 30, "error": 40, "fatal": 50}


def tree(entries: dict[str, Any]) -> Tree:
    return Tree(in_force(document(entries)).plan)


@pytest.mark.parametrize(
    "name, ancestor, separator, expected",
    [
        pytest.param("ropeway.gate.scanner", "ropeway.gate", ".", True, id="below by segments"),
        pytest.param("ropeway.gates", "ropeway.gate", ".", False, id="a prefix is no ancestor"),
        pytest.param("ropeway.gate", "ropeway.gate", ".", True, id="a logger is below itself"),
        pytest.param("anything", "root", ".", True, id="everything is below root"),
        pytest.param("root.x", "root", ".", True, id="root.x is an ordinary logger, below root"),
        pytest.param("a::b", "a", "::", True, id="a separator of two characters"),
        pytest.param("a:b", "a", "::", False, id="half a separator"),
        pytest.param("a:::b", "a:", "::", False, id="segments are cut from the left"),
        pytest.param("a..b", "a", ".", True, id="an empty segment is one"),
        pytest.param("A.b", "a", ".", False, id="case counts"),
    ],
)
def test_ancestry(name: str, ancestor: str, separator: str, expected: bool) -> None:
    assert below(name, ancestor, separator) is expected


@given(loggers(), NAMES, st.randoms())
def test_the_order_of_entries_is_no_matter(entries: dict[str, Any], name: str, rnd: random.Random) -> None:
    shuffled = list(entries.items())
    rnd.shuffle(shuffled)
    first, second = tree(entries), tree(dict(shuffled))

    assert first.standing(name).severity == second.standing(name).severity
    assert [(via, one.appender) for via, one in first.attachments(name)] == [
        (via, one.appender) for via, one in second.attachments(name)
    ]


@given(loggers(), NAMES, NAMES, LEVELS)
def test_raising_one_logger_never_changes_an_unrelated_one(
    entries: dict[str, Any], changed: str, other: str, level: str
) -> None:
    raised = {**entries, changed: {**entries.get(changed, {}), "level": level, "enabled": True}}
    if not below(other, changed, "."):
        assert tree(raised).standing(other).severity == tree(entries).standing(other).severity


@given(loggers(), NAMES, LEVELS)
def test_random_trees_agree_with_the_standard_librarys_logging(entries: dict[str, Any], name: str, level: str) -> None:
    manager = logging.Manager(logging.RootLogger(_NUMBERS["info"]))
    reached: list[str] = []
    handlers = {}
    for appender in ("one", "two", "three"):
        handlers[appender] = logging.Handler()
        handlers[appender].emit = lambda _record, appender=appender: reached.append(appender)  # type: ignore[method-assign,misc]
    for logger_name, entry in entries.items():
        if not entry.get("enabled", True):
            continue
        logger = manager.root if logger_name == "root" else manager.getLogger(logger_name)
        if "level" in entry:
            logger.setLevel(_NUMBERS[entry["level"]])
        logger.propagate = entry.get("climb", True)
        for appender in dict.fromkeys(entry.get("to", [])):
            logger.addHandler(handlers[appender])
    asked = manager.getLogger(name)
    if asked.isEnabledFor(_NUMBERS[level]):
        asked.callHandlers(logging.LogRecord(name, _NUMBERS[level], "", 1, "x", None, None))
    unique = {one: {**entry, "to": list(dict.fromkeys(entry.get("to", [])))} for one, entry in entries.items()}
    route = Router(in_force(document(unique)).plan).decide(name, level).route

    assert route is not None
    assert [one.appender for one in route.deliveries] == reached


def test_a_name_of_a_million_segments_is_looked_up_at_once() -> None:
    found = Tree(plan("loggers: {a.b: debug, root: warn}\n"))

    assert found.nearest("a.b" + ".x" * 1_000_000) == "a.b"
    assert found.nearest("." * 1_000_000) == "root"


def test_a_chain_of_10_000_loggers_needs_no_recursion() -> None:
    names = [".".join(["x"] * depth) for depth in range(1, 1200)]
    found = tree({name: {} for name in names} | {"x": {"level": "trace"}})

    assert found.standing(names[-1]).severity == 1
    assert found.standing(names[-1]).inherited_from == "x"
