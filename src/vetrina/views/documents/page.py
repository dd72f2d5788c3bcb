"""`page --json`: what was written."""

from __future__ import annotations

from msgspec import Struct


class Page(Struct):
    """`page --json`: the page that was written, and what it holds.

    `begins_with` is the change that it begins with, null for none; `tried` tells whether the page itself counts it again.
    `left_out` is what there was no room for.
    """

    file: str
    bytes: int
    loggers: int
    appenders: int
    events: int | None
    unreadable: int
    findings: int
    begins_with: str | None
    tried: bool
    left_out: list[str]
