"""What a recording lacks, learned from others and played into rolling files: once as expected, and again and again as drawn."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base import clocks
from vetrina.core.base.events import Event
from vetrina.core.foresight.draws import range_of
from vetrina.core.foresight.hidden import instant_of
from vetrina.core.foresight.imagined import HOUR, Imagination, Play, among, timeline
from vetrina.core.foresight.lessons import Foretold, Kind, Lesson, Lessons
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.lanes import FilesForeseen, RollingAppender
from vetrina.core.rolling.merging_tapes import Extra, joined, merged, of_stream
from vetrina.core.rolling.outlook import kept_history, measured_ratio
from vetrina.core.rolling.playing import Rolling
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.work.files_over_time import Means, Playing
from vetrina.work.foreseeing import plays_of
from vetrina.work.takers import Files

_TOGETHER = 1000
_QUICK, _QUICK_TAPES = 100_000, 1_000_000
"""Events that are played in some three seconds: one by one, and from tapes."""


def foreseen_files(playing: Playing, plans: Sequence[Plan], lessons: Lessons) -> list[Rolling]:
    """Return the files of each plan after this traffic and what it lacks, as expected, with ranges."""
    imagination = Imagination(lessons, timeline(lessons, playing.repeat, playing.scale), playing.seed)
    expected = imagination.expected
    hows = [Files(plan, playing.wanted, playing.ratio, levels=bool(playing.streams)) for plan in plans]
    if lessons.remembers:
        return _fed(playing, hows, imagination)
    tapes = playing.tapes(hows)
    plays = imagination.plays(plays_of(tapes[0].events + expected, _QUICK_TAPES))
    for side, rolling in enumerate(tapes):
        _Tapes(playing, imagination, side, rolling).play(plays)
        rolling.foretold = foretold_of(imagination, plays)
    return tapes


def foretold_of(imagination: Imagination, plays: Sequence[Play]) -> Foretold:
    """Return what was learned, for those who read it."""
    return Foretold(imagination.lessons, tuple(imagination.totals(plays)), len(plays))


class _Figures(Struct):
    """What one play of a file came to."""

    events: int
    bytes: int
    files: int
    peak: int
    history: float


def _figures_of(found: FileSimulation) -> _Figures:
    events = sum(one.events for one in found.files)
    size = sum(one.bytes for one in found.files)
    return _Figures(events, size, len(found.files), found.peak, kept_history(found).total_seconds())


def _give_ranges(lane: RollingAppender, played: Sequence[_Figures], lessons: tuple[Lesson, ...]) -> None:
    """Give a file its ranges; what is expected is always in them."""
    own = _figures_of(lane.simulation)
    found = [
        range_of(round(getattr(own, key)), [getattr(one, key) for one in played], lessons) for key in _Figures.__struct_fields__
    ]
    lane.foreseen = FilesForeseen(len(played), *found)


def _fed(playing: Playing, hows: Sequence[Files], imagination: Imagination) -> list[Rolling]:
    """Play event by event: limits, recalls and queues decide on each, in their order."""
    means: Means = {}
    if any(one.size is None for one in playing.streams):
        (first,) = playing.tapes(hows[:1])
        means = first.means()

    def played(play: Play, ratios: list[dict[str, float]] | None = None) -> list[Rolling]:
        sides = [(how if ratios is None else replace(how, ratios=ratios[turn])).rolling() for turn, how in enumerate(hows)]
        _feed(sides, playing, means, among(playing.events(hows[0].plan), imagination.events(play)))
        return sides

    found = played(imagination.middle)
    ratios = None if playing.ratio is not None else [
        {name: measured_ratio(lane.simulation) for name, lane in side.lanes.items()} for side in found
    ]  # fmt: skip
    figures: list[dict[str, list[_Figures]]] = [{name: [] for name in side.lanes} for side in found]
    plays = imagination.plays(plays_of(found[0].events, _QUICK))
    for play in plays:
        for known, side in zip(figures, played(play, ratios), strict=True):
            for name, lane in side.lanes.items():
                known[name].append(_figures_of(lane.simulation))
    for turn, side in enumerate(found):
        side.foretold = foretold_of(imagination, plays)
        for name, lane in side.lanes.items():
            behind = imagination.lessons.behind(name, turn)
            if behind:
                _give_ranges(lane, figures[turn][name], behind)
    return found


def _feed(sides: Sequence[Rolling], playing: Playing, means: Means, events: Iterable[Event]) -> None:
    for side in sides:
        side.add_streams(playing.streams, means)
    waiting = iter(events)
    while some := list(islice(waiting, _TOGETHER)):
        for side in sides:
            side.feed(some)
    for side in sides:
        side.finish()


class _Tapes:
    """Plays what is estimated between the recorded writes of one side's files."""

    def __init__(self, playing: Playing, imagination: Imagination, side: int, rolling: Rolling) -> None:
        self._imagination, self._side, self._rolling, self._ratio = imagination, side, rolling, playing.ratio
        self._sizes: dict[tuple[int, str], Any] = {}
        self._streamed = dict(self._streams(playing))

    def _streams(self, playing: Playing) -> Iterator[tuple[str, list[Extra]]]:
        """Yield the writes of added streams, by appender."""
        rolling, means = self._rolling, self._rolling.means()
        if rolling.first is None or rolling.last is None:
            return
        found: dict[str, list[Extra]] = {}
        for one in playing.streams:
            for lane, size, times in rolling.stream_ways(one, means):
                lane.streamed = True
                extra = of_stream(one, size, times, clocks.micros(rolling.first), clocks.micros(rolling.last))
                found.setdefault(lane.appender.name, []).append(extra)
        yield from found.items()

    def play(self, plays: Sequence[Play]) -> None:
        """Give each file its simulation with what is expected, and its ranges over some plays."""
        middle = self._extras(self._imagination.middle, content=True)
        for name, lane in self._rolling.lanes.items():
            _play(lane.simulation, lane, middle[name])
            _note_hours(lane, middle[name])
        drawn: dict[str, list[_Figures]] = {
            name: [] for name in self._rolling.lanes if self._imagination.lessons.behind(name, self._side)
        }
        for play in plays if drawn else ():
            extras = self._extras(play, content=False)
            for name, known in drawn.items():
                lane = self._rolling.lanes[name]
                simulation = lane.make(measured_ratio(lane.simulation) if lane.content is not None else self._ratio)
                _play(simulation, lane, extras[name], content=False)
                known.append(_figures_of(simulation))
        for name, known in drawn.items():
            lane = self._rolling.lanes[name]
            _give_ranges(lane, known, self._imagination.lessons.behind(name, self._side))

    def _extras(self, play: Play, *, content: bool) -> dict[str, Extra]:
        """Return the writes that a play estimates, by appender, with those of streams."""
        found = {name: list(self._streamed.get(name, [])) for name in self._rolling.lanes}
        for hour in self._imagination.by_hour(play):
            for one, picked, times in hour:
                for lane, deliveries in self._rolling.reached(one.kind.routes[self._side]):
                    name = lane.appender.name
                    data: list[bytes] = []
                    if content and lane.content is not None:
                        data = [lane.content(one.kind.samples[at], 1) for at in picked.tolist()]
                    found[name].append(Extra(times, self._size(one, lane)[picked], np.full(len(times), deliveries), data))
        lanes = self._rolling.lanes
        return {name: joined(some, content=content and lanes[name].content is not None) for name, some in found.items()}

    def _size(self, one: Kind, lane: RollingAppender) -> Any:
        """Return the bytes of a kind's samples in an appender."""
        key = (id(one), lane.appender.name)
        found = self._sizes.get(key)
        if found is None:
            sizes = [lane.measures(event)(event, 1) for event in one.kind.samples]
            found = self._sizes[key] = np.array(sizes, dtype=np.int64)
        return found


def _play(simulation: FileSimulation, lane: RollingAppender, extra: Extra, *, content: bool = True) -> None:
    tape = lane.whole if content else replace(lane.whole, data=[])
    simulation.play(merged(tape, extra))
    simulation.finish()


def _note_hours(lane: RollingAppender, extra: Extra) -> None:
    """Add what is expected to the traffic by hour."""
    for time, size, count in zip(*(one.tolist() for one in (extra.times, extra.sizes, extra.counts)), strict=True):
        sums = lane.hours.setdefault(instant_of(time // HOUR), [0, 0])
        sums[0] += count
        sums[1] += count * size
