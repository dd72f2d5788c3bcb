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
    """A step on text: ``doc`` is what it does, ``takes`` is `number`, `text` or nothing; ``on`` is `text` or `logger`.

    ``undo`` makes the function that takes it back in lines that are read; a ``lossy`` step cannot be taken back, and what
    it did stays. A template with a step that is neither cannot be read back.
    """

    doc: str
    make: Callable[..., Change]
    takes: str = ""
    on: str = "text"
    undo: Callable[..., Change] | None = None
    lossy: bool = False

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
    "upper": TextStep("capital letters", lambda: str.upper, lossy=True),
    "lower": TextStep("small letters", lambda: str.lower, lossy=True),
    "pad": TextStep(
        "filled with spaces on the right up to N characters",
        lambda count: lambda text: text.ljust(count),
        "number",
        undo=_unpadded(lambda text: text.rstrip(" ")),
    ),
    "pad-left": TextStep(
        "filled with spaces on the left up to N characters",
        lambda count: lambda text: text.rjust(count),
        "number",
        undo=_unpadded(lambda text: text.lstrip(" ")),
    ),
    "zeros": TextStep(
        "filled with zeros on the left up to N characters",
        lambda count: lambda text: text.rjust(count, "0"),
        "number",
        undo=_unpadded(lambda text: text.lstrip("0") or text[:1]),
    ),
    "cut": TextStep("the first N characters", lambda count: lambda text: text[:count], "number", lossy=True),
    "cut-left": TextStep(
        "the last N characters", lambda count: lambda text: text[-count:] if count else "", "number", lossy=True
    ),
    "json": TextStep(
        "escaped as the inside of a JSON string", lambda: lambda text: compact_json(text)[1:-1], undo=lambda: _from_json
    ),
    "or": TextStep(
        "this text in place of an empty value",
        lambda other: lambda text: text or other,
        "text",
        undo=lambda other: lambda text: "" if text == other else text,
    ),
    "before": TextStep(
        "this text put before a value that is not empty",
        lambda other: lambda text: other + text if text else text,
        "text",
        undo=lambda other: lambda text: text.removeprefix(other),
    ),
    "after": TextStep(
        "this text put after a value that is not empty",
        lambda other: lambda text: text + other if text else text,
        "text",
        undo=lambda other: lambda text: text.removesuffix(other),
    ),
    "oneline": TextStep("each line break as `\\n`", lambda: one_line, lossy=True),
    "indent": TextStep("every further line indented by N spaces", _indent, "number", undo=_unindented),
    "inert": TextStep(
        "`'` put before what a spreadsheet would take for a formula (`=`, `+`, `-`, `@`, tab, CR first), and before a `'`",
        lambda: inert,
        undo=lambda: lambda text: text.removeprefix("'"),
    ),
    "lines": TextStep("the first N lines", _lines, "number", lossy=True),
    "last": TextStep("the last N segments", last_segments, "number", "logger", lossy=True),
    "initials": TextStep(
        "all but the last N segments cut to their first character", initial_segments, "number", "logger", lossy=True
    ),
}
TIME_STEPS = {
    "%": "by a pattern of directives, in English, up to the next `|` or `}`: Y m d H M S y j b B a A p I z Z V u G %, and `%3f`, `%6f`"
    " (cut, not rounded)",
    "iso": "RFC 3339 with milliseconds, `Z` in UTC and an offset elsewhere: the look without any step",
    "epoch": "whole seconds since 1970",
    "epoch-ms": "whole milliseconds since 1970",
    "in": "in another IANA time zone: `in Europe/Rome`",
}
"""What each step on a time does."""
MASK = (
    "secrets and personal data replaced by `***`: "
    "what the plan's `mask` names, and the built-in names and forms (credentials, tokens, keys, addresses, cards, IBANs)"
)
"""What the step `mask` does."""
