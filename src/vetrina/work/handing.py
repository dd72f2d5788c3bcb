"""What is handed over: a plan and a recording, read for a page."""

from __future__ import annotations

from functools import partial

from vetrina.core.base.faults import refuse
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.routing.parts import Part
from vetrina.core.routing.router import Router
from vetrina.core.templates.masking import masker
from vetrina.core.window.files import plays
from vetrina.core.window.kinds import KindCounter, WindowTraffic
from vetrina.core.window.window import Recorded, Window
from vetrina.views.screen import hider
from vetrina.work import takers
from vetrina.work.files_over_time import Playing
from vetrina.work.recording import Recording

_EXACT = 2**53 // 1000
"""Bytes that are counted exactly, however often an event is delivered."""


def window(found: ResolvedPlan, asked: str, recording: Recording | None = None) -> Window:
    """Return what a page shows of a plan in force, and of a recording."""
    if recording is None:
        return Window(found, asked)
    plan = found.plan
    mask, clean = masker(plan.mask), hider(plan)
    counter = KindCounter(Router(plan), plays(plan), lambda line: mask(clean(line)))
    for _, events in recording.in_order(plan.scale):
        counter.feed(events)
    kinds = counter.result()
    _countable(kinds)
    make = partial(takers.counter, plan, Part(), True)
    routes = recording.gather(plan.scale, make, counts=takers.counts_events(plan), in_order=plan.remembers).result()
    wanted = tuple(name for name, one in plan.appenders.items() if one.sink.traits.rolls and one.roll.rolls)
    files = Playing(recording, wanted=wanted).files(plan)[0] if wanted else None
    return Window(found, asked, Recorded(recording.name, recording.unreadable, kinds, routes, files))


def _countable(kinds: WindowTraffic) -> None:
    """Refuse what a browser could not count exactly: its numbers are doubles (IEEE 754)."""
    days = [day for kind in kinds.kinds for day in kind.days.values()]
    most = max(kinds.events, sum(sum(day.bytes) for day in days))
    if most >= _EXACT:
        raise refuse(
            f"the events, or their bytes, come to {most:,} in all, and a browser cannot count so far exactly",
            f"a page counts up to {_EXACT:,}", "hand over a part of them, or ask whatif", where="page",
        )  # fmt: skip
