"""Where the stand-in listens, and its certificate."""

from __future__ import annotations

import socket
import ssl

import trustme


def family(host: str) -> socket.AddressFamily:
    """Return the family of a loopback address."""
    return socket.AF_INET6 if ":" in host else socket.AF_INET


def free_port(host: str) -> int:
    """Return a port that nobody listens at."""
    with socket.socket(family(host), socket.SOCK_STREAM) as one:
        one.bind((host, 0))
        return int(one.getsockname()[1])


def certificate(host: str) -> ssl.SSLContext:
    """Return a server's TLS context with a certificate made on the spot."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    trustme.CA().issue_cert(host).configure_cert(context)
    return context
