"""Pairs of appenders that divide the levels between them."""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.levels import OFF
from vetrina.core.checks.context import CheckContext
from vetrina.core.plan.model import Appender


def complements(scene: CheckContext) -> Iterator[tuple[str, Appender, Appender]]:
    """Yield (logger, lower, upper): both attached to one logger, one open downwards, the other upwards."""
    told: set[tuple[str, str]] = set()
    for name, entry in scene.tree.entries.items():
        own = [scene.plan.appenders[one.appender] for one in entry.to if scene.plan.appenders[one.appender].enabled.value]
        lower = [one for one in own if one.ceiling.value < OFF and one.ceiling.value >= one.floor.value]
        upper = [one for one in own if one.floor.value > 1 and one.ceiling.value >= OFF]
        for low in lower:
            for high in upper:
                if low.floor.value < high.floor.value and low is not high and (low.name, high.name) not in told:
                    told.add((low.name, high.name))
                    yield name, low, high
