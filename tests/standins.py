"""A stand-in for a running service, within the tests: it records every request, and can be made to misbehave."""

from __future__ import annotations

import json
import os
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from support import PATIENCE, PROGRAM, Ran

LEVELS = {"root": "warn", "ropeway": "info", "ropeway.gate": None, "lib": "warn"}
SECRET = "key-of-the-room-20817"
STEPS = """list: {get: /levels, each: "$.loggers[*]", name: "$.name", level: "$.level", effective: "$.effective"}
read: {get: "/levels/{logger}", level: "$.level", effective: "$.effective"}
set: {put: "/levels/{logger}", json: {level: "{level}"}}
clear: {delete: "/levels/{logger}"}
mark: {post: /marks, json: {text: "{text}"}}
"""


@dataclass
class Standin:
    """A service: its levels, all requests, and what it does in place of answering, by method."""

    port: int = 0
    levels: dict[str, str | None] = field(default_factory=lambda: dict(LEVELS))
    requests: list[tuple[str, str, bytes]] = field(default_factory=list)
    headers: list[dict[str, str]] = field(default_factory=list)
    manners: dict[str, Callable[[Any], bool | None]] = field(default_factory=dict)
    log: Path | None = None

    def effective(self, name: str) -> str:
        while name != "root" and not self.levels.get(name):
            name = name.rpartition(".")[0] or "root"
        return self.levels[name] or "info"

    def of(self, name: str) -> dict[str, str | None]:
        return {"name": name, "level": self.levels[name], "effective": self.effective(name)}

    def sent(self) -> list[tuple[str, str]]:
        """Return what was changed: methods but GET, with their paths."""
        return [(method, path) for method, path, _ in self.requests if method != "GET"]


class _Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    standin: Standin
    body: bytes

    def log_message(self, *_: object) -> None:
        pass

    def answer(self, code: int, content: object = None, data: bytes | None = None, **headers: str) -> None:
        data = (b"" if content is None else json.dumps(content).encode()) if data is None else data
        self.send_response(code)
        for name, value in headers.items():
            self.send_header(name.replace("_", "-"), value)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def _take(self) -> None:
        standin, method = self.standin, self.command
        self.body = self.rfile.read(int(self.headers.get("Content-Length", "0")))
        standin.requests.append((method, self.path, self.body))
        standin.headers.append(dict(self.headers.items()))
        manner = standin.manners.get(method) or standin.manners.get("*")
        if manner is not None and manner(self):
            return
        self.usual()

    def usual(self) -> None:
        standin = self.standin
        name = unquote(self.path.removeprefix("/levels/"))
        if self.command == "POST":
            if standin.log is not None:
                with standin.log.open("ab") as log:
                    log.write(json.loads(self.body)["text"].encode() + b"\n")
            self.answer(204)
        elif self.path == "/levels":
            self.answer(200, {"loggers": [standin.of(one) for one in standin.levels]})
        elif name not in standin.levels:
            self.answer(404, {"secret-words": "not for people"})
        elif self.command == "GET":
            self.answer(200, standin.of(name))
        else:
            standin.levels[name] = json.loads(self.body)["level"] if self.command == "PUT" else None
            self.answer(204)

    do_GET = do_PUT = do_DELETE = do_POST = _take  # noqa: N815  (the library's names)


class _Server(ThreadingHTTPServer):
    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        pass


@contextmanager
def standing_in(context: Any = None) -> Iterator[Standin]:
    standin = Standin()
    server = _Server(("127.0.0.1", 0), type("Handler", (_Handler,), {"standin": standin}))
    if context is not None:
        server.socket = context.wrap_socket(server.socket, server_side=True)
    standin.port = server.server_address[1]
    thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.02}, daemon=True)
    thread.start()
    try:
        yield standin
    finally:
        server.shutdown()
        server.server_close()


def service_file(folder: Path, port: int, more: str = "", steps: str = STEPS, scheme: str = "http") -> Path:
    path = folder / "room.service.yaml"
    http = f'http: {{base: "{scheme}://127.0.0.1:{port}", headers: {{X-Key: {SECRET}}}, timeout: 2 seconds}}\n'
    path.write_text(f"vetrina-service: 1\ntitle: control room\n{http}{steps}{more}", encoding="utf-8")
    return path


def record_of(folder: Path) -> Path:
    return folder / ".room.service.yaml.put-back.json"


def environment(folder: Path) -> dict[str, str]:
    return {**os.environ, "COLUMNS": "100", "PYTHONUTF8": "1", "XDG_STATE_HOME": str(folder / "state")}


def begin(folder: Path, *words: object, **more: Any) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [str(PROGRAM), *map(str, words)], cwd=folder, env=environment(folder), stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, **more,
    )  # fmt: skip


def call(folder: Path, *words: object, **more: Any) -> Ran:
    process = begin(folder, *words, **more)
    out, err = process.communicate(timeout=PATIENCE)
    assert "Traceback" not in err, err
    assert SECRET not in out + err
    return Ran(process.returncode, out, err)


def wait_for(what: Callable[[], object], seconds: float = PATIENCE) -> Any:
    until = time.monotonic() + seconds
    while not (found := what()):
        assert time.monotonic() < until, "it did not come"
        time.sleep(0.02)
    return found


def guardians(folder: Path) -> list[int]:
    """Return the guardians of this folder's calls."""
    found = []
    for one in Path("/proc").iterdir():
        try:
            command = (one / "cmdline").read_bytes() if one.name.isdigit() else b""
            if b"vetrina.running.guardian" in command and str(folder / "state").encode() in (one / "environ").read_bytes():
                found.append(int(one.name))
        except OSError:
            continue
    return found
