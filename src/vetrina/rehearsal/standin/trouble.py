"""How the stand-in misbehaves on request."""

from __future__ import annotations

import threading

from msgspec import Struct

from vetrina.core.base.faults import offer, refuse

KINDS = ("slow", "refuse", "close", "every")
PROTOCOLS = ("smtp", "syslog", "http")
SLOW = 0.5


class Trouble(Struct, frozen=True):
    """One way to misbehave, with one protocol or all: `slow`, `refuse`, `close` in the middle, fail at `every` n-th."""

    kind: str
    protocol: str = ""
    count: int = 0


def trouble_of(text: str) -> Trouble:
    """Return the trouble of `[PROTOCOL:]slow|refuse|close|every=N`; raise Refused for anything else."""
    protocol, colon, rest = text.partition(":")
    if not colon:
        protocol, rest = "", text
    kind, equals, number = rest.partition("=")
    if colon and protocol not in PROTOCOLS:
        raise refuse(
            f'"{protocol[:40]}" is no protocol of the stand-in', fix=offer(protocol, PROTOCOLS), where=f"--trouble {text}"
        )
    good_number = number.isascii() and number.isdigit() and 0 < int(number or 0) < 10_000_000
    if kind not in KINDS or (kind == "every") != bool(equals) or (equals and not good_number):
        fix = "write slow, refuse, close or every=3, with smtp:, syslog: or http: before it for one protocol"
        raise refuse(f'"{rest[:40]}" is no trouble', fix=fix, where=f"--trouble {text}")
    return Trouble(kind, protocol, int(number) if number else 0)


class Troubles:
    """Tells what to do with each delivery; several threads may ask."""

    def __init__(self, troubles: tuple[Trouble, ...] = ()) -> None:
        self._troubles = troubles
        self._counts = dict.fromkeys(PROTOCOLS, 0)
        self._lock = threading.Lock()

    def next(self, protocol: str) -> str:
        """Return what to do with the next delivery: nothing, `slow`, `refuse` or `close`."""
        with self._lock:
            self._counts[protocol] += 1
            count = self._counts[protocol]
        for one in self._troubles:
            if one.protocol in {"", protocol}:
                if one.kind != "every":
                    return one.kind
                if count % one.count == 0:
                    return "refuse"
        return ""
