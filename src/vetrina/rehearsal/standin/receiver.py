"""Servers on loopback ports: SMTP (RFC 5321), syslog (RFC 5424 over UDP, TCP and TLS by octet counts), HTTP (RFC 9112).

What arrives is kept below one folder: mails as .eml, syslog as octet-counted frames, requests as they came. Free ports
are taken unless others are asked for; the certificate for TLS is made on the spot.
"""

from __future__ import annotations

import asyncio
import logging
import socket
import socketserver
import ssl
import threading
import time
from collections.abc import Callable
from contextlib import closing
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import msgspec
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP
from msgspec.structs import replace

from vetrina.core.base.faults import refuse
from vetrina.rehearsal.client import Ports
from vetrina.rehearsal.standin.keeping import LONGEST, LONGEST_MAIL, BrokenOff, Incoming, Keeper
from vetrina.rehearsal.standin.ports import certificate, family, free_port
from vetrina.rehearsal.standin.trouble import SLOW, Troubles

_ROOM = 8 << 20
_MAILS_AT_ONCE = 1
_CONNECTIONS = 64
_QUIET = 120.0
"""Seconds after which a silent connection is closed."""


class Receiver:
    """The stand-in. ``start`` opens its ports; ``received`` counts what arrived, by protocol."""

    def __init__(
        self,
        folder: Path,
        *,
        host: str = "127.0.0.1",
        ports: Ports | None = None,
        troubles: Troubles | None = None,
        complain: Callable[[str], None] = lambda _text: None,
    ) -> None:
        """Keep below ``folder``; ``complain`` is told, once, where that is not possible."""
        self.host, self.troubles = host, troubles or Troubles()
        self.keeper = Keeper(folder, complain)
        self.received, self.refused = self.keeper.received, self.keeper.refused
        self._asked = ports or Ports(host, 0, 0, 0, 0, 0)
        self.ports: Ports | None = None
        self._stops: list[Any] = []
        self._open = threading.Event()

    def start(self) -> Ports:
        """Open all ports and return them; raise Refused where one is taken."""
        self._open.set()
        for name in ("mail.log", "mail.debug", "asyncio"):  # they would print what peers send
            logging.getLogger(name).setLevel(logging.CRITICAL + 1)
        asked = self._asked
        try:
            smtp = self._smtp(asked.smtp or free_port(self.host))
            udp = self._udp(asked.syslog_udp)
            tcp = self._stream(asked.syslog_tcp, "tcp")
            tls = self._stream(asked.syslog_tls, "tls")
            http = self._http(asked.http)
        except OSError as error:
            self.stop()
            raise refuse(
                f"a port cannot be opened: {error.strerror or error}", fix="name free ports, or none for any", where="receive"
            ) from None
        self.ports = replace(asked, host=self.host, smtp=smtp, syslog_udp=udp, syslog_tcp=tcp, syslog_tls=tls, http=http)
        return self.ports

    def stop(self) -> None:
        """Close all ports; what is still being read is read to its end."""
        self._open.clear()
        for stop in reversed(self._stops):
            stop()
        self._stops.clear()

    def settle(self, wanted: int, most: float = 5.0) -> None:
        """Wait until so many deliveries have arrived or were refused: streams are read by other threads."""
        until = time.monotonic() + most
        while sum(self.received.values()) + sum(self.refused.values()) < wanted and time.monotonic() < until:
            time.sleep(0.02)

    def _smtp(self, port: int) -> int:
        controller = _Mails(_Mailbox(self), hostname=self.host, port=port, data_size_limit=LONGEST_MAIL, timeout=_QUIET)
        try:
            controller.start()
        except (OSError, TimeoutError) as error:
            raise OSError(getattr(error, "errno", 0) or 0, str(error)) from None
        self._stops.append(controller.stop)
        return port

    def _udp(self, port: int) -> int:
        server = socket.socket(family(self.host), socket.SOCK_DGRAM)
        server.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, _ROOM)
        server.bind((self.host, port))
        server.settimeout(0.2)

        def listen() -> None:
            while self._open.is_set():
                try:
                    data = server.recv(65_536)
                except TimeoutError:
                    continue
                except OSError:
                    return
                if self._misbehaves("syslog", "udp"):
                    continue
                with closing(self.keeper.incoming()) as one:
                    one.take(data)
                    self.keeper.keep("udp", one)

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()

        def stop() -> None:
            thread.join(2)
            server.close()

        self._stops.append(stop)
        return int(server.getsockname()[1])

    def _misbehaves(self, protocol: str, own: str) -> bool:
        """Do what trouble asks for one message; return whether it is thrown away."""
        what = self.troubles.next(protocol)
        if what == "slow":
            time.sleep(SLOW)
        if what in {"refuse", "close"}:
            self.keeper.refuse(own)
            return True
        return False

    def _stream(self, port: int, protocol: str) -> int:
        receiver = self

        class Handler(socketserver.BaseRequestHandler):
            def handle(self) -> None:
                self.request.settimeout(_QUIET)
                if isinstance(self.request, ssl.SSLSocket):
                    self.request.do_handshake()  # here, where it holds nobody else up
                _read_frames(receiver, self.request, protocol)

        server = _StreamServer((self.host, port), Handler, bind_and_activate=False)
        server.address_family = family(self.host)
        server.socket = socket.socket(server.address_family, socket.SOCK_STREAM)
        server.server_bind()
        server.server_activate()
        if protocol == "tls":
            server.context = certificate(self.host)
        self._serve(server)
        return int(server.server_address[1])

    def _http(self, port: int) -> int:
        receiver = self

        class Handler(_Requests):
            stand_in = receiver

        server = _HttpServer((self.host, port), Handler, bind_and_activate=False)
        server.address_family = family(self.host)
        server.socket = socket.socket(server.address_family, socket.SOCK_STREAM)
        server.server_bind()
        server.server_activate()
        self._serve(server)
        return int(server.server_address[1])

    def _serve(self, server: socketserver.TCPServer) -> None:
        thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True)
        thread.start()

        def stop() -> None:
            server.shutdown()
            server.server_close()
            thread.join(2)

        self._stops.append(stop)


