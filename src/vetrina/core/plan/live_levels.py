"""A plan with levels as they are set while a process runs: set, or taken away again."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec.structs import replace

from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.plan.model import Logger, Plan

_ORIGIN = Origin("option", None, "set while it runs")


def with_levels(plan: Plan, levels: Mapping[str, int | None]) -> Plan:
    """Return a plan in which some loggers have other levels, None for none of their own.

    A logger that the plan does not configure, or has switched off, gets an entry that says nothing but its level.
    """
    loggers = dict(plan.loggers)
    for name, level in levels.items():
        set_ = None if level is None else Sourced(level, _ORIGIN)
        entry = loggers.get(name)
        if entry is not None and entry.enabled.value:
            loggers[name] = replace(entry, level=set_)
        elif set_ is not None:
            loggers[name] = Logger(name, _ORIGIN, set_)
    return replace(plan, loggers=loggers)
