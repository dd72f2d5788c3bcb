"""A rehearsal held against the simulation: the same files, the same content after unpacking, the same counts."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import Literal

from vetrina.core.base.events import Event
from vetrina.core.plan.model import Appender
from vetrina.core.rolling.codecs import compressor
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing.measuring import ending_of, to_bytes
from vetrina.core.routing.passages import Passages
from vetrina.core.routing.router import Router
from vetrina.core.sink_kinds.kind import full_path
from vetrina.core.templates.forms import TableRow
from vetrina.rehearsal.packing import unpacked
from vetrina.rehearsal.rehearsal import Rehearsal
from vetrina.rehearsal.sandbox import rerooted

MOST = 10


Unit = Literal["all", "lines", "bytes"]
"""What keeps its order: everything; or, where buffers mix what several appenders write, the bytes of a line, or nothing."""


def unit_of(appenders: Sequence[Appender]) -> Unit:
    """Return what keeps its order in what some appenders write together."""
    if len(appenders) == 1 or not any(one.buffer for one in appenders):
        return "all"
    whole = all(ending_of(one).endswith("\n") and "\n".encode(one.encoding) == b"\n" for one in appenders)
    return "lines" if whole else "bytes"


class Digest:
    """What was written, all together."""

    def __init__(self, unit: Unit = "all") -> None:
        self._unit = unit
        self._hash = hashlib.sha256()
        self._sum = 0
        self._bytes: Counter[int] = Counter()

    def feed(self, data: bytes, times: int = 1) -> None:
        """Take whole lines, or one row or message."""
        if self._unit == "all":
            for _ in range(times):
                self._hash.update(data)
        elif self._unit == "lines":
            for line in data.splitlines(keepends=True):
                self._sum += int.from_bytes(hashlib.sha256(line).digest()) * times
        else:
            self._bytes.update({byte: count * times for byte, count in Counter(data).items()})

    def text(self) -> str:
        """Return the digest of everything so far."""
        return f"{self._hash.hexdigest()} {self._sum % (1 << 256):x} {sorted(self._bytes.items())}"


class Content(Digest):
    """What a simulated file holds: its digest and its packed length, and nothing of it kept."""

    def __init__(self, codec: str, unit: Unit = "all") -> None:
        super().__init__(unit)
        self._packer = compressor(codec) if codec else None
        self._packed = 0

    def feed(self, data: bytes, times: int = 1) -> None:
        """Take the same content several times."""
        super().feed(data, times)
        if self._packer is not None:
            for _ in range(times):
                self._packed += len(self._packer.compress(data))

    def size(self) -> int:
        """Return the bytes of everything, packed."""
        return self._packed + (len(self._packer.flush()) if self._packer is not None else 0)


def differences(rehearsal: Rehearsal, batches: Iterable[list[Event]], folder: Path) -> Iterator[str]:
    """Yield what a finished rehearsal has otherwise than the simulation of the same events, file by file."""
    plan = rehearsal.router.plan
    unit = _unit_of_files(rehearsal)
    simulated = Rolling(Router(plan), packer=partial(Content, unit=unit), every_file=True, one_writer=True)
    said = _Said(rehearsal)
    for events in batches:
        simulated.feed(events)
        for number, event in enumerate(events, start=simulated.events - len(events) + 1):
            said.take(event, number)
    simulated.finish()
    base = rehearsal.place.folder
    expected: set[str] = set()
    for name, lane in simulated.lanes.items():
        if rehearsal.shared.get(name, name) != name:
            continue  # the first of those that share a file tells of it
        for one in lane.simulation.files:
            if one.removed is not None:
                continue
            inside = f"files/{rerooted(full_path(one.name, base))}"
            expected.add(inside)
            path = folder / inside
            if not path.exists():
                yield f"{name}: {inside} is not there"
            elif isinstance(one.content, Content) and _digest_of(path, unit) != one.content.text():
                yield f"{name}: {inside} holds something else"
    yield from _others(rehearsal, folder, expected)
    yield from said.differences()


def _unit_of_files(rehearsal: Rehearsal) -> Unit:
    """Return what keeps its order in every file of a rehearsal: one measure for all, by the one that keeps least."""
    appenders = rehearsal.router.plan.appenders
    if not any(appenders[name].buffer for name in rehearsal.shared):
        return "all"
    return unit_of([one for one in appenders.values() if one.sink.traits.rolls])


class _Said:
    """What each mail, request, message, row and console line must say, all together, from rendering the events anew.

    Appenders that write one table or one stream are held together. Only where nothing was lost: then every event has
    arrived once for each delivery.
    """

    def __init__(self, rehearsal: Rehearsal) -> None:
        self._rehearsal = rehearsal
        self._passages = Passages(Router(rehearsal.router.plan))
        groups: dict[str, list[Appender]] = {}
        for name, lane in rehearsal.lanes.items():
            sink = lane.appender.sink
            if lane.outlet.said() is not None and not (rehearsal.place.post is not None and sink.traits.remote):
                key = sink.place if sink.traits.shared else name
                groups.setdefault(key, []).append(lane.appender)
        self._wanted: dict[str, Digest] = {}
        self._group: dict[str, list[Appender]] = {}
        for appenders in groups.values():
            if any(rehearsal.lanes[one.name].sum.lost or rehearsal.lanes[one.name].sum.failed for one in appenders):
                continue
            wanted = Digest(_unit_said(appenders))
            self._group[appenders[0].name] = appenders
            self._wanted |= dict.fromkeys((one.name for one in appenders), wanted)
        self._renders = {name: self._render(rehearsal.lanes[name].appender) for name in self._wanted}

    def _render(self, appender: Appender) -> Callable[[Event, int], bytes]:
        if isinstance(appender.template, TableRow):
            cells = [text.compile() for text in appender.template.texts]
            return lambda event, number: repr(tuple(cell(event, number) for cell in cells)).encode()
        render, taken = appender.template.compile(ending_of(appender)), self._rehearsal.lanes[appender.name].outlet.taken
        return lambda event, number: taken(to_bytes(render(event, number), appender.encoding))

    def take(self, event: Event, number: int) -> None:
        """Add what is written now that an event has come."""
        for one in self._passages.take(event, number).writes:
            wanted = self._wanted.get(one.appender)
            if wanted is not None:
                written = one.passage.event
                wanted.feed(self._renders[one.appender](written, one.passage.number), written.count or 1)

    def differences(self) -> Iterator[str]:
        """Yield the appenders whose deliveries say something else."""
        for name, appenders in self._group.items():
            found = Digest(_unit_said(appenders))
            for data in self._rehearsal.lanes[name].outlet.said() or ():
                found.feed(data)
            if found.text() != self._wanted[name].text():
                yield f"{' and '.join(one.name for one in appenders)}: what was delivered says something else than the events"


def _unit_said(appenders: Sequence[Appender]) -> Unit:
    """Return what keeps its order in a stream or a table; a row is told as one line."""
    unit = unit_of(appenders)
    return "lines" if unit == "bytes" and isinstance(appenders[0].template, TableRow) else unit


def _digest_of(path: Path, unit: Unit) -> str:
    """Return the digest of a file's unpacked content."""
    digest, rest = Digest(unit), b""
    for block in unpacked(path):
        whole, end, rest = (rest + block).rpartition(b"\n")
        digest.feed(whole + end)
    digest.feed(rest)
    return digest.text()


def _others(rehearsal: Rehearsal, folder: Path, expected: set[str]) -> Iterator[str]:
    """Yield files that the simulation does not know, and sinks whose counts are not those of the deliveries."""
    for path in sorted((folder / "files").rglob("*")):
        inside = path.relative_to(folder).as_posix()
        if path.is_file() and inside not in expected:
            yield f"{inside} is there, and the simulation does not know it"
    for name, lane in rehearsal.lanes.items():
        found = lane.outlet.count() if rehearsal.place.post is None else None  # else the receiver counts
        wanted = lane.sum.groups if lane.appender.sink.traits.grouped else lane.sum.delivered
        if found is not None and found != wanted:
            yield f"{name}: {found} found, {wanted} delivered"
        if lane.sum.reached != lane.sum.delivered + sum(lane.sum.lost.values()):
            yield f"{name}: {lane.sum.reached} reached it, {lane.sum.delivered} were delivered and {sum(lane.sum.lost.values())} lost"
