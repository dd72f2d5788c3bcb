"""What is handed over: a plan and a recording, read for a page."""

from __future__ import annotations

from functools import partial

from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.routing.parts import Part
from vetrina.core.routing.router import Router
from vetrina.core.templates.masking import masker
from vetrina.core.window.files import plays
from vetrina.core.window.kinds import KindCounter
from vetrina.core.window.window import Recorded, Window
from vetrina.views.screen import hider
from vetrina.work import takers
from vetrina.work.files_over_time import Playing
from vetrina.work.recording import Recording


def window(found: ResolvedPlan, asked: str, recording: Recording | None = None) -> Window:
    """Return what a page shows of a plan in force, and of a recording."""
    if recording is None:
        return Window(found, asked)
    plan = found.plan
    mask, clean = masker(plan.mask), hider(plan)
    counter = KindCounter(Router(plan), plays(plan), lambda line: mask(clean(line)))
    for _, events in recording.in_order(plan.scale):
        counter.feed(events)
    make = partial(takers.counter, plan, Part(), True)
    routes = recording.gather(plan.scale, make, counts=takers.counts_events(plan), in_order=plan.remembers).result()
    wanted = tuple(name for name, one in plan.appenders.items() if one.sink.traits.rolls and one.roll.rolls)
    files = Playing(recording, wanted=wanted).files(plan)[0] if wanted else None
    return Window(found, asked, Recorded(recording.name, recording.unreadable, counter.result(), routes, files))
