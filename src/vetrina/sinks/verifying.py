"""A rehearsal held against the simulation: the same files, the same content after unpacking, the same counts."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from email import message_from_bytes
from email.policy import SMTP
from pathlib import Path

from vetrina.core.events import Event
from vetrina.core.plan import Appender
from vetrina.core.rolling.codecs import compressor
from vetrina.core.rolling.running import Rolling
from vetrina.core.routing import Router
from vetrina.core.sinks._kind import full_path
from vetrina.core.templates.forms import TableRow
from vetrina.core.traffic import ending_of, to_bytes
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
    said = _Said(rehearsal)
    for number, event in enumerate(events, start=1):
        simulated.take(event)
        said.take(event, number)
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
    yield from said.differences(folder)


class _Said:
    """What each mail, request, message and row must say, all together and in order, from rendering the events anew.

    Only where nothing was lost: then every event has arrived once for each delivery.
    """

    def __init__(self, rehearsal: Rehearsal) -> None:
        self._rehearsal = rehearsal
        self._router = Router(rehearsal.router.plan)
        places = [one.sink.place for one in self._router.plan.appenders.values()]
        self._wanted = {
            name: hashlib.sha256()
            for name, lane in rehearsal.lanes.items()
            if lane.appender.sink.kind in _READERS and not lane.sum.lost and not lane.sum.failed
            if rehearsal.place.post is None and places.count(lane.appender.sink.place) == 1
        }
        self._renders = {name: self._render(rehearsal.lanes[name].appender) for name in self._wanted}

    def _render(self, appender: Appender) -> Callable[[Event, int], bytes]:
        if isinstance(appender.template, TableRow):
            cells = [text.compile() for text in appender.template.texts]
            return lambda event, number: repr(tuple(cell(event, number) for cell in cells)).encode()
        render = appender.template.compile(ending_of(appender))
        return lambda event, number: _plain(to_bytes(render(event, number), appender.encoding))

    def take(self, event: Event, number: int) -> None:
        """Add what one event says."""
        for one in self._router.route(event).deliveries:
            wanted = self._wanted.get(one.appender)
            if wanted is not None:
                data = self._renders[one.appender](event, number)
                for _ in range(event.count or 1):
                    wanted.update(data)

    def differences(self, folder: Path) -> Iterator[str]:
        """Yield the appenders whose deliveries say something else."""
        for name, wanted in self._wanted.items():
            appender = self._rehearsal.lanes[name].appender
            found = hashlib.sha256()
            for data in _READERS[appender.sink.kind](appender, folder, self._rehearsal.place.folder):
                found.update(data)
            if found.hexdigest() != wanted.hexdigest():
                yield f"{name}: what was delivered says something else than the events"


def _plain(data: bytes) -> bytes:
    """Return bytes without what a mail changes on its way: line ends, and NUL."""
    return b"".join(data.replace(b"\0", "\ufffd".encode()).splitlines())


def _mails(appender: Appender, folder: Path, base: str) -> Iterator[bytes]:
    del base
    for path in sorted((folder / "mail" / as_part(appender.name)).glob("*.eml"), key=lambda one: (len(one.name), one.name)):
        message = message_from_bytes(path.read_bytes(), policy=SMTP)
        yield _plain(message.get_content().encode())


def _requests(appender: Appender, folder: Path, base: str) -> Iterator[bytes]:
    del base
    for path in sorted((folder / "http" / as_part(appender.name)).glob("*.request"), key=lambda one: (len(one.name), one.name)):
        yield _plain(path.read_bytes().partition(b"\r\n\r\n")[2])


def _messages(appender: Appender, folder: Path, base: str) -> Iterator[bytes]:
    del base
    path = folder / "syslog" / f"{as_part(appender.name)}.{appender.sink.text('transport', 'udp')}"
    for message in unframed(path.read_bytes()) if path.exists() else ():
        yield _plain(message)


def _rows(appender: Appender, folder: Path, base: str) -> Iterator[bytes]:
    path = folder / "tables" / rerooted(full_path(appender.sink.text("database"), base))
    if not path.exists():
        return
    quoted = '"' + appender.sink.text("table").replace('"', '""') + '"'
    database = sqlite3.connect(path)
    try:
        for row in database.execute(f"SELECT * FROM {quoted} ORDER BY rowid"):  # noqa: S608  (a quoted name)
            yield repr(row).encode()
    finally:
        database.close()


_READERS: dict[str, Callable[[Appender, Path, str], Iterator[bytes]]] = {
    "mail": _mails, "http": _requests, "syslog": _messages, "table": _rows,
}  # fmt: skip


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
