"""Real protocols to a receiver on loopback: SMTP, syslog over UDP, TCP and TLS, HTTP.

Only loopback addresses are ever dialled: every host of a plan is mapped to the receiver's ports.
"""

from __future__ import annotations

import ipaddress
import smtplib
import socket
import ssl
import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from email.message import EmailMessage
from typing import Any
from urllib.parse import urlsplit

import httpx
from msgspec import Struct

from vetrina.core.base.faults import refuse
from vetrina.core.plan.model import Appender
from vetrina.rehearsal.outlets.outlet import Undelivered, batched
from vetrina.rehearsal.outlets.syslog import frame

PATIENCE = 5.0
_AHEAD = 50


class Ports(Struct, frozen=True):
    """Where a receiver listens, on one loopback address."""

    host: str
    smtp: int
    syslog_udp: int
    syslog_tcp: int
    syslog_tls: int
    http: int


def loopback(host: str) -> str:
    """Return a loopback address of a host; raise Refused for any other."""
    try:
        found = {info[4][0] for info in socket.getaddrinfo(host, None)}
    except (OSError, UnicodeError):
        found = set()
    if not found or not all(ipaddress.ip_address(str(one).partition("%")[0]).is_loopback for one in found):
        raise refuse(
            f'"{host[:60]}" is not a loopback address',
            "a rehearsal never dials another machine",
            "write 127.0.0.1:PORT",
            where="--receiver",
        )
    return min(map(str, found))


class Client:
    """Carries deliveries to a receiver; ``received`` tells how many datagrams it has taken, where that is known."""

    def __init__(self, ports: Ports, received: Callable[[], int] | None = None) -> None:
        loopback(ports.host)
        self.ports = ports
        self.mapping: dict[str, str] = {}
        self._received = received
        self._datagrams = 0
        self._streams: dict[tuple[str, str], socket.socket] = {}
        self._udp: socket.socket | None = None
        self._http: httpx.Client | None = None

    def mail(self, appender: Appender, message: EmailMessage) -> None:
        """Send one mail by SMTP (RFC 5321)."""
        sink = appender.sink
        self._map(f"smtp {sink.text('host')}:{sink.text('port', '25')}", self.ports.smtp)
        message["X-Rehearsed-By"] = _ascii(appender.name)
        try:
            with smtplib.SMTP(self.ports.host, self.ports.smtp, timeout=PATIENCE) as server:
                server.send_message(message)
        except (smtplib.SMTPException, OSError) as error:
            raise Undelivered(_words(error)) from None

    def syslog(self, appender: Appender, transport: str, messages: Iterable[bytes]) -> None:
        """Send messages as datagrams, or as octet-counted frames on a stream that stays open."""
        sink = appender.sink
        port = {"udp": self.ports.syslog_udp, "tcp": self.ports.syslog_tcp, "tls": self.ports.syslog_tls}[transport]
        self._map(f"syslog {transport} {sink.text('host')}:{sink.text('port', '514')}", port)
        try:
            if transport == "udp":
                for one in messages:
                    self._datagram(one, port)
                return
            key = (appender.name, transport)
            stream = self._streams.get(key)
            if stream is None:
                stream = self._streams[key] = self._connect(transport, port)
            try:
                for data in batched(frame(one) for one in messages):
                    stream.sendall(data)
            except OSError:
                self._streams.pop(key).close()
                raise
        except OSError as error:
            raise Undelivered(_words(error)) from None

    def _datagram(self, message: bytes, port: int) -> None:
        self._udp = self._udp or socket.socket(socket.AF_INET6 if ":" in self.ports.host else socket.AF_INET, socket.SOCK_DGRAM)
        self._udp.sendto(message, (self.ports.host, port))
        self._datagrams += 1
        until = time.monotonic() + PATIENCE
        while self._received is not None and self._datagrams - self._received() > _AHEAD and time.monotonic() < until:
            time.sleep(0.001)  # nothing else holds a datagram back, and the receiver's room is small

    def _connect(self, transport: str, port: int) -> socket.socket:
        stream = socket.create_connection((self.ports.host, port), timeout=PATIENCE)
        if transport != "tls":
            return stream
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        context.check_hostname = False
        context.verify_mode = ssl.CERT_NONE  # the stand-in's certificate was made on the spot, and it is on loopback
        return context.wrap_socket(stream)

    def http(self, appender: Appender, method: str, url: str, headers: dict[str, str], body: bytes) -> None:
        """Send one request; an answer other than 2xx is no delivery."""
        parts = urlsplit(url)
        host = parts.netloc.rpartition("@")[2]
        self._map(f"http {host}", self.ports.http)
        self._http = self._http or httpx.Client(timeout=PATIENCE, trust_env=False)
        shown = f"[{self.ports.host}]" if ":" in self.ports.host else self.ports.host
        target = f"http://{shown}:{self.ports.http}{parts.path or '/'}" + (f"?{parts.query}" if parts.query else "")
        fields = {**headers, "Host": host, "X-Rehearsed-By": _ascii(appender.name)}
        try:
            answer = self._http.request(method, target, headers=fields, content=body)
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise Undelivered(_words(error)) from None
        if not answer.is_success:
            raise Undelivered(f"the answer is {answer.status_code}")

    def _map(self, host: str, port: int) -> None:
        self.mapping.setdefault(host, f"{self.ports.host}:{port}")

    def close(self) -> None:
        """Close what is open: on streams our end first, then wait for the receiver's, so that it has read all."""
        for stream in self._streams.values():
            with suppress(OSError, ValueError):
                if isinstance(stream, ssl.SSLSocket):
                    stream.unwrap()
                else:
                    stream.shutdown(socket.SHUT_WR)
                    while stream.recv(4096):
                        pass
            stream.close()
        for one in (self._udp, self._http):
            if one is not None:
                one.close()


def _ascii(text: str) -> str:
    return text.encode("ascii", "backslashreplace").decode().replace("\n", " ").replace("\r", " ")


def _words(error: Any) -> str:
    if isinstance(error, smtplib.SMTPResponseException):
        said = error.smtp_error.decode("utf-8", "replace") if isinstance(error.smtp_error, bytes) else str(error.smtp_error)
        return f"{error.smtp_code} {said}"[:200]
    return str(getattr(error, "strerror", "") or error or type(error).__name__)[:200]
