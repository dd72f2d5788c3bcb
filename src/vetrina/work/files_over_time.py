"""Recordings played into rolling files: repeated, scaled, with streams added, through one plan or another."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import timedelta
from functools import partial
from itertools import islice

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.faults import offer, refuse
from vetrina.core.config.edits import Edit, with_edits
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.foresight.lessons import Foretold, Lessons
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.outlook import Advice, advise, measured_ratio
from vetrina.core.rolling.playing import Rolling
from vetrina.core.rolling.rounds import repeated, shift_of
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.core.rolling.streams import MOST_COPIES, Stream, scaled
from vetrina.work import takers
from vetrina.work.foreseeing import Learned
from vetrina.work.recording import Recording
from vetrina.work.takers import Files, FilesTaker

Means = dict[str, dict[int, int]]
_TOGETHER = 1000


class Playing(Struct, frozen=True):
    """How a recording is played into files.

    ``repeat`` is how often, ``scale`` how many times as many events (drawn with ``seed``), ``streams`` are added;
    ``ratio`` is the packed size in parts of the size, measured by packing where None; ``wanted`` names file appenders.
    ``learned`` tells of what the recording lacks; ``lessons`` are what it tells, where that is known already.
    """

    recording: Recording
    repeat: int = 1
    scale: float = 1.0
    seed: int = 1
    streams: Sequence[Stream] = ()
    ratio: float | None = None
    wanted: tuple[str, ...] = ()
    learned: Learned | None = None
    lessons: Lessons | None = None

    def files(self, plan: Plan) -> tuple[Rolling, list[str]]:
        """Return the files of a plan after this traffic, and the appenders of which nothing tells how they pack."""
        (rolling,), unknown = self.files_of([plan])
        return rolling, unknown

    def files_of(self, plans: Sequence[Plan], means: Means | None = None) -> tuple[list[Rolling], list[str]]:
        """Return the files of each plan after this traffic, and the appenders of which nothing tells how they pack.

        ``means`` are the mean bytes by appender and severity, for streams without a size, where they are known.
        """
        lessons = self.lessons
        if lessons is None and self.learned is not None:
            lessons = self.learned.lessons(self.recording, plans)
        if lessons is not None and lessons.kinds:
            from vetrina.work.foreseen_files import foreseen_files  # noqa: PLC0415  (NumPy only where it is used)

            return foreseen_files(self, plans, lessons), []
        found, unknown = self._recorded_files(plans, means)
        for one in found if lessons is not None else ():
            one.foretold = Foretold(lessons) if lessons is not None else None
        return found, unknown

    def _recorded_files(self, plans: Sequence[Plan], means: Means | None) -> tuple[list[Rolling], list[str]]:
        """Return the same without what others tell."""
        if not self.streams:
            return self._played([Files(plan, self.wanted, self.ratio) for plan in plans], {}), []
        first: list[Rolling] = []
        if means is None or self.ratio is None:  # a first round tells the levels' mean sizes, and how well the content packs
            hows = [Files(plan, self.wanted, self.ratio, levels=True) for plan in plans]
            first = [how.rolling() for how in hows]
            self._round(first, hows, timedelta(0))
        ratios = [self._measured(one) for one in first] or [None] * len(plans)
        hows = [Files(plan, self.wanted, self.ratio, kept) for plan, kept in zip(plans, ratios, strict=True)]
        played = self._played(hows, first[0].means() if means is None else means)
        pairs = zip(first, played, strict=True) if self.ratio is None else ()
        return played, list(dict.fromkeys(name for was, now in pairs for name in _not_known(was, now)))

    def tapes(self, hows: Sequence[Files]) -> list[Rolling]:
        """Return what reaches the files of each plan, not yet played."""
        sides = [how.rolling(tapes_only=True) for how in hows]
        if self.scale == 1:
            self._repeat(sides, hows)
        else:
            self._draw(sides)
        return sides

    def events(self, plan: Plan) -> Iterable[Event]:
        """Return the events as they are played."""
        found = repeated(lambda: self._read(plan), self.repeat)
        return found if self.scale == 1 else scaled(found, self.scale, self.seed, MOST_COPIES)

    def _read(self, plan: Plan) -> Iterator[Event]:
        for _, events in self.recording.in_order(plan.scale):
            yield from events

    def _measured(self, rolling: Rolling) -> dict[str, float] | None:
        """Return how well the content of each file packs, None where that is given."""
        return {name: measured_ratio(one.simulation) for name, one in rolling.lanes.items()} if self.ratio is None else None

    def _played(self, hows: Sequence[Files], means: Means) -> list[Rolling]:
        """Return the files after all rounds, with the streams."""
        sides = [how.rolling() for how in hows]
        for side in sides:
            side.add_streams(self.streams, means)
        if self.scale == 1:
            self._repeat(sides, hows)
        else:
            self._draw(sides)
        for side in sides:
            side.finish()
        return sides

    def _draw(self, sides: list[Rolling]) -> None:
        """Play traffic that is drawn, in one go."""
        scale = sides[0].router.plan.scale
        most = [MOST_COPIES] if takers.in_order(*(side.router.plan for side in sides)) else []
        drawn = scaled(repeated(lambda: self.recording.read(scale), self.repeat), self.scale, self.seed, *most)
        while some := list(islice(drawn, _TOGETHER)):
            for side in sides:
                side.feed(some)

    def _repeat(self, sides: list[Rolling], hows: Sequence[Files]) -> None:
        """Play the recording again and again, each round shifted by the whole days that the first one spans."""
        shift = timedelta(0)
        for turn in range(self.repeat):
            self._round(sides, hows, shift * turn)
            if not turn:
                shift = shift_of(sides[0].events, sides[0].first, sides[0].last, self.repeat)

    def _round(self, sides: list[Rolling], hows: Sequence[Files], shift: timedelta) -> None:
        clocks = [side.tracks_clock for side in sides]
        make = partial(takers.files, tuple(zip(hows, clocks, strict=True)), sides[0].events, shift)
        plans = [side.router.plan for side in sides]
        counts = takers.counts_events(*plans)
        self.recording.gather(
            sides[0].router.plan.scale,
            make,
            into=FilesTaker(sides, shift),
            counts=counts,
            small=True,
            in_order=takers.in_order(*plans),
        )

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


def file_appenders(plan: Plan, wanted: Iterable[str], where: str) -> None:
    """Refuse a plan without files, and names, given at ``where``, that no file appender has."""
    files = [name for name, one in plan.appenders.items() if one.sink.traits.rolls]
    for name in wanted:
        if name not in files:
            what = f'no file appender is called "{name[:60]}"' if name not in plan.appenders else f"{name} is no file appender"
            raise refuse(what, fix=offer(name, files), where=where)
    if not files:
        raise refuse("the plan has no file appender", fix="rolling is about appenders with sink: file", where="rolling")
