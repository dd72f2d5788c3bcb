"""How logs that are read back were written: by a plan's appender, by a template, or by what their own lines tell."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from msgspec import Struct, field

from vetrina.commands import calling
from vetrina.commands.drafting import draft_document, note_drafts, tell_draft
from vetrina.commands.options import PlanOptions
from vetrina.core.base.faults import offer, refuse
from vetrina.core.base.levels import Scale
from vetrina.core.templates.forms import Template
from vetrina.formats.inputs import Inputs, there
from vetrina.formats.log_samples import ENOUGH, share_of_events
from vetrina.work.asked import known_appenders
from vetrina.work.logs_given import day_given, encoding_given, form_given, setting_given

if TYPE_CHECKING:
    from vetrina.formats.log_drafts import Drafted


class How(Struct, frozen=True):
    """What the options of a call say of that."""

    given: PlanOptions
    plan: Path | None
    appender: str
    template: str | None
    zone: str | None
    encoding: str
    day: str


class Written(Struct):
    """How logs were written; ``short`` tells that a drafted layout reads too little of them."""

    form: Template
    encoding: str = "utf-8"
    scale: Scale = field(default_factory=Scale)
    separator: str = "."
    zone: str = "UTC"
    day: date | None = None
    short: bool = False


@contextmanager
def written_by(how: How, logs: Sequence[str]) -> Iterator[tuple[Inputs, Written]]:
    """Yield the logs and how they were written; where nobody says so, a layout is drafted, and that is said."""
    encoding, day = encoding_given(how.encoding), day_given(how.day)
    if how.plan is not None:
        calling.exclude("--plan", how.plan, {"--zone": how.zone, "--template": how.template})
        plan = how.given.read(how.plan).plan
        if not how.appender:
            raise refuse("which appender wrote them?", fix=offer(how.appender, plan.appenders), where="--appender")
        known_appenders(plan, [how.appender], "--appender")
        one = plan.appenders[how.appender]
        yield there(logs), Written(one.template, encoding or one.encoding, plan.scale, plan.separator, plan.zone, day)
        return
    calling.exclude("no --plan", True, {"--appender": how.appender, **how.given.given()})
    if how.template is not None:
        form = form_given(how.template, setting_given(how.zone or "UTC"))
        yield there(logs), Written(form, encoding or "utf-8", zone=how.zone or "UTC", day=day)
        return
    with calling.again_and_again(there(logs)) as inputs:
        found = _drafted(how, inputs)
        short = note_drafts([(one.name, found) for one in inputs.parts])
        setting = found.layout.template.setting
        yield inputs, Written(
            found.layout.template, found.layout.encoding, found.scale, setting.separator, how.zone or "UTC", found.layout.day, short
        )  # fmt: skip


def print_draft(how: How, logs: Sequence[str], *, as_json: bool) -> None:
    """Print the layout that logs tell; end with 1 where it reads too little of them."""
    with calling.again_and_again(there(logs)) as inputs:
        found = _drafted(how, inputs)
    if as_json:
        calling.print_json(draft_document(found))
    else:
        sys.stdout.write(found.text if found.text.endswith("\n") or not found.text else found.text + "\n")
        tell_draft(found, setting_given(how.zone or "UTC").zone)
    if found.share < ENOUGH:
        raise typer.Exit(calling.Exit.WANTING)


def _drafted(how: How, inputs: Inputs) -> Drafted:
    from vetrina.formats.log_drafts import drafted  # noqa: PLC0415  (a hundred expressions, for drafts only)

    setting_given(how.zone or "UTC")
    events = next((one for one in inputs.parts if share_of_events(one) >= ENOUGH and one.size), None)
    if events is not None:
        raise refuse(
            "these are events already",
            fix="vetrina find searches them, other commands take them as they are",
            where=events.name,
        )
    encoding = encoding_given(how.encoding)
    return drafted(inputs.parts, zone=how.zone or "UTC", encoding=encoding, day=day_given(how.day))
