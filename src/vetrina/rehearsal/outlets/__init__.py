"""The kinds of sink, delivered to for real: one module each, found by its name."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules

from vetrina.core.plan.model import Appender
from vetrina.rehearsal.outlets.outlet import Outlet, RehearsalSite


def outlet(appender: Appender, place: RehearsalSite) -> Outlet:
    """Return the outlet of an appender; a kind's module is imported when it is first needed."""
    made: Outlet = import_module(f"{__name__}.{appender.sink.kind}").OUTLET(appender, place)
    return made


def reads_events(appender: Appender) -> bool:
    """Tell whether the outlet of an appender looks at events, and not only at their times and texts."""
    found: bool = import_module(f"{__name__}.{appender.sink.kind}").OUTLET.reads_events
    return found


def kinds() -> list[str]:
    """Return the names of the kinds that can be delivered to."""
    return sorted(
        module.name for module in iter_modules(__path__) if module.name != "outlet" and not module.name.startswith("_")
    )
