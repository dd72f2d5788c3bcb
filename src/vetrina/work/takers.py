"""What takes the events of a recording, made in any process: of plans that travel, and of the number of events before."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import timedelta

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.changes.expecting import Recorder
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.checks.runner import Looking
from vetrina.core.foresight.hidden import Recorded, SeenHere
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.codecs import MeasuringPacker
from vetrina.core.rolling.playing import Rolling, RollingSums
from vetrina.core.rolling.streams import Stream
from vetrina.core.routing.counting import Counter
from vetrina.core.routing.grouping import Grouping
from vetrina.core.routing.parts import Part
from vetrina.core.routing.router import Router


def counter(plan: Plan, part: Part, with_bytes: bool, number: int) -> Counter:  # noqa: FBT001  (made with partial)
    """Return what counts deliveries, and measures them ``with_bytes``."""
    return Counter(Router(plan), with_bytes=with_bytes, part=part, number=number)


def grouping(plan: Plan, field: str, part: Part, number: int) -> Grouping:
    """Return what counts by the values of a field."""
    del number
    return Grouping(Router(plan), field, part)


def comparison(before: Plan, after: Plan, streams: Sequence[Stream], number: int) -> Comparison:
    """Return what sends events through two plans at once, and plays ``streams`` between them."""
    return Comparison(Router(before), Router(after), number, streams)


def looking(plan: Plan, number: int) -> Looking:
    """Return what looks at what the events of each logger are like."""
    del number
    return Looking(Router(plan))


def recorder(plan: Plan, number: int) -> Recorder:
    """Return what records the classes of events."""
    del number
    return Recorder(Router(plan))


class Files(Struct, frozen=True):
    """How the files of a plan are simulated: those ``wanted``, with which ratio or ratios; with ``levels`` sizes by severity."""

    plan: Plan
    wanted: tuple[str, ...] = ()
    ratio: float | None = None
    ratios: dict[str, float] | None = None
    levels: bool = False

    def rolling(self, number: int = 0, *, tapes_only: bool = False) -> Rolling:
        """Return the simulation, before which so many events came."""
        rolling = Rolling(
            Router(self.plan), wanted=self.wanted, ratio=self.ratio, ratios=self.ratios, packer=MeasuringPacker, number=number,
            tapes_only=tapes_only,
        )  # fmt: skip
        rolling.tracks_levels = self.levels
        return rolling


class FilesTaker:
    """The files of one plan or several, fed with the same events, which are shifted in time."""

    def __init__(self, sides: list[Rolling], shift: timedelta) -> None:
        self._sides, self._shift = sides, shift

    def feed(self, events: Iterable[Event]) -> None:
        """Send events through each plan."""
        some = list(events)
        if self._shift:
            for event in some:
                event.time += self._shift
        for side in self._sides:
            side.feed(some)

    def sums(self) -> list[RollingSums]:
        """Return what was taken down so far."""
        return [side.sums() for side in self._sides]

    def add(self, sums: list[RollingSums]) -> None:
        """Play what was taken down of events that come later."""
        for side, one in zip(self._sides, sums, strict=True):
            side.add(one)


def seen_here(recorded: Plan, names: frozenset[str], number: int) -> SeenHere:
    """Return what counts the events that a recording made under a plan can hold."""
    del number
    return SeenHere(Recorded(Router(recorded)), names)


def files(hows: tuple[tuple[Files, bool], ...], before: int, shift: timedelta, number: int) -> FilesTaker:
    """Return what takes down what reaches the files of some plans, with the latest times where those are asked for."""
    sides = []
    for how, clock in hows:
        side = how.rolling(before + number, tapes_only=True)
        side.tracks_clock = clock
        sides.append(side)
    return FilesTaker(sides, shift)


def in_order(*plans: Plan) -> bool:
    """Tell whether a plan decides on events in their order."""
    return any(one.remembers for one in plans)


def counts_events(*plans: Plan, names: Iterable[str] = ()) -> bool:
    """Tell whether a template of some plans, or of those ``names`` in them, shows an event's number among all."""
    return any("sequence" in plan.appenders[name].template.sources() for plan in plans for name in names or plan.appenders)
