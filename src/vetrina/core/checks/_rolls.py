"""The rolling files of a scene, and the periods that lie ahead."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

from vetrina.core.base import clocks
from vetrina.core.checks.context import CheckContext
from vetrina.core.plan.model import Appender
from vetrina.core.plan.rolling_policy import Roll
from vetrina.core.rolling.periods import Period, period_of

REFERENCE = datetime(2026, 1, 1, 12, tzinfo=UTC)
_AHEAD = 420


def rolls(scene: CheckContext) -> Iterator[tuple[Appender, Roll]]:
    """Yield the enabled file appenders that roll."""
    for appender in scene.appenders(lambda sink: sink.rolls):
        if appender.policy is not None and appender.policy.rolls:
            yield appender, appender.roll


def periods_ahead(roll: Roll, zone_name: str) -> list[Period]:
    """Return some hundred periods from a fixed day on: enough to see a name come again."""
    if roll.every is None:
        return []
    zone = clocks.zone(zone_name)
    found = [period_of(REFERENCE, roll.every, zone)]
    for _ in range(_AHEAD):
        found.append(period_of(found[-1].end, roll.every, zone))
    return found
