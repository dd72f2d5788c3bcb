"""`compare --json`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import msgspec
from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.levels import Scale
from vetrina.core.changes.comparing import Compared, MessageClass
from vetrina.core.changes.logger_tree import ALL, BELOW, BOTH, ITSELF
from vetrina.core.changes.sinks_compared import SinkDifference
from vetrina.views.compare import levels, question


class DifferentMessages(Struct):
    """Messages that two plans treat differently; `scope`: the logger exactly, what is not named below it, both, or all below.

    `channel`: of those alone that came by it. `when` are the answers to the rules' questions. `example` was routed through both plans; null where it is undecided.
    """

    logger: str
    scope: Literal["exactly", "below", "both", "all"]
    level: str
    when: list[str]
    only_in_first: list[str]
    only_in_second: list[str]
    example: dict[str, Any] | None
    channel: str | None = None


class DifferentSink(Struct):
    """Two matched appenders that do something else with the same events (`rush`: in the rush hour); undecided where no sample shows it."""

    first: str
    second: str
    kind: Literal["moved", "lines", "rush", "groups", "files", "sink"]
    decided: bool
    what: list[str]
    example: dict[str, Any] | None
    outputs: list[str] | None


class Compare(Struct):
    """`compare --json`; `bounded` are loggers at which the rules' questions multiplied too far to follow all."""

    equal: bool
    classes: int
    differences: list[DifferentMessages]
    undecided: list[DifferentMessages]
    bounded: list[str]
    sinks: list[DifferentSink]


_SCOPES: dict[str, Literal["exactly", "below", "both", "all"]] = {ITSELF: "exactly", BELOW: "below", BOTH: "both", ALL: "all"}


def document(found: Compared, sinks: Sequence[SinkDifference], scale: Scale) -> Compare:
    """Return what two plans treat differently as a document."""
    return Compare(
        not found.differences and not found.undecided and not sinks,
        found.classes,
        [_messages(one, scale) for one in found.differences],
        [_messages(one, scale) for one in found.undecided],
        list(found.bounded),
        [
            DifferentSink(
                one.first,
                one.second,
                one.kind,
                one.decided,
                list(one.words),
                _event(one.example),
                list(one.outputs) if one.outputs else None,
            )
            for one in sinks
        ],
    )


def _messages(one: MessageClass, scale: Scale) -> DifferentMessages:
    return DifferentMessages(
        one.logger,
        _SCOPES.get(one.scope, "below"),
        levels(one, scale),
        [question(ask, answer=answer) for ask, answer in one.answers],
        list(one.only_in_first),
        list(one.only_in_second),
        _event(one.example),
        one.channel or None,
    )


def _event(event: Event | None) -> dict[str, Any] | None:
    return None if event is None else msgspec.to_builtins(event)
