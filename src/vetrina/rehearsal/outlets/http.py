"""HTTP requests: one for each group, its body the group's lines; captured as they would stand on the wire, or sent."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from urllib.parse import urlsplit

from vetrina.core.plan.model import Appender
from vetrina.rehearsal.outlets.outlet import PlainOutlet, RehearsalSite, RenderedEvent, numbered, whole, without_breaks
from vetrina.rehearsal.sandbox import as_part

_TYPES = {"json": "application/x-ndjson", "csv": "text/csv; charset=utf-8"}


class Http(PlainOutlet):
    """Makes one request of a group."""

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        super().__init__(appender, place)
        self._count = 0

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Write or send one request."""
        del time
        body = whole(group, "a request")
        self._count += 1
        method, url, headers = self.head()
        if self.place.post is not None:
            self.place.sandbox.send(1)
            self.place.post.http(self.appender, method, url, headers, body)
            return
        target = self.place.sandbox.own("http", f"{as_part(self.appender.name)}/{self._count:04}.request")
        self.place.sandbox.write(target, wire(method, url, headers, body))

    def head(self) -> tuple[str, str, dict[str, str]]:
        """Return the request's method, URL and header fields."""
        sink, template = self.appender.sink, self.appender.template
        headers = {"Content-Type": _TYPES.get(template.form, "text/plain; charset=utf-8")}
        for name, value in (sink.keys.get("headers") or {}).items():
            headers[_one_line(name)] = _one_line(str(value.value))
        return sink.text("method", "POST"), sink.text("url"), headers

    def said(self) -> Iterator[bytes]:
        """Yield the requests' bodies."""
        for path in numbered(self._kept(), "*.request"):
            yield without_breaks(path.read_bytes().partition(b"\r\n\r\n")[2])

    def count(self) -> int:
        """Return how many requests there are."""
        return sum(1 for _ in self._kept().glob("*"))

    def _kept(self) -> Path:
        return self.place.sandbox.folder / "http" / as_part(self.appender.name)

    def taken(self, data: bytes) -> bytes:
        """Return an event's text as a body carries it."""
        return without_breaks(data)


def _one_line(text: str) -> str:
    return " ".join(text.split())


def wire(method: str, url: str, headers: dict[str, str], body: bytes) -> bytes:
    """Return a request as it stands on the wire (RFC 9112)."""
    parts = urlsplit(url)
    path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    host = parts.netloc.rpartition("@")[2]
    fields = {"Host": host, **headers, "Content-Length": str(len(body))}
    head = "".join(f"{name}: {value}\r\n" for name, value in fields.items())
    return f"{method} {path} HTTP/1.1\r\n{head}\r\n".encode() + body


OUTLET = Http
