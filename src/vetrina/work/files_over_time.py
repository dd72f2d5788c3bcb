"""Recordings played into rolling files: repeated, scaled, with streams added, through one plan or another."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import timedelta

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.faults import offer, refuse
from vetrina.core.config.edits import Edit, with_edits
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.codecs import MeasuringPacker
from vetrina.core.rolling.outlook import Advice, advise
from vetrina.core.rolling.playing import Rolling, measured_ratio, repeated
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.core.rolling.streams import Stream, scaled
from vetrina.core.routing.router import Router
from vetrina.work.recording import Recording


class Playing(Struct, frozen=True):
    """How a recording is played into files.

    ``repeat`` is how often, ``scale`` how many times as many events (drawn with ``seed``), ``streams`` are added;
    ``ratio`` is the packed size in parts of the size, measured by packing where None; ``wanted`` names file appenders.
    """

    recording: Recording
    repeat: int = 1
    scale: float = 1.0
    seed: int = 1
    streams: Sequence[Stream] = ()
    ratio: float | None = None
    wanted: tuple[str, ...] = ()

    def files(self, plan: Plan) -> tuple[Rolling, list[str]]:
        """Return the files of a plan after this traffic, and the appenders of which nothing tells how they pack."""
        means: dict[str, dict[int, int]] = {}
        ratios: dict[str, float] | None = None
        first: Rolling | None = None
        if self.streams:  # a first round tells the levels' mean sizes, and how well the content packs
            first = self._rolling(plan, None)
            first.tracks_levels = True
            first.feed(self.recording.read(plan.scale))
            means = first.means()
            ratios = {name: measured_ratio(one) for name, one in first.lanes.items()} if self.ratio is None else None
        rolling = self._rolling(plan, ratios)
        if self.streams:
            rolling.add_streams(self.streams, means)
        rolling.feed(self._events(plan))
        rolling.finish()
        return rolling, _not_known(first, rolling) if first is not None and ratios is not None else []

    def _events(self, plan: Plan) -> Iterable[Event]:
        whole = repeated(lambda: self.recording.read(plan.scale), self.repeat)
        return whole if self.scale == 1 else scaled(whole, self.scale, self.seed)

    def _rolling(self, plan: Plan, ratios: dict[str, float] | None) -> Rolling:
        return Rolling(Router(plan), wanted=self.wanted, ratio=self.ratio, packer=MeasuringPacker, ratios=ratios)

    def advise(self, found: ResolvedPlan, name: str, disk: int | None, history: timedelta | None) -> Advice:
        """Return limits for one file that meet a wish (bytes, or how far back), each tried on this traffic."""

        def tried(edits: tuple[Edit, ...]) -> FileSimulation | None:
            after = with_edits(found, edits)
            if after is None:
                return None
            one = self.files(after.plan)[0].lanes.get(name)
            return one.simulation if one else None

        return advise(name, found.plan.appenders[name].roll, disk, history, tried)


def _not_known(first: Rolling, rolling: Rolling) -> list[str]:
    """Return the appenders that streams alone fill, and that pack: how small is not known."""
    return [
        name
        for name, one in rolling.lanes.items()
        if one.appender.roll.names.codec and one.simulation.files and not first.lanes[name].simulation.files
    ]


def file_appenders(plan: Plan, wanted: Iterable[str]) -> None:
    """Refuse a plan without files, and names that no file appender has."""
    files = [name for name, one in plan.appenders.items() if one.sink.traits.rolls]
    for name in wanted:
        if name not in files:
            what = f'no file appender is called "{name[:60]}"' if name not in plan.appenders else f"{name} is no file appender"
            raise refuse(what, fix=offer(name, files), where="--appender")
    if not files:
        raise refuse("the plan has no file appender", fix="rolling is about appenders with sink: file", where="rolling")
