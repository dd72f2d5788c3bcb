"""A rehearsal held against the simulation: the same files, the same content after unpacking, the same counts."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Iterable, Iterator
from pathlib import Path

from vetrina.core.events import Event
from vetrina.core.rolling.codecs import compressor
from vetrina.core.rolling.running import Rolling
from vetrina.core.routing import Router
from vetrina.core.sinks._kind import full_path
from vetrina.sinks.kinds.syslog import unframed
from vetrina.sinks.packing import unpacked
from vetrina.sinks.rehearsal import Rehearsal
from vetrina.sinks.sandbox import as_part, rerooted

MOST = 10


class Content:
    """What a simulated file holds: its digest and its length, and nothing of it kept."""

    def __init__(self, codec: str) -> None:
        self._digest = hashlib.sha256()
        self._packer = compressor(codec) if codec else None
        self._packed = 0

    def feed(self, data: bytes, times: int) -> None:
        """Take the same content several times."""
        for _ in range(times):
            self._digest.update(data)
            if self._packer is not None:
                self._packed += len(self._packer.compress(data))

    def size(self) -> int:
        """Return the bytes of everything, packed."""
        return self._packed + (len(self._packer.flush()) if self._packer is not None else 0)

    def digest(self) -> str:
        """Return the digest of everything so far."""
        return self._digest.hexdigest()


def differences(rehearsal: Rehearsal, events: Iterable[Event], folder: Path) -> Iterator[str]:
    """Yield what a finished rehearsal has otherwise than the simulation of the same events, file by file."""
    plan = rehearsal.router.plan
    simulated = Rolling(Router(plan), packer=Content, every_file=True)
    for event in events:
        simulated.take(event)
    simulated.finish()
    places = [one.sink.place for one in plan.appenders.values()]
    base = rehearsal.place.folder
    expected: set[str] = set()
    for name, lane in simulated.lanes.items():
        shared = places.count(lane.appender.sink.place) > 1
        for one in lane.simulation.files:
            if one.removed is not None:
                continue
            inside = f"files/{rerooted(full_path(one.name, base))}"
            expected.add(inside)
            path = folder / inside
            if not path.exists():
                yield f"{name}: {inside} is not there"
            elif not shared and one.content is not None:
                yield from _content(name, path, inside, one.content.digest() if isinstance(one.content, Content) else "")
    yield from _others(rehearsal, folder, expected)


def _content(name: str, path: Path, inside: str, wanted: str) -> Iterator[str]:
    digest = hashlib.sha256()
    for block in unpacked(path):
        digest.update(block)
    if digest.hexdigest() != wanted:
        yield f"{name}: {inside} holds something else"


def _others(rehearsal: Rehearsal, folder: Path, expected: set[str]) -> Iterator[str]:
    """Yield files that the simulation does not know, and sinks whose counts are not those of the deliveries."""
    for path in sorted((folder / "files").rglob("*")):
        inside = path.relative_to(folder).as_posix()
        if path.is_file() and inside not in expected:
            yield f"{inside} is there, and the simulation does not know it"
    for name, lane in rehearsal.lanes.items():
        found = _count(lane.appender.sink.kind, name, rehearsal, folder)
        wanted = lane.sum.groups if lane.appender.sink.kind in {"mail", "http"} else lane.sum.delivered
        if found is not None and found != wanted:
            yield f"{name}: {found} found, {wanted} delivered"
        if lane.sum.reached != lane.sum.delivered + sum(lane.sum.lost.values()):
            yield f"{name}: {lane.sum.reached} reached it, {lane.sum.delivered} were delivered and {sum(lane.sum.lost.values())} lost"


def _count(kind: str, name: str, rehearsal: Rehearsal, folder: Path) -> int | None:
    if rehearsal.place.post is not None:
        return None  # the receiver counts these
    if kind in {"mail", "http"}:
        return sum(1 for _ in (folder / kind / as_part(name)).glob("*"))
    appender = rehearsal.router.plan.appenders[name]
    if kind == "syslog":
        path = folder / "syslog" / f"{as_part(name)}.{appender.sink.text('transport', 'udp')}"
        return len(unframed(path.read_bytes())) if path.exists() else 0
    if kind == "table":
        path = folder / "tables" / rerooted(full_path(appender.sink.text("database"), rehearsal.place.folder))
        same = [one for one in rehearsal.router.plan.appenders.values() if one.sink.place == appender.sink.place]
        if not path.exists() or len(same) > 1:
            return None if len(same) > 1 else 0
        quoted = '"' + appender.sink.text("table").replace('"', '""') + '"'
        base = sqlite3.connect(path)
        try:
            return int(base.execute(f"SELECT count(*) FROM {quoted}").fetchone()[0])  # noqa: S608  (a quoted name)
        finally:
            base.close()
    return None
