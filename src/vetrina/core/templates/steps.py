"""The steps of a template: what each does to a text, a time or a logger's name.

A step is one entry of the table: what it works on, what argument it takes, and the function it makes.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable

from msgspec import Struct

from vetrina.core.base.events import compact_json

Change = Callable[[str], str]
BREAK = re.compile(r"\r\n|\n|\r")
WIDEST = 100_000


class TextStep(Struct, frozen=True):
    """A step on text: ``takes`` is `number`, `text` or nothing; ``on`` is `text` or `logger`.

    ``undo`` makes the function that takes it back in lines that are read; without it, what the step did stays.
    """

    make: Callable[..., Change]
    takes: str = ""
    on: str = "text"
    undo: Callable[..., Change] | None = None

    def arguments(self, argument: str | None) -> list[int | str]:
        """Return what ``make`` and ``undo`` are given for an argument as it is written."""
        if not self.takes:
            return []
        return [int(argument or 0) if self.takes == "number" else argument or ""]


def one_line(text: str) -> str:
    r"""Return ``text`` with each line break as `\n`."""
    return BREAK.sub(r"\\n", text)


def _indent(count: int) -> Change:
    pad = " " * count
    return lambda text: BREAK.sub(lambda found: found.group() + pad, text)


def _lines(count: int) -> Change:
    def first(text: str) -> str:
        for number, found in enumerate(BREAK.finditer(text), start=1):
            if number == count:
                return text[: found.start()]
        return text

    return first if count else lambda _text: ""


def last_segments(count: int, separator: str) -> Change:
    """Return a function that keeps the last ``count`` segments of a logger's name."""
    return lambda name: separator.join(name.split(separator)[-count:]) if count else ""


def initial_segments(count: int, separator: str) -> Change:
    """Return a function that cuts all but the last ``count`` segments of a logger's name to their first character."""

    def cut(name: str) -> str:
        segments = name.split(separator)
        short = len(segments) - count
        return separator.join(segment[:1] if at < short else segment for at, segment in enumerate(segments))

    return cut


LIVE = tuple("=+-@\t\r")
"""What a formula begins with in most spreadsheets."""


def inert(text: str) -> str:
    """Return a text that a spreadsheet takes for text: `'` before what may be a formula, and before a `'`, so that it can be undone."""
    return "'" + text if text.startswith((*LIVE, "'")) else text


def _unpadded(strip: Callable[[str], str]) -> Callable[[int], Change]:
    """Return what takes padding off again; a text wider than the padding bears none."""
    return lambda width: lambda text: strip(text) if len(text) <= width else text


def _unindented(count: int) -> Change:
    pad = re.compile(rf"(\r\n|\n|\r) {{{count}}}")
    return lambda text: pad.sub(r"\1", text)


def _from_json(text: str) -> str:
    found = json.loads(f'"{text}"')
    return str(found)


TEXT_STEPS: dict[str, TextStep] = {
    "upper": TextStep(lambda: str.upper),
    "lower": TextStep(lambda: str.lower),
    "pad": TextStep(lambda count: lambda text: text.ljust(count), "number", undo=_unpadded(lambda text: text.rstrip(" "))),
    "pad-left": TextStep(lambda count: lambda text: text.rjust(count), "number", undo=_unpadded(lambda text: text.lstrip(" "))),
    "zeros": TextStep(
        lambda count: lambda text: text.rjust(count, "0"), "number", undo=_unpadded(lambda text: text.lstrip("0") or text[:1])
    ),
    "cut": TextStep(lambda count: lambda text: text[:count], "number"),
    "cut-left": TextStep(lambda count: lambda text: text[-count:] if count else "", "number"),
    "json": TextStep(lambda: lambda text: compact_json(text)[1:-1], undo=lambda: _from_json),
    "or": TextStep(
        lambda other: lambda text: text or other, "text", undo=lambda other: lambda text: "" if text == other else text
    ),
    "before": TextStep(
        lambda other: lambda text: other + text if text else text,
        "text",
        undo=lambda other: lambda text: text.removeprefix(other),
    ),
    "after": TextStep(
        lambda other: lambda text: text + other if text else text,
        "text",
        undo=lambda other: lambda text: text.removesuffix(other),
    ),
    "oneline": TextStep(lambda: one_line),
    "indent": TextStep(_indent, "number", undo=_unindented),
    "inert": TextStep(lambda: inert, undo=lambda: lambda text: text.removeprefix("'")),
    "lines": TextStep(_lines, "number"),
    "last": TextStep(last_segments, "number", "logger"),
    "initials": TextStep(initial_segments, "number", "logger"),
}
TIME_STEPS = ("%", "iso", "epoch", "epoch-ms", "in")
