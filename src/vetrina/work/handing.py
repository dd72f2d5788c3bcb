"""What is handed over: a plan and a recording as one page."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from msgspec import Struct

from vetrina import __version__
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.changes.outcome import Outcome, verdict
from vetrina.core.checks import load
from vetrina.core.checks.runner import Finding, check
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.routing.parts import Part
from vetrina.core.routing.router import Router
from vetrina.core.templates.masking import masker
from vetrina.core.window.files import plays
from vetrina.core.window.kinds import KindCounter, WindowTraffic
from vetrina.core.window.window import Recorded, Window
from vetrina.views.page.change import address_of
from vetrina.views.page.parts import Made, Making, TriedChange, made_page
from vetrina.views.screen import Width, hider, plain
from vetrina.views.whatif import outcome_lines
from vetrina.work import takers
from vetrina.work.checking import circumstances
from vetrina.work.files_over_time import Playing
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording

_EXACT = 2**53 // 1000
"""Bytes that are counted exactly, however often an event is delivered."""
_WIDE = 110


class Tried(Struct, frozen=True):
    """A change that a page begins with: its options, the plan with it, and what it does to the recording (None without one)."""

    words: tuple[str, ...]
    after: ResolvedPlan
    outcome: Outcome | None


class Handed(Struct, frozen=True):
    """A page, with the findings and the change that are on it."""

    page: Made
    findings: Sequence[Finding]
    change: TriedChange | None


def page(
    plan: ResolvedPlan,
    events: str | Path | Iterable[Event] | None = None,
    *,
    changed: ResolvedPlan | None = None,
    title: str = "",
) -> str:
    """Return one page (HTML) that opens in any browser: who gets what, why, and what a change would do.

    Args:
        plan: The plan in force.
        events: The events that are counted on it; without any it shows gates, levels and findings.
        changed: The same plan with a change that the page begins with.
        title: A heading in place of the plan's own.

    Raises:
        Refused: For events that cannot be read, or are too many for a browser to count exactly.
    """
    recording = None if events is None else Recording(events)
    tried = None
    if changed is not None:
        words = (changed.overrides.words().removeprefix(plan.overrides.words()).strip(),)
        tried = Tried(words, changed, None if recording is None else Trial(recording).outcome(plan, changed, words))
    return handed(plan, recording, title, tried).page.text


def handed(found: ResolvedPlan, recording: Recording | None, title: str = "", tried: Tried | None = None) -> Handed:
    """Return the page of a plan in force, of a recording, and of a change that it begins with."""
    known = circumstances(found.plan, recording)
    findings = check(found, known)
    ran = sum(one.needs in known.needs() for one in load().values())
    change = None if tried is None else _change(found, tried)
    making = Making(_now(), __version__, ran, title)
    return Handed(made_page(window(found, recording), findings, making, change), findings, change)


def window(found: ResolvedPlan, recording: Recording | None = None) -> Window:
    """Return what a page shows of a plan in force, and of a recording."""
    asked = found.overrides.words()
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
    wanted = tuple(name for name, one in plan.appenders.items() if one.rolls)
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


def _change(found: ResolvedPlan, tried: Tried) -> TriedChange:
    outcome, words = tried.outcome, " ".join(tried.words)
    if outcome is None:
        return TriedChange(words, (), (), address_of(found, tried.after))
    told = plain(outcome_lines([outcome], (), found, [tried.after], Width(_WIDE, whole=True), ""))
    lines = tuple(hider(found.plan)(told).splitlines())
    estimates = outcome.effects.foreseen is not None or outcome.effects.streamed > 0
    return TriedChange(words, verdict(outcome), lines, address_of(found, tried.after), estimates)


def _now() -> datetime:
    """Return the time at which the page is made; SOURCE_DATE_EPOCH, as reproducible builds have it, stands in for the clock."""
    given = os.environ.get("SOURCE_DATE_EPOCH", "")
    return datetime.fromtimestamp(int(given), tz=UTC) if given.isdigit() and len(given) <= 11 else datetime.now(tz=UTC)
