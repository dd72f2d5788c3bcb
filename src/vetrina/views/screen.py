"""Text on a screen: styled lines, made harmless, aligned by display columns.

Lines are lists of spans. On a terminal Rich paints them; in a pipe, without colour, or with NO_COLOR they are plain,
and Rich is never loaded.
"""

from __future__ import annotations

import os
import re
import sys
import unicodedata
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import IO, TYPE_CHECKING, NamedTuple, Self

from vetrina.core.base.hidden import MASK, shown
from vetrina.core.base.wording import spaced

if TYPE_CHECKING:
    from vetrina.core.plan.model import Plan

WIDTH_IN_A_PIPE = 100
NARROWEST = 40
_HIDDEN = {"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"}
_NAMED = {"\n": "\\n", "\r": "\\r", "\t": "\\t", "\x1b": "\\e", "\0": "\\0"}
STYLES = {
    "title": "bold",
    "quiet": "bright_black",
    "good": "green",
    "bad": "bold red",
    "place": "cyan",
    "changed": "magenta",
    "command": "bold cyan",
    "faint": "bright_black",
    "low": "blue",
    "plain": "",
    "raised": "yellow",
    "grave": "red",
    "gravest": "bold red reverse",
    "found": "bold underline",
}


class Span(NamedTuple):
    """A stretch of text in one style."""

    text: str
    style: str = ""


Line = list[Span]


class Width(int):
    """The columns of an output.

    In one that is ``whole`` nothing is cut off, however long its lines become: in a pipe, or where that was asked for.
    """

    whole: bool

    def __new__(cls, columns: int, *, whole: bool = False) -> Self:
        """Return so many columns."""
        found = super().__new__(cls, columns)
        found.whole = whole
        return found

    def __sub__(self, other: int) -> Width:
        """Return fewer columns of the same output."""
        return Width(int(self) - int(other), whole=self.whole)


def whole(width: int) -> bool:
    """Tell whether nothing is to be cut off in an output of this width."""
    return isinstance(width, Width) and width.whole


def most(width: int, count: int) -> int | None:
    """Return how many rows of a long list are shown: ``count`` on a terminal, all (None) where nothing is cut off."""
    return None if whole(width) else count


def safe(text: str) -> str:
    """Return ``text`` with everything that could steer a terminal made visible: control, format, surrogate."""
    text = shown(text)
    if text.isascii() and text.isprintable():
        return text
    return "".join(_shown(char) for char in text)


def _shown(char: str) -> str:
    if char.isprintable() or unicodedata.category(char) not in _HIDDEN:
        return char
    named = _NAMED.get(char)
    if named:
        return named
    code = ord(char)
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"


def columns(text: str) -> int:
    """Return how many columns a harmless text takes on a terminal."""
    if text.isascii():
        return len(text)
    return sum(_columns(char) for char in text)


def _columns(char: str) -> int:
    if unicodedata.combining(char) or unicodedata.category(char) in {"Mn", "Me"}:
        return 0
    return 2 if unicodedata.east_asian_width(char) in {"W", "F"} else 1


def shorten(text: str, width: int) -> str:
    """Return ``text`` cut to ``width`` columns in the middle, with an ellipsis where something is gone.

    Names that have much in common mostly differ at their ends.
    """
    if columns(text) <= width:
        return text
    begun, used = [], 1
    for char in text:
        used += _columns(char)
        if used > (width + 1) // 2:
            used -= _columns(char)
            break
        begun.append(char)
    ended: list[str] = []
    for char in reversed(text[len(begun) :]):
        used += _columns(char)
        if used > width:
            break
        ended.append(char)
    return "".join(begun) + "…" + "".join(reversed(ended))


def distinct(names: Sequence[str], width: int) -> list[str]:
    """Return names, made harmless, each shortened to ``width`` columns where that leaves it different from all others; else whole."""
    names = [safe(name) for name in names]
    short = [shorten(name, width) for name in names]
    alike = Counter(dict(zip(names, short, strict=True)).values())
    return [name if alike[cut] > 1 else cut for name, cut in zip(names, short, strict=True)]


def pad(text: str, width: int, *, right: bool = False) -> str:
    """Return ``text`` filled up to ``width`` columns, on the right or (``right``) on the left."""
    gap = " " * max(0, width - columns(text))
    return gap + text if right else text + gap


