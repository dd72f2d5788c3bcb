"""What a call of `find` asks for, and which of its options go together."""

from __future__ import annotations

from datetime import tzinfo
from pathlib import Path
from typing import Any

from msgspec import Struct

from vetrina.commands import calling
from vetrina.commands.options import FLAGS, PlanOptions
from vetrina.core.base import clocks
from vetrina.core.base.faults import offer, refuse
from vetrina.core.base.levels import Scale
from vetrina.core.finding.counts import PLAIN, By
from vetrina.core.plan.model import Plan
from vetrina.core.templates.compiling import Setting
from vetrina.views.screen import Width

_LINES = ("columns", "as_", "stacks", "around")
_NO_EFFECT: dict[str, tuple[str, ...]] = {
    "count_by": (*_LINES, "fold", "journey", "journey_in", "blocks", "follow", "as_is"),
    "journey": (*_LINES, "fold", "blocks", "follow", "as_is", "plot"),
    "journey_in": (*_LINES, "fold", "blocks", "follow", "as_is", "plot"),
    "blocks": (*_LINES, "fold", "follow"),
    "fold": (*_LINES, "follow", "plot"),
    "as_": ("columns", "stacks", "json"),
    "columns": ("stacks",),
    "json": ("stacks", "wide"),
    "first": ("last",),
    "follow": ("last", "between", "as_is", "plot", "copy", "fail_on"),
    "template": ("plan", "appender"),
    "plan": ("given_zone", "separator"),
}
"""Options that have no effect beside one."""
_NEEDS: dict[str, tuple[str, ...]] = {
    "per": ("blocks",),
    "mask": ("copy",),
    "ignore_case": ("text", "message"),
    "appender": ("plan",),
    "where": ("plan",),
    "separator": ("logger", "not_logger", "keep", "drop", "columns", "as_"),
}
"""Options that have an effect only beside one of others."""
_SPELT = {"as_": "--as", "given_zone": "--zone", "day": "--date", "sources": "SOURCE", "error": "--error"}


def flag(name: str) -> str:
    """Return an option as it is written."""
    return _SPELT.get(name, "--" + name.replace("_", "-"))


class Call(Struct):
    """The options of a call, by their names; ``read`` is its plan, ``short`` tells that a drafted layout reads too little."""

    given: PlanOptions
    sources: list[str] | None
    plan: Path | None
    appender: list[str]
    where: bool
    template: str | None
    given_zone: str | None
    separator: str | None
    encoding: str
    day: str
    shift: list[str]
    logger: list[str]
    not_logger: list[str]
    level: str
    message: list[str]
    text: list[str]
    ignore_case: bool
    thread: str | None
    field: list[str]
    error: bool | None
    since: str
    until: str
    between: tuple[str, str] | None
    keep: list[str]
    drop: list[str]
    around: int
    first: int | None
    last: int | None
    as_is: bool
    columns: str
    as_: str | None
    stacks: bool
    fold: bool
    count_by: list[str]
    journey: str
    journey_in: str
    blocks: tuple[str, str] | None
    per: str
    plot: Path | None
    copy: Path | None
    mask: bool
    follow: bool
    fail_on: str
    workers: str
    wide: bool
    json: bool
    read: Plan | None = None
    short: bool = False

    def refuse_what_has_no_effect(self) -> None:
        """Raise Refused for options that do not go together, or are none."""
        if self.where:
            calling.only_beside("--where", "--plan", "--appender", "--json", "--wide", *FLAGS.values())
        for name, others in _NO_EFFECT.items():
            calling.exclude(flag(name), self._of(name), {flag(one): self._of(one) for one in others})
        for name, others in _NEEDS.items():
            if self._of(name) and not any(map(self._of, others)):
                words = " or ".join(map(flag, others))
                raise refuse(
                    f"{flag(name)} has an effect only with {words}", fix=f"add {words}, or leave it out", where=flag(name)
                )
        if self.plan is None:
            for option, value in self.given.given().items():
                if value:
                    raise refuse(f"{option} has an effect only with --plan", fix="add --plan, or leave it out", where=option)
        if not self.sources and self.plan is None:
            raise refuse("what is searched?", fix="name files or folders, or a --plan whose files are searched", where="find")
        if self.fail_on not in {"", "none", "some"}:
            raise refuse(
                f'"{self.fail_on[:40]}" is nothing to fail on', fix=offer(self.fail_on, ("none", "some")), where="--fail-on"
            )
        calling.picture_kind(self.plot)

    def _of(self, name: str) -> Any:
        """Return an option's value, None where it was not given."""
        value = getattr(self, name)
        return True if name == "error" and value is not None else value or None

    @property
    def taps(self) -> bool:
        """Whether the hits themselves are wanted for something else than to be shown."""
        return self.copy is not None or (self.plot is not None and not self.blocks)

    @property
    def zone_name(self) -> str:
        """The zone of what is shown: the plan's, or the one that is given."""
        return self.read.zone if self.read is not None else self.given_zone or "UTC"

    @property
    def zone(self) -> tzinfo:
        """The zone of what is shown."""
        return clocks.zone(self.zone_name)

    @property
    def scale(self) -> Scale:
        """The levels that there are."""
        return self.read.scale if self.read is not None else Scale()

    @property
    def setting(self) -> Setting:
        """What a template of this call takes from the plan."""
        if self.read is not None:
            return Setting(self.zone, self.read.separator, self.read.scale, self.read.mask)
        return Setting(self.zone, self.separator or ".")

    @property
    def width(self) -> Width:
        """How many columns there are for what is shown."""
        return calling.width(wide=self.wide)

    def by(self) -> tuple[By, ...]:
        """Return what is counted by; raise Refused for what is nothing of the kind."""
        if len(self.count_by) > 2:
            raise refuse("events are counted by one thing or by two", fix="leave some out", where="--count-by")
        return tuple(named_by(one, "--count-by") for one in self.count_by)


def named_by(text: str, option: str, plain: tuple[str, ...] = PLAIN) -> By:
    """Return what an option names: one of ``plain``, or a field."""
    kind, _, name = text.strip().partition(" ")
    if kind == "field" and name.strip():
        return By("field", name.strip())
    if text.strip() in plain:
        return By(text.strip())
    fix = offer(text.strip(), (*plain, "field NAME"))
    raise refuse(f'"{text[:60]}" is nothing to go by', fix=fix, where=option)
