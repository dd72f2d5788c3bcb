"""Names in options that neither the plan nor the events know: they are told, with the nearest that is known."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

import click

from vetrina.commands import calling
from vetrina.core.base.faults import near_logger, nearest
from vetrina.core.base.logger_names import ROOT, ancestry, below
from vetrina.views.screen import Line, Span, number, span

if TYPE_CHECKING:
    from vetrina.core.base.levels import Scale
    from vetrina.core.plan.model import Plan
    from vetrina.core.rolling.streams import Stream
    from vetrina.core.routing.parts import Part
    from vetrina.formats.sources import Source
    from vetrina.work.known_names import AskedName, KnownNames

_ASKED = "vetrina.asked-names"


def ask_about(plan: Plan, option: str, loggers: Iterable[str] = (), fields: Iterable[str] = ()) -> None:
    """Keep in mind loggers that an option names and the plan does not know, and fields: whether the events do is told by `tell_unknown`."""
    from vetrina.work.known_names import AskedName  # noqa: PLC0415  (commands without such options start without it)

    context = click.get_current_context(silent=True)
    if context is None:
        return
    own = _own(plan)
    missing = [one for one in loggers if one and not any(below(name, one, plan.separator) for name in own)]
    asked = [*(AskedName(option, one) for one in missing), *(AskedName(option, one, is_field=True) for one in fields)]
    if asked:
        kept: dict[AskedName, Plan] = context.meta.setdefault(_ASKED, {})
        kept.update(dict.fromkeys(asked, plan))


def part_of(plan: Plan, logger: str, level: str, field: list[str]) -> Part:
    """Return which events --logger, --level and --field leave; their names are kept in mind."""
    part = calling.part_of(plan.scale, logger, level, field)
    ask_about(plan, "--logger", [logger])
    ask_about(plan, "--field", fields=[name for name, _ in part.fields])
    return part


def streams_of(plan: Plan, rates: Sequence[str]) -> tuple[Stream, ...]:
    """Return the streams that --rate adds; their loggers are kept in mind."""
    from vetrina.work.asked import streams as streams_given  # noqa: PLC0415  (only where streams are added)

    streams = tuple(streams_given(plan.scale, rates, "--rate"))
    ask_about(plan, "--rate", [one.logger for one in streams])
    return streams


def ask_about_changes(plan: Plan) -> None:
    """Keep in mind the loggers that stand in options of the call alone."""
    named: dict[str, list[str]] = {}
    for name, one in plan.loggers.items():
        if one.origin.kind == "option":
            named.setdefault(one.origin.label.partition(" ")[0], []).append(name)
    for option, loggers in named.items():
        ask_about(plan, option, loggers)


def _own(plan: Plan) -> list[str]:
    """Return root and the loggers that the plan knows without the call's options."""
    return [ROOT, *(name for name, one in plan.loggers.items() if one.origin.kind != "option")]


def tell_unknown(sources: Sequence[Source] = (), label: str = "") -> None:
    """Tell on standard error the names kept in mind that none of the events of ``sources`` has; without any, those that the plan does not know."""
    context = click.get_current_context(silent=True)
    kept: dict[AskedName, Plan] = {} if context is None else context.meta.pop(_ASKED, {})
    for plan in {id(one): one for one in kept.values()}.values():
        asked = [one for one, of in kept.items() if of is plan]
        remarks = (
            unknown_lines(asked, _own(plan), sources, label, plan.scale, plan.separator)
            if sources
            else [_line(one, _own(plan), plan.separator, None, label) for one in asked if not one.is_field]
        )
        calling.remark(remarks)


def unknown_lines(
    asked: Sequence[AskedName], known: Sequence[str], sources: Sequence[Source], label: str, scale: Scale, separator: str
) -> list[Line]:
    """Return, for each asked name that no event of ``sources`` has, that it is so, with the nearest of these and of ``known`` loggers."""
    from vetrina.work.known_names import known_names  # noqa: PLC0415

    found = known_names(asked, sources, scale, separator)
    return [_line(one, known, separator, found, label) for one in found.unmet]


def _line(one: AskedName, known: Sequence[str], separator: str, found: KnownNames | None, label: str) -> Line:
    return [Span("note: ", "raised"), span(_words(one, known, separator, found, label))]


def _words(one: AskedName, known: Sequence[str], separator: str, found: KnownNames | None, label: str) -> str:
    seen = label if found is None or found.whole else f"the first {number(found.events)} events of {label}"
    if one.is_field:
        words = f'{one.option}: no event of {seen} has a field "{one.name[:80]}"'
        close = next(iter(nearest(one.name, found.fields if found else ())), None)
        return words + (f'; did you mean "{close}"?' if close else "")
    places = [*(["configured"] if known else []), *([f"seen in {seen}"] if found else [])]
    words = f'{one.option}: no such logger is {" or ".join(places)}: "{one.name[:80]}"'
    if "," in one.name:
        return f"{words}; a comma is part of the name: name one logger at a time"
    seen_names = [above for name in (found.loggers if found else ()) for above in ancestry(name, separator)]
    close = near_logger(one.name, dict.fromkeys([*known, *seen_names]), separator)
    return words + (f'; did you mean "{close}"?' if close else "")
