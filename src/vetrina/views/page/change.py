"""A change for a page: whether it can be tried there, and as what."""

from __future__ import annotations

import copy
import re
from typing import Any
from urllib.parse import urlencode

from vetrina.core.config.edits import changed_lines
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.views.page.plan_data import plan_data

_TRIED = re.compile(r"[-+] (loggers.*\.(level|enabled)|appenders.*\.(enabled|floor|ceiling)): ")


def address_of(before: ResolvedPlan, after: ResolvedPlan) -> str | None:
    """Return a change as the part of an address that lets the page begin with it, None where it cannot be tried there.

    A page tries levels, switches, floors and ceilings; of templates, sinks and policies it knows nothing.
    """
    others = any(not _TRIED.match(line) for line in changed_lines(before, after))
    was, now = (_bare(plan_data(found.plan, {})) for found in (before, after))
    words: list[tuple[str, str]] = []
    tried = copy.deepcopy(was)
    known = {one["name"]: one for one in tried["loggers"]}
    for one in now["loggers"]:
        mine = known.get(one["name"])
        if mine is None:
            mine = {**one, "level": None, "enabled": False}
            known[one["name"]] = mine
            tried["loggers"].append(mine)
        if one["level"] is not None and one["enabled"] and (one["level"] != mine["level"] or not mine["enabled"]):
            words.append(("level", f"{one['level']} {one['name']}"))
            mine["level"], mine["enabled"] = one["level"], True
    for mine, one in zip(tried["appenders"], now["appenders"], strict=False):
        for key, name in (("on", "enabled"), ("floor", "floor"), ("ceiling", "ceiling")):
            if mine["name"] == one["name"] and mine[name] != one[name]:
                words.append((key, f"{int(one[name])} {one['name']}"))
                mine[name] = one[name]
    return None if others or tried != now or not words else urlencode(words)


def _bare(data: Any) -> Any:
    """Return a plan's data without the places where things stand, and without remarks."""
    if isinstance(data, dict):
        return {key: _bare(one) for key, one in data.items() if not key.endswith("At") and key not in {"at", "assumed", "note"}}
    return [_bare(one) for one in data] if isinstance(data, list | tuple) else data
