"""Vetrina: see which log messages reach which sink, before a logging configuration is changed.

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
    from vetrina.core.plan.loggers import Tree
    from vetrina.core.plan.model import Plan
    from vetrina.core.routing.counting import Counter, Traffic
    from vetrina.core.routing.explaining import Explanation, explain
    from vetrina.core.routing.router import Route, Router
    from vetrina.formats.events import EventStream, read_events
    from vetrina.formats.plans import read_plan

_HOMES = {
    "Counter": "core.routing.counting",
    "Event": "core.base.events",
    "EventStream": "formats.events",
    "Explanation": "core.routing.explaining",
    "Fault": "core.base.faults",
    "Place": "core.base.faults",
    "Plan": "core.plan.model",
    "Refused": "core.base.faults",
    "Route": "core.routing.router",
    "Router": "core.routing.router",
    "Scale": "core.base.levels",
    "Traffic": "core.routing.counting",
    "Tree": "core.plan.loggers",
    "explain": "core.routing.explaining",
    "read_events": "formats.events",
    "read_plan": "formats.plans",
}
__all__ = [
    "Counter",
    "Event",
    "EventStream",
    "Explanation",
    "Fault",
    "Place",
    "Plan",
    "Refused",
    "Route",
    "Router",
    "Scale",
    "Traffic",
    "Tree",
    "__version__",
    "explain",
    "read_events",
    "read_plan",
]


def __getattr__(name: str) -> Any:
    """Load a public name when it is first used."""
    home = _HOMES.get(name)
    if home is None:
        message = f"module 'vetrina' has no attribute {name!r}"
        raise AttributeError(message)
    return getattr(import_module(f"vetrina.{home}"), name)
