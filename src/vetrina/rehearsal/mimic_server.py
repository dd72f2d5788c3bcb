"""The levels of a mimicked process over HTTP, on loopback: read, set, taken away, and marks.

GET /levels, GET|PUT|DELETE /levels/NAME, POST /marks, GET /health. NAME is percent-encoded. It can misbehave on request.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import unquote, urlsplit

import msgspec
from msgspec import Struct

from vetrina.rehearsal.mimicked import LoggerLevels, Mimicked

_LONGEST = 1 << 20
_QUIET = 30


class Misbehaviour(Struct, frozen=True):
    """What goes wrong: every so many-th request fails, every one is late by some seconds, levels are accepted and not kept."""

    flaky: int = 0
    deaf: float = 0.0
    forget: bool = False


class _Levels(Struct):
    loggers: list[LoggerLevels]


class _Level(Struct):
    level: str


class _Mark(Struct):
    text: str


class _Server(ThreadingHTTPServer):
    daemon_threads = True
    allow_reuse_address = True
    request_queue_size = 64

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Say nothing: a client that went away is no news."""


class MimicServer:
    """Listens until ``close``; ``port`` is where. ``requests`` counts what came."""

    def __init__(self, process: Mimicked, port: int, misbehaviour: Misbehaviour) -> None:
        """Begin to listen; raise OSError where the port is taken."""
        self.requests = 0
        self._count = threading.Lock()
        handler = type("Requests", (_Requests,), {"process": process, "manner": misbehaviour, "turn": self._turn})
        self._server = _Server(("127.0.0.1", port), handler)
        self.port: int = self._server.server_address[1]
        self._thread = threading.Thread(target=self._server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True)
        self._thread.start()

    def _turn(self) -> int:
        """Return which request this is."""
        with self._count:
            self.requests += 1
            return self.requests

    def close(self) -> None:
        """Listen no more."""
        self._server.shutdown()
        self._server.server_close()


class _Requests(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    server_version, sys_version = "vetrina-mimic", ""
    timeout = _QUIET
    process: Mimicked
    manner: Misbehaviour
    turn: Callable[[], int]

    def do_GET(self) -> None:
        """Answer levels and health."""
        self._answer(self._read)

    def do_PUT(self) -> None:
        """Set a level."""
        self._answer(self._set)

    def do_DELETE(self) -> None:
        """Take a level away."""
        self._answer(self._clear)

    def do_POST(self) -> None:
        """Write a mark."""
        self._answer(self._mark)

    def _answer(self, act: Callable[[str, bytes], tuple[int, Any]]) -> None:
        number = type(self).turn()
        size = self.headers.get("Content-Length", "0")
        if not size.isdigit() or int(size) > _LONGEST:
            self.close_connection = True
            self._send(413, {"error": "the body is too long, or its length is not told"})
            return
        body = self.rfile.read(int(size))
        if self.manner.deaf:
            time.sleep(self.manner.deaf)
        if self.manner.flaky and number % self.manner.flaky == 0:
            self._send(500, {"error": "this request fails, as was asked for"})
            return
        self._send(*act(urlsplit(self.path).path, body))

    def _send(self, code: int, content: Any) -> None:
        data = b"" if content is None else msgspec.json.encode(content)
        self.send_response(code)
        if data:
            self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def _logger(self, path: str) -> str | None:
        """Return the logger of a path, None where there is none that is known."""
        before, _, name = path.partition("/levels/")
        found = unquote(name, errors="replace")
        return found if not before and self.process.knows(found) else None

    def _read(self, path: str, body: bytes) -> tuple[int, Any]:
        del body
        if path == "/levels":
            return 200, _Levels(self.process.levels())
        if path == "/health":
            return 200, {"status": "up"}
        logger = self._logger(path)
        return (404, _unknown(path)) if logger is None else (200, self.process.level(logger))

    def _set(self, path: str, body: bytes) -> tuple[int, Any]:
        logger = self._logger(path)
        if logger is None:
            return 404, _unknown(path)
        try:
            wanted = msgspec.json.decode(body, type=_Level)
        except (msgspec.MsgspecError, UnicodeDecodeError):
            return 400, {"error": 'send {"level": TEXT}'}
        severity = self.process.severity(wanted.level)
        if severity is None:
            return 400, {"error": f"no such level: {wanted.level[:60]}"}
        if not self.manner.forget:
            self.process.change(logger, severity)
        return 204, None

    def _clear(self, path: str, body: bytes) -> tuple[int, Any]:
        del body
        logger = self._logger(path)
        if logger is None:
            return 404, _unknown(path)
        if not self.manner.forget:
            self.process.change(logger, None)
        return 204, None

    def _mark(self, path: str, body: bytes) -> tuple[int, Any]:
        if path != "/marks":
            return 404, _unknown(path)
        try:
            mark = msgspec.json.decode(body, type=_Mark)
        except (msgspec.MsgspecError, UnicodeDecodeError):
            return 400, {"error": 'send {"text": TEXT}'}
        self.process.mark(mark.text, datetime.now(UTC))
        return 204, None

    def log_message(self, *words: Any) -> None:
        """Say nothing."""


def _unknown(path: str) -> dict[str, str]:
    return {"error": f"there is nothing at {path[:200]}"}
