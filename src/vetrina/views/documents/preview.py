"""`preview --json`."""

from __future__ import annotations

from msgspec import Struct

from vetrina.core.routing.previewing import Shown


class Preview(Struct):
    """One line of `preview --json`: what an appender's sink receives of one event, ending included."""

    line: int
    appender: str
    output: str


def document(shown: Shown, output: str) -> Preview:
    """Return one line, which reads ``output``, as a document."""
    return Preview(shown.line, shown.appender, output)
