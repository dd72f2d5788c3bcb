"""XML 1.0 with namespaces (expat): elements, attributes and texts with their places.

Nothing is fetched and nothing is expanded: a document type that declares entities or default values is refused, as are
references to entities that it does not declare. Comments and processing instructions are no parts.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from xml.parsers import expat
from xml.sax.saxutils import escape

from vetrina.core.base.faults import Fault, Unreadable
from vetrina.core.documents.notation import Path
from vetrina.core.documents.tree import Document, Part, Shape
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import DEEPEST, MOST_NODES, unreadable
from vetrina.formats.notations.encodings import decoded

_DECLARED = re.compile(rb"""<\?xml\s[^>]{0,200}?encoding\s*=\s*["']([A-Za-z][A-Za-z0-9._-]*)["']""")
_ATTRIBUTE = re.compile(r"""\s+([^\s=/>]+)\s*=\s*(?:"([^"]*)"|'([^']*)')""")
_CLOSED = re.compile(r"\s*/>")
_TAG_NAME = re.compile(r"<[^\s/>]+")
_WIDE = ((b"<\0\0\0", "utf-32-le"), (b"\0\0\0<", "utf-32-be"), (b"<\0", "utf-16-le"), (b"\0<", "utf-16-be"))
CDATA, MIXED = "cdata", "mixed"
"""How a text stands: within one CDATA section, or in several pieces (with comments or sections between)."""


class XmlNotation:
    """XML: paths are XPath 1.0."""

    name = "xml"
    whole = "/"
    shape: Shape = "elements"
    quotes = False
    endings = ("xml",)
    begins = "<"

    def decode(self, data: bytes, name: str) -> tuple[str, str]:
        """Return the text and its codec: by the byte-order mark, the declaration, else UTF-8."""
        found = _DECLARED.match(data[:400].lstrip(b"\xef\xbb\xbf"))
        wide = next((codec for begin, codec in _WIDE if data.startswith(begin)), "")
        return decoded(data, name, wide or (found.group(1).decode() if found else ""))

    def read(self, text: str, source: Source, report: Callable[[Fault], None]) -> Document:
        """Return the document."""
        del report
        return _Reader(text, source).read()

    def path(self, text: str, spaces: Mapping[str, str]) -> Path:
        """Return a compiled XPath."""
        from vetrina.formats.notations.xpaths import compiled  # noqa: PLC0415  (only mappings of xml need it)

        return compiled(text, spaces)

    def rendered(self, part: Part, text: str, *, plain: bool) -> str | None:
        """Return a value as it stands in its attribute or text."""
        del plain
        if any(char < " " and char not in "\t\n\r" for char in text) or part.label == MIXED:
            return None
        if part.kind == "attribute":
            quote = part.document.source.text[part.start - 1]
            entities = {quote: "&quot;" if quote == '"' else "&apos;", "\n": "&#10;", "\t": "&#9;", "\r": "&#13;"}
            return escape(text, entities)
        if part.label == CDATA:
            return None if "]]>" in text else text
        return escape(text, {"\r": "&#13;"})


class _Reader:
    """Builds parts from expat's events."""

    def __init__(self, text: str, source: Source) -> None:
        self.text, self.source = text, source
        self.data = text.encode()
        self.ascii = len(self.data) == len(text)
        self.byte = self.char = self.after = 0
        self.document = Document(source, "xml", "elements")
        self.document.root = self.here = Part(self.document, "document", None, 0, len(text))
        self.depth = self.parts = 0
        self.open_text: Part | None = None
        self.open_pieces: list[str] = []
        self.section = False
        self.parser = parser = expat.ParserCreate("utf-8", "}")
        parser.namespace_prefixes = True
        parser.buffer_text = True
        parser.buffer_size = 1 << 16
        parser.ordered_attributes = True
        parser.specified_attributes = True
        parser.StartElementHandler = self.start
        parser.EndElementHandler = self.end
        parser.CharacterDataHandler = self.characters
        parser.StartCdataSectionHandler = self.start_section
        parser.EndCdataSectionHandler = self.end_section
        parser.CommentHandler = self.comment
        parser.ProcessingInstructionHandler = self.instruction
        parser.EntityDeclHandler = self.entity
        parser.AttlistDeclHandler = self.default
        parser.SkippedEntityHandler = self.skipped

    def read(self) -> Document:
        try:
            self.parser.Parse(self.data, True)
        except expat.ExpatError as error:
            index = self._char(self.parser.ErrorByteIndex) if self.parser.ErrorByteIndex >= self.byte else self.char
            line, column = self.document.line_column(min(index, len(self.text)))
            raise self._unread(error, line, column) from None
        return self.document

    def _unread(self, error: expat.ExpatError, line: int, column: int) -> Unreadable:
        words = expat.ErrorString(error.code) or "unknown trouble"
        why, fix = "", ""
        if "mismatched tag" in words and self.here.parent is not None:
            why = f"<{self.here.label}> of {self.here.place} is still open"
            fix = f"close it with </{self.here.label}>"
        elif words == "no element found" and self.here.parent is not None:
            why = f"the text ends within <{self.here.label}> of {self.here.place}"
        elif words == "unbound prefix":
            fix = "declare the prefix with xmlns:PREFIX"
        return unreadable(self.source.name, f"this is not XML: {words}", why, fix, line, column)

    def _char(self, byte: int) -> int:
        """Return the index in the text of a byte; events come in order, so that only what is between is decoded."""
        if self.ascii:
            return byte
        if byte >= self.byte:
            self.char += len(self.data[self.byte : byte].decode())
            self.byte = byte
        return self.char

    def _stop(self, what: str, why: str = "", fix: str = "") -> Unreadable:
        line, column = self.document.line_column(self._char(self.parser.CurrentByteIndex))
        return unreadable(self.source.name, what, why, fix, line, column)

    def _named(self, part: Part, name: str) -> Part:
        pieces = name.split("}")
        if len(pieces) == 1:
            part.name = part.label = name
        else:
            part.name = f"{{{pieces[0]}}}{pieces[1]}"
            part.label = f"{pieces[2]}:{pieces[1]}" if len(pieces) == 3 else pieces[1]
        return part

    def start(self, name: str, attributes: list[str]) -> None:
        begin = self._char(self.parser.CurrentByteIndex)
        self._close(begin)
        self.depth += 1
        self.parts += 1 + len(attributes) // 2
        if self.depth > DEEPEST:
            raise self._stop(f"the document is nested more than {DEEPEST} deep", "no configuration needs that")
        if self.parts > MOST_NODES:
            raise self._stop(f"the document grows past {MOST_NODES:,} values here", "no configuration needs that many")
        tag = _TAG_NAME.match(self.text, begin)
        at = tag.end() if tag else begin
        element = self._named(Part(self.document, "element", self.here, begin, at), name)
        self.here.children.append(element)
        if attributes:
            self._attributes(element, attributes, at)
        self.after = self.text.index(">", element.end) + 1
        self.here = element

    def _attributes(self, element: Part, given: list[str], at: int) -> None:
        names = iter(range(0, len(given), 2))
        while found := _ATTRIBUTE.match(self.text, at):
            at = found.end()
            written = found.group(1)
            if written == "xmlns" or written.startswith("xmlns:"):
                continue
            number = next(names)
            start, end = found.span(2) if found.group(2) is not None else found.span(3)
            part = self._named(Part(self.document, "attribute", element, start, end), given[number])
            part.key_start = found.start(1)
            part.text = given[number + 1]
            element.attributes.append(part)
            element.end = at

    def end(self, _name: str) -> None:
        at = self._char(self.parser.CurrentByteIndex)
        self._close(at)
        self.depth -= 1
        if _CLOSED.match(self.text, self.here.end) is None:
            self.here.inner = (self.text.index(">", self.here.end) + 1, at)
            self.after = self.text.index(">", at) + 1
        self.here = self.here.parent or self.here

    def characters(self, data: str) -> None:
        """Take a piece of text; where it begins is where the last tag or section ended, for pieces come buffered."""
        if self.open_text is None:
            part = self.open_text = Part(self.document, "text", self.here, self.after, self.after)
            part.label = CDATA if self.section else ""
            self.open_pieces = []
        elif self.open_text.label == CDATA and not self.section:
            self.open_text.label = MIXED
        self.open_pieces.append(data)

    def _close(self, end: int) -> None:
        """End the text that is open: it becomes a part, bounded by what is not blank in it."""
        part = self.open_text
        if part is None:
            return
        self.open_text = None
        part.text = "".join(self.open_pieces)
        if part.label != CDATA:
            part.end = end
        raw = self.text[part.start : part.end]
        part.key_start = part.start = part.start + len(raw) - len(raw.lstrip())
        part.end = max(part.start, part.end - (len(raw) - len(raw.rstrip())))
        self.here.children.append(part)

    def start_section(self) -> None:
        self.section = True
        self.after = self._char(self.parser.CurrentByteIndex) + len("<![CDATA[")
        if self.open_text is not None:
            self.open_text.label = MIXED

    def end_section(self) -> None:
        at = self._char(self.parser.CurrentByteIndex)
        self.section = False
        self.after = at + len("]]>")
        if self.open_text is not None and self.open_text.label == CDATA:
            self.open_text.end = at

    def comment(self, _text: str) -> None:
        self._between("-->")

    def instruction(self, _target: str, _text: str) -> None:
        self._between("?>")

    def _between(self, end: str) -> None:
        self.after = self.text.index(end, self._char(self.parser.CurrentByteIndex)) + len(end)
        if self.open_text is not None:
            self.open_text.label = MIXED

    def entity(self, name: str, *_given: object) -> None:
        raise self._stop(f'the document type declares an entity, "{name[:60]}"', "entities are not expanded: they can grow without end, "
                         "or bring in other files", "write its text where it is used")  # fmt: skip

    def default(self, element: str, attribute: str, _type: str, value: str | None, _required: int) -> None:
        if value is not None:
            raise self._stop(f'the document type gives "{attribute[:60]}" of "{element[:60]}" a value where none is written',
                             "such values have no place in the document", "write them where they hold")  # fmt: skip

    def skipped(self, name: str, _parameter: int) -> None:
        raise self._stop(
            f"&{name[:60]}; is not declared in the document", "nothing outside the document is fetched", "write its text here"
        )


NOTATION = XmlNotation()
