"""window-overlap: a level that goes to both of two complementary appenders.

Two appenders hang on one logger, one up to a ceiling, the other from a floor on, and the level in which they meet is in both.

Found::

    loggers: {root: {to: [low, high]}}
    appenders: {low: {sink: none, ceiling: warn}, high: {sink: none, floor: warn}}

Fine::

    loggers: {root: {to: [low, high]}}
    appenders: {low: {sink: none, ceiling: notice}, high: {sink: none, floor: warn}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._windows import complements
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find neighbours that share their boundary."""
    for logger, low, high in complements(scene):
        if low.ceiling.value >= high.floor.value:
            shared = scene.level(high.floor.value)
            if low.ceiling.value > high.floor.value:
                shared += f" to {scene.level(low.ceiling.value)}"
            yield Hit(
                high.floor.origin,
                f"appender {high.name}",
                f"{shared} of {logger} goes to {low.name} and to {high.name}",
                f"the ceiling of the one ({low.ceiling.origin.brief()}) includes the floor of the other",
                "let the one end below where the other begins",
            )


CHECK = Check("window-overlap", "hint", "a level that goes to both of two complementary appenders", find)