class _Bounded(socketserver.ThreadingMixIn):
    """A server of so many connections at once; further ones wait to be taken."""

    daemon_threads = True
    block_on_close = False
    request_queue_size = 128

    def __init__(self, *words: Any, **more: Any) -> None:
        self._room = threading.BoundedSemaphore(_CONNECTIONS)
        super().__init__(*words, **more)

    def process_request(self, request: Any, client_address: Any) -> None:
        """Begin with a connection when there is room for it."""
        self._room.acquire()
        super().process_request(request, client_address)

    def process_request_thread(self, request: Any, client_address: Any) -> None:
        """Serve a connection, and make room again."""
        try:
            super().process_request_thread(request, client_address)
        finally:
            self._room.release()

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Say nothing: a client that went away is no news."""


class _StreamServer(_Bounded, socketserver.TCPServer):
    allow_reuse_address = True
    context: ssl.SSLContext | None = None

    def get_request(self) -> tuple[Any, Any]:
        """Return the next connection, to be encrypted where a certificate is there."""
        connection, address = super().get_request()
        if self.context is None:
            return connection, address
        return self.context.wrap_socket(connection, server_side=True, do_handshake_on_connect=False), address


class _HttpServer(_Bounded, ThreadingHTTPServer):
    pass


def _read_frames(receiver: Receiver, connection: socket.socket, protocol: str) -> None:
    """Read octet-counted frames until the sender closes; a broken count, or one without its message, ends the connection."""
    with connection.makefile("rb") as stream:
        while (size := _count(stream)) is not None:
            with closing(receiver.keeper.incoming()) as one:
                try:
                    one.take_from(stream, size)
                except (BrokenOff, OSError):
                    receiver.keeper.refuse(protocol)
                    return
                if receiver._misbehaves("syslog", protocol):  # noqa: SLF001  (one server in two parts)
                    return
                receiver.keeper.keep(protocol, one)


def _count(stream: Any) -> int | None:
    """Return the count before a frame, None at the end and for what is none."""
    digits = b""
    while len(digits) <= len(str(LONGEST)):
        byte = stream.read(1)
        if byte == b" " and digits:
            return int(digits) if int(digits) <= LONGEST else None
        if not byte.isdigit():
            return None
        digits += byte
    return None


class _Mails(Controller):
    """Mails, few at once: the library holds each in memory until it is whole."""

    def __init__(self, *words: Any, **more: Any) -> None:
        self._room = asyncio.Semaphore(_MAILS_AT_ONCE)
        super().__init__(*words, **more)

    def factory(self) -> SMTP:
        """Return what talks with one client."""
        return _Mail(self._room, self.handler, **self.SMTP_kwargs)


class _Mail(SMTP):
    def __init__(self, room: asyncio.Semaphore, handler: Any, **more: Any) -> None:
        self._room = room
        super().__init__(handler, **more)

    async def smtp_DATA(self, arg: str) -> None:  # noqa: N802  (the library's name)
        """Take a mail when there is room for it."""
        async with self._room:
            await super().smtp_DATA(arg)


class _Mailbox:
    """Takes mails for aiosmtpd."""

    def __init__(self, receiver: Receiver) -> None:
        self._receiver = receiver

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:  # noqa: N802  (the library's name)
        """Keep a mail and answer, or misbehave."""
        what = self._receiver.troubles.next("smtp")
        if what == "slow":
            await asyncio.sleep(SLOW)
        if what == "refuse":
            self._receiver.keeper.refuse("smtp")
            return "451 the stand-in refuses this one"
        if what == "close":
            self._receiver.keeper.refuse("smtp")
            server.transport.abort()
            return "421 closed"
        del session
        keeper = self._receiver.keeper
        with closing(keeper.incoming()) as one:
            try:
                one.take(envelope.content)
            except OSError:
                keeper.refuse("smtp")
                return "452 there is no room to keep it"
            return "250 kept" if keeper.keep("smtp", one) else "452 there is no room to keep it"


class _Requests(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    stand_in: Receiver

    timeout = _QUIET

    def _take(self) -> None:
        what = self.stand_in.troubles.next("http")
        if what == "close":
            self.stand_in.keeper.refuse("http")
            self.close_connection = True
            return
        with closing(self.stand_in.keeper.incoming()) as one:
            try:
                self._take_body(one, what)
            except (BrokenOff, OSError, ValueError):
                self.stand_in.keeper.refuse("http")
                self.close_connection = True

    def _take_body(self, one: Incoming, what: str | None) -> None:
        """Take head and body to disk, and answer; raise BrokenOff or ValueError for what is no request by RFC 9112."""
        head = "".join(f"{name}: {value}\r\n" for name, value in self.headers.items())
        one.take(f"{self.requestline}\r\n{head}\r\n".encode("latin-1"))  # as the library decoded it
        size = self.headers.get("Content-Length", "0")
        if self.headers.get("Transfer-Encoding", "").lower() == "chunked":
            _take_chunks(one, self.rfile)
        elif not (size.isascii() and size.isdigit()) or self.headers.get("Transfer-Encoding"):
            raise ValueError
        elif int(size) > LONGEST:
            self._give_up(413)
            return
        else:
            one.take_from(self.rfile, int(size))
        if what == "slow":
            time.sleep(SLOW)
        if what == "refuse":
            self.stand_in.keeper.refuse("http")
            self._answer(503)
        else:
            self._answer(204 if self.stand_in.keeper.keep("http", one) else 507)

    def _give_up(self, code: int) -> None:
        """Answer, and read no further: the body would come."""
        self.stand_in.keeper.refuse("http")
        self.close_connection = True
        self._answer(code)

    def _answer(self, code: int) -> None:
        self.send_response(code)
        self.send_header("Content-Length", "0")
        self.end_headers()

    do_POST = do_PUT = do_PATCH = _take  # noqa: N815  (the library's names)

    def do_GET(self) -> None:
        """Answer /ports with where everything listens, for a rehearsal that comes later."""
        ports = self.stand_in.ports
        if self.path != "/ports" or ports is None:
            self.send_error(404)
            return
        body = msgspec.json.encode(ports)
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *words: Any) -> None:
        """Say nothing."""


def _take_chunks(one: Incoming, stream: Any) -> None:
    """Take a chunked body (RFC 9112, 7.1) without its chunks' sizes; raise ValueError for what is none, or too long."""
    while True:
        line = stream.readline(1024)
        size = int(line.split(b";")[0].strip() or b"-", 16)
        if not line.endswith(b"\n") or not 0 <= size <= LONGEST - one.size:
            raise ValueError
        if not size:
            break
        one.take_from(stream, size)
        if stream.read(2) != b"\r\n":
            raise ValueError
    while stream.readline(65_536).strip():
        pass
