"""`mimic --json`: where the stand-in is."""

from __future__ import annotations

from msgspec import Struct


class Mimic(Struct):
    """Where it listens, where it writes, and the service file for it."""

    base: str
    into: str
    service: str | None
