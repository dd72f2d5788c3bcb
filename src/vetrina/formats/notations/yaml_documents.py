"""YAML 1.2: mappings, lists and values with their places, as of a plan; the first document of a stream alone is refused."""

from __future__ import annotations

import json
from collections.abc import Callable

from vetrina.core.base.faults import Fault
from vetrina.core.config.dump import yaml_text
from vetrina.core.documents.tree import Document, Part, Shape
from vetrina.core.schema.nodes import Source
from vetrina.formats.documents import read_document, unreadable
from vetrina.formats.notations.by_members import ByMembers
from vetrina.formats.notations.parts import SHARED, of_node


class YamlNotation(ByMembers):
    """YAML: paths are JSONPath."""

    name = "yaml"
    shape: Shape = "objects"
    quotes = False
    endings = ("yaml", "yml")
    begins = ""

    def read(self, text: str, source: Source, report: Callable[[Fault], None]) -> Document:
        """Return the document; a repeated key goes to ``report``."""
        node = read_document(text, source, report)
        if node is None:
            raise unreadable(source.name, "the document is empty")
        return of_node(node, source, self.name)

    def rendered(self, part: Part, text: str, *, plain: bool) -> str | None:
        """Return a value as YAML, quoted as the old one was; None for a block of lines and for what an alias shares."""
        old = part.document.source.text[part.start : part.end]
        if part.label == SHARED or old[:1] in {"|", ">"} or not old:
            return None
        if old[:1] == '"':
            return json.dumps(text, ensure_ascii=False)
        if old[:1] == "'" and text.isprintable():
            return "'" + text.replace("'", "''") + "'"
        return text if plain else yaml_text(text)


NOTATION = YamlNotation()
