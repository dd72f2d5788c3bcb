"""What writes for each appender of a plan; several at one file share one writer."""

from __future__ import annotations

from vetrina.core.plan.model import Plan
from vetrina.rehearsal.outlets import outlet
from vetrina.rehearsal.outlets.file import RolledFile
from vetrina.rehearsal.outlets.outlet import Outlet, RehearsalSite
from vetrina.rehearsal.shared_file import SharedFile


def shared_files(plan: Plan) -> dict[str, str]:
    """Return the file appenders that write a file together with others, each with the first of them."""
    by_place: dict[str, list[str]] = {}
    for name, one in plan.appenders.items():
        if one.sink.traits.rolls:
            by_place.setdefault(one.sink.place, []).append(name)
    return {name: names[0] for names in by_place.values() if len(names) > 1 for name in names}


def outlets_of(plan: Plan, place: RehearsalSite) -> dict[str, Outlet]:
    """Return what writes for each appender; several at one file share one writer, by the first one's policy."""
    shared = shared_files(plan)
    files: dict[str, tuple[RolledFile, int]] = {}
    found: dict[str, Outlet] = {}
    for name, one in plan.appenders.items():
        first = shared.get(name)
        if first is None:
            found[name] = outlet(one, place)
            continue
        file, owner = files.get(first) or (RolledFile(one, place), 0)
        files[first] = file, owner + 1
        found[name] = SharedFile(file, owner)
    return found