def width_of(out: IO[str], *, wide: bool = False) -> Width:
    """Return how many columns there are: COLUMNS, or the terminal's, or a usual width in a pipe, where nothing is cut off."""
    cut_off = not wide and out.isatty()
    given = os.environ.get("COLUMNS", "")
    if given.isdigit() and int(given) > 0:
        return Width(max(NARROWEST, min(int(given), 1000)), whole=not cut_off)
    try:
        if out.isatty():
            return Width(max(NARROWEST, os.get_terminal_size(out.fileno()).columns or 80), whole=not cut_off)
    except (OSError, ValueError):
        pass
    return Width(WIDTH_IN_A_PIPE, whole=True)


def painted(out: IO[str]) -> bool:
    """Tell whether colour is wanted: on a terminal, unless NO_COLOR is set or the terminal is dumb."""
    return out.isatty() and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


def show(lines: Iterable[Line | str], out: IO[str] | None = None) -> None:
    """Write styled lines; a plain text is a line without style. Spans must be harmless already."""
    out = out or sys.stdout
    if not painted(out):
        out.writelines(map(_plain, lines))
        return
    from rich.console import Console  # noqa: PLC0415  (62 ms of start-up, on terminals only)
    from rich.text import Text  # noqa: PLC0415

    console = Console(file=out, highlight=False, markup=False, emoji=False, soft_wrap=True, width=width_of(out))
    for line in lines:
        text = Text(end="")
        for part in line if isinstance(line, list) else [Span(line)]:
            text.append(part.text, STYLES.get(part.style, ""))
        console.print(text, soft_wrap=True)


def plain(lines: Iterable[Line | str]) -> str:
    """Return styled lines as text without style."""
    return "".join(map(_plain, lines))


def _plain(line: Line | str) -> str:
    return "".join([part.text for part in line] if isinstance(line, list) else [line]).rstrip() + "\n"


def hider(plan: Plan) -> Callable[[str], str]:
    """Return the function that puts `***` for a plan's hidden values: a template may hold one."""
    hidden = sorted(plan.hidden, key=len, reverse=True)

    def clean(text: str) -> str:
        for one in hidden:
            text = text.replace(one, MASK)
        return text

    return clean


def span(text: object, style: str = "") -> Span:
    """Return a span of data, made harmless."""
    return Span(safe(str(text)), style)


def level_style(severity: int) -> str:
    """Return the style of a severity."""
    for lowest, style in ((18, "gravest"), (17, "grave"), (13, "raised"), (9, "plain"), (5, "low")):
        if severity >= lowest:
            return style
    return "faint"


class Column(NamedTuple):
    """A column of a table: its heading, whether numbers stand right, and how narrow it may become."""

    heading: str
    right: bool = False
    least: int = 0


def table(heads: Sequence[Column], rows: Sequence[Sequence[Span]], width: int, indent: int = 0) -> list[Line]:
    """Return a table as lines, at most ``width`` columns wide where its shrinking columns allow that.

    Columns with ``least`` > 0 give way, the widest first; what does not fit goes on in further lines of its cell, so
    that nothing is lost. In an output that is whole nothing gives way.
    """
    heads = [head._replace(heading=safe(head.heading)) for head in heads]
    widths = [max([columns(head.heading), *(columns(row[at].text) for row in rows)]) for at, head in enumerate(heads)]
    gap = 2
    over = 0 if whole(width) else indent + sum(widths) + gap * (len(widths) - 1) - int(width)
    for least in ([head.least for head in heads], [min(_NARROWEST_CELL, head.least) for head in heads]):
        over = _shrunk(widths, least, over)
    lead = Span(" " * indent)
    lines: list[Line] = []
    if any(head.heading for head in heads):
        lines += [[lead, *row] for row in _row([Span(head.heading, "quiet") for head in heads], heads, widths, gap)]
    for row in rows:
        lines += [[lead, *line] for line in _row(row, heads, widths, gap)]
    return lines


_NARROWEST_CELL = 8
"""What a column that gives way is left at the least, where even its own least is too much."""


def _shrunk(widths: list[int], least: list[int], over: int) -> int:
    """Take columns from the widest that may give way, until nothing is over; return what still is."""
    while over > 0:
        shrinking = sorted((at for at, floor in enumerate(least) if floor and widths[at] > floor), key=lambda at: -widths[at])
        if not shrinking:
            break
        widest = shrinking[0]
        floor = max(least[widest], widths[shrinking[1]] - 1 if len(shrinking) > 1 else 0)
        step = max(1, min(over, widths[widest] - floor))
        widths[widest] -= step
        over -= step
    return over


