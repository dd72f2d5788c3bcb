"""All that a page is made of: a plan in force, a recording counted by kind, its files over time, what is wrong with it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing.counting import Traffic
from vetrina.core.window.files import Policy, policy_of
from vetrina.core.window.kinds import WindowTraffic


class Recorded(Struct, frozen=True):
    """A recording: its name, the lines of it that are no events, its kinds, its routes, its files over time."""

    name: str
    unreadable: int
    kinds: WindowTraffic
    routes: Traffic
    files: Rolling | None


class Window(Struct, frozen=True):
    """What a page shows. ``asked`` are the options under which the plan is in force."""

    found: ResolvedPlan
    asked: str
    recorded: Recorded | None = None

    def policies(self) -> dict[str, Policy]:
        """Return the policies that can be played on a page, by appender."""
        if self.recorded is None:
            return {}
        plan, kinds = self.found.plan, self.recorded.kinds
        zone = clocks.zone(plan.zone)
        made = {name: policy_of(plan.appenders[name], zone, kinds.first, kinds.last) for name in kinds.rolling}
        return {name: one for name, one in made.items() if one is not None}

    def untold(self, policies: Mapping[str, Policy]) -> Sequence[str]:
        """Return the appenders whose files roll in too many periods for a page: none of its ``policies`` is theirs."""
        return [] if self.recorded is None else sorted(self.recorded.kinds.rolling - policies.keys())
