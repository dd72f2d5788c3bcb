"""Lines of `key = value` or `key: value`.

Comments by `#`, `;` or `!` at a line's start; a backslash at its end joins the next line without that one's leading
blanks; there are no other escapes; a line with neither sign is a key with an empty value.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from vetrina.core.base.faults import Fault
from vetrina.core.documents.tree import Document, Part, Shape
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import unreadable
from vetrina.formats.notations.by_members import ByMembers
from vetrina.formats.notations.members import Members

_NOTHING = re.compile(r"(?:\s++|[#;!][^\n]*+)*+")
"""Blank lines and comments, from a line's start on."""
_JOINT = re.compile(r"\\\r?\n[ \t\f]*")


class LinesNotation(ByMembers):
    """Lines: paths are JSONPath over one object of texts."""

    name = "lines"
    shape: Shape = "lines"
    quotes = False
    endings = ("lines", "properties", "conf")
    begins = ""

    def read(self, text: str, source: Source, report: Callable[[Fault], None]) -> Document:
        """Return the document: one object."""
        del report
        members = Members(text, source, self.name, self.shape)
        for start, end in _logical(text, source.name):
            _take(members, text[start:end], start)
        return members.finish()

    def rendered(self, part: Part, text: str, *, plain: bool) -> str | None:
        """Return a value as it stands behind its sign; None for what a line cannot hold."""
        del plain
        return one_line(part, text)


def one_line(part: Part, text: str) -> str | None:
    """Return a value on a line of its key, None for one that would not read back."""
    if text != text.strip() or "\n" in text or "\r" in text or text.endswith("\\") or part.key_start == part.start:
        return None
    before = part.document.source.text[part.start - 1 : part.start]
    return text if before.isspace() or before in {"=", ":"} else None


_MOST_JOINED = 10_000


def _logical(text: str, name: str) -> Iterator[tuple[int, int]]:
    """Yield the bounds of the lines that say something, from their first sign on; those that a backslash joins are one."""
    position = 0
    while (start := skipped(_NOTHING, text, position)) < len(text):
        begin, end, joined = start, line_end(text, start), 1
        while end < len(text) and text[max(begin, end - 3) : end].rstrip("\r\n").endswith("\\"):
            begin, end, joined = end, line_end(text, end), joined + 1
            if joined > _MOST_JOINED:
                line = text.count("\n", 0, start) + 1
                raise unreadable(
                    name, f"more than {_MOST_JOINED:,} lines are joined by backslashes here", "", "end the value", line, 1
                )
        yield start, end
        position = end


def skipped(nothing: re.Pattern[str], text: str, position: int) -> int:
    """Return where the next line begins that says something: ``nothing`` matches blank ones and comments."""
    found = nothing.match(text, position)
    return found.end() if found else position


def line_end(text: str, start: int) -> int:
    """Return where the line that begins at ``start`` ends, its line break included."""
    found = text.find("\n", start)
    return len(text) if found < 0 else found + 1


def _take(members: Members, line: str, start: int) -> None:
    """Make a member of one line."""
    line = line.rstrip("\r\n")
    sign = re.search("[=:]", line)
    cut = sign.start() if sign else len(line)
    key = _joined(line[:cut]).strip()
    raw = line[cut + 1 :] if sign else ""
    begin = start + (cut + 1 + len(raw) - len(raw.lstrip()) if sign else len(line.rstrip()))
    members.put(members.document.root, key, _joined(raw).strip(), start, begin,
                begin + len(raw.strip()))  # fmt: skip


def _joined(text: str) -> str:
    return _JOINT.sub("", text)


NOTATION = LinesNotation()