def _row(cells: Sequence[Span], heads: Sequence[Column], widths: list[int], gap: int) -> list[Line]:
    """Return a row, in as many lines as its longest cell needs."""
    rooms = [width - columns(cell.text) for cell, width in zip(cells, widths, strict=True)]
    if min(rooms) >= 0:
        return [_short_row(cells, heads, rooms, gap)]
    parts = [
        _folded(cell.text, width) if room < 0 else [cell.text] for cell, width, room in zip(cells, widths, rooms, strict=True)
    ]
    lines: list[Line] = []
    for turn in range(max(map(len, parts))):
        spans: Line = []
        for at, (cell, head, width) in enumerate(zip(cells, heads, widths, strict=True)):
            if at:
                spans.append(Span(" " * gap))
            text = parts[at][turn] if turn < len(parts[at]) else ""
            last = at == len(heads) - 1 and not head.right
            spans.append(Span(text if last else pad(text, width, right=head.right), cell.style))
        lines.append(spans)
    return lines


def _short_row(cells: Sequence[Span], heads: Sequence[Column], rooms: list[int], gap: int) -> Line:
    """Return a row whose cells all fit, ``rooms`` to spare."""
    between, last = Span(" " * gap), len(heads) - 1
    spans: Line = []
    for at, (cell, room) in enumerate(zip(cells, rooms, strict=True)):
        if at:
            spans.append(between)
        if room and (at < last or heads[at].right):
            blanks = " " * room
            cell = Span(blanks + cell.text if heads[at].right else cell.text + blanks, cell.style)  # noqa: PLW2901  (padded)
        spans.append(cell)
    return spans


_JOINTS = re.compile(r"(?<=[/\\_,;=>-])(?=[^/\\_,;=>-])|(?<=[.:])(?=[^.:0-9])")


def _folded(text: str, width: int) -> list[str]:
    """Return a text as lines of at most ``width`` columns: broken at blanks; a word that is too long for a line after signs."""
    lead = len(text) - len(text.lstrip(" "))
    indent = " " * (lead + 2 if lead + 2 < width // 2 else 0)
    lines, here = [], " " * lead
    for number, word in enumerate(text.strip(" ").split(" ")):
        blank = " " if number and here.strip() else ""
        if columns(here) + len(blank) + columns(word) <= width:
            here += blank + word
            continue
        if here.strip() and columns(indent) + columns(word) <= width:
            lines.append(here)
            here = indent + word
            continue
        here += blank
        for piece in _JOINTS.split(word):
            here = _put(piece, here, indent, width, lines)
    return [*lines, here.rstrip(" ")]


def _put(piece: str, here: str, indent: str, width: int, lines: list[str]) -> str:
    """Put a piece of a word on the line that is being filled, or on further ones; return the line to go on with."""
    if columns(here) + columns(piece) > width and here.strip():
        lines.append(here.rstrip(" "))
        here = indent
    while columns(here) + columns(piece) > width:
        room = max(1, width - columns(here))
        cut = max((at for at in range(1, len(piece)) if columns(piece[:at]) <= room), default=1)
        lines.append(here + piece[:cut])
        here, piece = indent, piece[cut:]
    return here + piece


def fit(lines: Iterable[Line], width: int) -> Iterator[Line]:
    """Yield lines of at most ``width`` columns: what is longer goes on in further lines; in an output that is whole nothing does."""
    for line in lines:
        text = "".join(part.text for part in line)
        if whole(width) or columns(text) <= width:
            yield line
        else:
            yield from _restyled(line, _folded(text, int(width)))


def _restyled(line: Line, folded: Iterable[str]) -> Iterator[Line]:
    """Yield a line that was folded, in its styles: of its signs, folding drops blanks alone."""
    signs = [(char, part.style) for part in line for char in part.text]
    at = 0
    for text in folded:
        bare = text.lstrip(" ")
        found: Line = [Span(" " * (len(text) - len(bare)))]
        for char in bare:
            while signs[at][0] != char:
                at += 1
            style = signs[at][1]
            found[-1:] = (
                [Span(found[-1].text + char, style)]
                if found[-1].style == style and len(found) > 1
                else [found[-1], Span(char, style)]
            )
            at += 1
        yield found


def wrapped(text: str, width: int, indent: int = 0, style: str = "") -> list[Line]:
    """Return a harmless text as lines of at most ``width`` columns, broken at blanks, further lines indented."""
    lines: list[Line] = []
    here = ""
    for word in text.split(" "):
        room = width - (indent if lines else 0)
        if here and columns(here) + 1 + columns(word) > room:
            lines.append([Span(" " * (indent if lines else 0)), Span(here, style)])
            here = word
        else:
            here = f"{here} {word}" if here else word
    lines.append([Span(" " * (indent if lines else 0)), Span(here, style)])
    return lines


def number(count: int) -> str:
    """Return a count with a blank between thousands, as SI writes them."""
    return spaced(count)
