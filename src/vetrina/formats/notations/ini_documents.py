"""INI: sections of `key = value` lines.

Keys keep their case, no section inherits, nothing is interpolated; comments by `#` or `;` at a line's start. A line
without `=` is a key with an empty value; a section that is begun again goes on.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from vetrina.core.base.faults import Fault
from vetrina.core.documents.tree import Document, Part, Shape
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import unreadable
from vetrina.formats.notations.by_members import ByMembers
from vetrina.formats.notations.lines_documents import line_end, one_line, skipped
from vetrina.formats.notations.members import Members

_NOTHING = re.compile(r"(?:\s++|[#;][^\n]*+)*+")
"""Blank lines and comments, from a line's start on."""


class IniNotation(ByMembers):
    """INI: paths are JSONPath over an object of sections."""

    name = "ini"
    shape: Shape = "sections"
    quotes = False
    endings = ("ini", "cfg")
    begins = "["

    def read(self, text: str, source: Source, report: Callable[[Fault], None]) -> Document:
        """Return the document: an object of sections."""
        del report
        members = Members(text, source, self.name, self.shape)
        section: Part | None = None
        position = 0
        while (begin := skipped(_NOTHING, text, position)) < len(text):
            position = line_end(text, begin)
            line = text[begin:position].rstrip()
            if line.startswith("["):
                if not line.endswith("]"):
                    raise _stop(members, begin, "this section's name is not closed", "end the line with ]")
                section = members.section(line[1:-1].strip(), begin, begin + len(line))
            elif section is None:
                raise _stop(members, begin, "this line stands before the first section", "begin with a line [NAME]")
            else:
                _take(members, section, line, begin)
        return members.finish()

    def rendered(self, part: Part, text: str, *, plain: bool) -> str | None:
        """Return a value as it stands behind its sign; None for what a line cannot hold."""
        del plain
        return one_line(part, text)


def _take(members: Members, section: Part, line: str, begin: int) -> None:
    key, sign, raw = line.partition("=")
    start = begin + (len(key) + 1 + len(raw) - len(raw.lstrip()) if sign else len(line))
    members.put(section, key.strip(), raw.strip(), begin, start, start + len(raw.strip()))


def _stop(members: Members, at: int, what: str, fix: str) -> Exception:
    line, column = members.document.line_column(at)
    return unreadable(members.document.source.name, what, "", fix, line, column)


NOTATION = IniNotation()
