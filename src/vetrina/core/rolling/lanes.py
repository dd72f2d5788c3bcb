"""One file appender on its way through time: its simulation, how its events are measured, what reaches it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, tzinfo

from msgspec import Struct, field

from vetrina.core.base.events import Event
from vetrina.core.foresight.lessons import Ends
from vetrina.core.plan.model import Appender
from vetrina.core.rolling.simulation import FileSimulation, Packer
from vetrina.core.rolling.streams import StreamFeeder
from vetrina.core.rolling.tapes import Tape, travelling_tape
from vetrina.core.routing.measuring import ending_of, measures, to_bytes
from vetrina.core.templates.compiling import MakeMeasure

MakePacker = Callable[[str], Packer]


class FilesForeseen(Struct, frozen=True):
    """What a file may come to, of which a part is estimated from another recording: ranges over so many ``plays``.

    ``events``, ``bytes``, ``files``, ``peak`` on disk, and ``history`` in seconds, at its shortest or at the end.
    """

    plays: int
    events: Ends
    bytes: Ends
    files: Ends
    peak: Ends
    history: Ends


class RollingAppender(Struct):
    """One file appender: its simulation, how its events are measured, and its traffic by hour (in UTC).

    ``streamed`` tells that added streams are in it, of which no event is recorded; ``foreseen`` is there where a part of it
    is estimated from another recording.
    """

    appender: Appender
    simulation: FileSimulation
    measures: MakeMeasure
    content: Callable[[Event, int], bytes] | None
    watches_starts: bool
    make: Callable[[float | None], FileSimulation]
    tape: Tape = field(default_factory=Tape)
    whole: Tape = field(default_factory=travelling_tape)
    hours: dict[datetime, list[int]] = field(default_factory=dict)
    levels: dict[int, list[int]] = field(default_factory=dict)
    hour: list[int] | None = None
    streamed: bool = False
    feeder: StreamFeeder | None = None
    foreseen: FilesForeseen | None = None


def lane_of(
    appender: Appender, zone: tzinfo, ratio: float | None, packer: MakePacker | None, *, every_file: bool
) -> RollingAppender:
    """Return a file appender with an empty folder; see `Rolling`."""
    header = to_bytes(appender.template.header(ending_of(appender)), appender.encoding)
    roll = appender.roll

    def make(packed: float | None) -> FileSimulation:
        return FileSimulation(roll, zone, header=header, ratio=packed, packer=packer, every_file=every_file)

    content = None
    if (roll.names.codec or every_file) and ratio is None and packer is not None:
        render, encoding = appender.template.compile(ending_of(appender)), appender.encoding
        content = lambda event, number: to_bytes(render(event, number), encoding)  # noqa: E731  (one of two ways)
    return RollingAppender(appender, make(ratio), measures(appender), content, roll.each_start or not roll.append, make)
