"""Vetrina: see which log messages reach which sink, before a logging configuration is changed.

A `Router` decides on each event by itself; what limits, recalls and queues do depends on the events before: `Passages`.
The same as the commands, for Python programs::

    import vetrina

    plan = vetrina.read_plan("plan.yaml", stages=["live"])
    router = vetrina.Router(plan)
    for event in vetrina.read_events("week.jsonl", scale=plan.scale):
        route = router.route(event)
        print(event.logger, [delivery.appender for delivery in route.deliveries])

Names are loaded when they are first used, so that importing this package costs nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from vetrina.core.base.events import Event
    from vetrina.core.base.faults import Fault, Place, Refused
    from vetrina.core.base.levels import Scale
    from vetrina.core.changes.outcome import Outcome
    from vetrina.core.checks.runner import Finding
    from vetrina.core.config.resolution import ResolvedPlan
    from vetrina.core.plan.loggers import Tree
    from vetrina.core.plan.model import Plan
    from vetrina.core.pressure.gauges import AppenderPressure
    from vetrina.core.rolling.playing import Rolling
    from vetrina.core.routing.counting import Counter, Traffic
    from vetrina.core.routing.explaining import Explanation
    from vetrina.core.routing.level_rows import LevelRow
    from vetrina.core.routing.passages import Passages
    from vetrina.core.routing.previewing import Shown
    from vetrina.core.routing.router import Route, Router
    from vetrina.formats.events import EventStream, read_events
    from vetrina.formats.plans import read_plan
    from vetrina.work.applying import Change
    from vetrina.work.calls import (
        Differences,
        apply,
        check,
        compare,
        explain,
        levels,
        pressure,
        preview,
        read,
        resolve,
        rolling,
        route,
        whatif,
    )
    from vetrina.work.handing import page

_HOMES = {
    "AppenderPressure": "core.pressure.gauges",
    "Change": "work.applying",
    "Counter": "core.routing.counting",
    "Differences": "work.calls",
    "Event": "core.base.events",
    "EventStream": "formats.events",
    "Explanation": "core.routing.explaining",
    "Fault": "core.base.faults",
    "Finding": "core.checks.runner",
    "LevelRow": "core.routing.level_rows",
    "Outcome": "core.changes.outcome",
    "Passages": "core.routing.passages",
    "Place": "core.base.faults",
    "Plan": "core.plan.model",
    "Refused": "core.base.faults",
    "ResolvedPlan": "core.config.resolution",
    "Rolling": "core.rolling.playing",
    "Route": "core.routing.router",
    "Router": "core.routing.router",
    "Scale": "core.base.levels",
    "Shown": "core.routing.previewing",
    "Traffic": "core.routing.counting",
    "Tree": "core.plan.loggers",
    "apply": "work.calls",
    "check": "work.calls",
    "compare": "work.calls",
    "explain": "work.calls",
    "levels": "work.calls",
    "page": "work.handing",
    "pressure": "work.calls",
    "preview": "work.calls",
    "read": "work.calls",
    "read_events": "formats.events",
    "read_plan": "formats.plans",
    "resolve": "work.calls",
    "rolling": "work.calls",
    "route": "work.calls",
    "whatif": "work.calls",
}
__all__ = [
    "AppenderPressure",
    "Change",
    "Counter",
    "Differences",
    "Event",
    "EventStream",
    "Explanation",
    "Fault",
    "Finding",
    "LevelRow",
    "Outcome",
    "Passages",
    "Place",
    "Plan",
    "Refused",
    "ResolvedPlan",
    "Rolling",
    "Route",
    "Router",
    "Scale",
    "Shown",
    "Traffic",
    "Tree",
    "__version__",
    "apply",
    "check",
    "compare",
    "explain",
    "levels",
    "page",
    "pressure",
    "preview",
    "read",
    "read_events",
    "read_plan",
    "resolve",
    "rolling",
    "route",
    "whatif",
]


def __getattr__(name: str) -> Any:
    """Load a public name when it is first used."""
    home = _HOMES.get(name)
    if home is None:
        message = f"module 'vetrina' has no attribute {name!r}"
        raise AttributeError(message)
    return getattr(import_module(f"vetrina.{home}"), name)
