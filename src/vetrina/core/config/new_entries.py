"""A new logger written into a document in another format, as its mapping says, with its neighbours' indentation."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from xml.sax.saxutils import escape

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.config.dump import yaml_text
from vetrina.core.config.placeholders import typed
from vetrina.core.config.splices import Splice, Target
from vetrina.core.documents.adopted import Adoption
from vetrina.core.documents.mapping import NewLogger
from vetrina.core.documents.tree import Document, Part
from vetrina.core.schema.nodes import Listing, Mapping, Node

_BLANK_LINE_START = re.compile(r"[ \t]*\Z")


def new_logger(adoption: Adoption, name: str, word: str, target: Target, where: str) -> Splice:
    """Return the splice that writes a logger that is not there yet; raise Refused where the mapping's place is not there."""
    new = adoption.mapping.new_logger
    assert new is not None  # noqa: S101  (asked only where the mapping says how)
    shape = adoption.notation.shape
    if shape == "elements":
        at, text = _element(_into(adoption, new, where), new, name, word)
    elif shape == "sections":
        at, text = _section_line(adoption.documents, new, name, word)
    elif shape == "lines":
        at, text = _line(adoption, new, name, word, where)
    else:
        at, text = _member(_into(adoption, new, where), new, name, word, as_json=adoption.notation.quotes, where=where)
    document, start, end = at
    return Splice(document.source.name, start, end, text, target)


Spot = tuple[Document, int, int]


def _into(adoption: Adoption, new: NewLogger, where: str) -> Part:
    for document in adoption.documents:
        try:
            found = new.into.select(document.root) if new.into is not None else []
        except NotUnderstood as reason:
            raise refuse(f"the place for a new logger cannot be worked out: {reason}", place=new.node.place) from None
        if found and not isinstance(found, str):
            return found[0]
    raise _no_place(adoption, new, where)


def _no_place(adoption: Adoption, new: NewLogger, where: str) -> Refused:
    return refuse("the document has no place for a new logger", f"{adoption.mapping.name} wants it at {new.node.place}, which takes nothing",
                  "write it by hand, or into a layer: --into FILE", where=where)  # fmt: skip


def _filled(text: str, name: str, word: str) -> str:
    return re.sub(r"\{(name|level)\}", lambda found: name if found[1] == "name" else word, text)


def _newline(text: str) -> str:
    return "\r\n" if "\r\n" in text else "\n"


def _indent(text: str, at: int) -> str | None:
    """Return the blanks before what stands at ``at``, None where something else stands before it on its line."""
    begin = text.rfind("\n", 0, at) + 1
    found = _BLANK_LINE_START.fullmatch(text[begin:at])
    return found.group() if found else None


def _element(into: Part, new: NewLogger, name: str, word: str) -> tuple[Spot, str]:
    """Put an element behind the last one within ``into``."""
    document, text = into.document, into.document.source.text
    quoted = {'"': "&quot;", "'": "&apos;", "\n": "&#10;"}
    made = _filled(new.text, escape(name, quoted), escape(word, quoted))
    newline, own = _newline(text), _indent(text, into.start)
    children = [one for one in into.children if one.kind == "element"]
    if into.inner is None:
        slash = text.index("/>", into.end)
        inside = f"{newline}{own}  {made}{newline}{own}" if own is not None else made
        return (document, slash, slash + 2), f">{inside}</{into.label}>"
    if children:
        indent = _indent(text, children[-1].start)
        at = _after(children[-1])
        return (document, at, at), (f"{newline}{indent}" if indent is not None else "") + made
    begin, end = into.inner
    if text[begin:end].strip() or own is None:
        return (document, end, end), made
    return (document, begin, end), f"{newline}{own}  {made}{newline}{own}"


def _after(part: Part) -> int:
    """Return where an element ends, its closing tag included."""
    text = part.document.source.text
    if part.inner is not None:
        return text.index(">", part.inner[1]) + 1
    return text.index(">", part.end) + 1


def _member(into: Part, new: NewLogger, name: str, word: str, *, as_json: bool, where: str) -> tuple[Spot, str]:
    """Put a member, or an item, behind the last one of an object or array."""
    document, text = into.document, into.document.source.text
    flow = as_json or text[into.start : into.start + 1] in {"{", "["}
    if new.item is not None:
        if into.kind != "array":
            raise refuse(
                "a new logger is an item here, and this is no list",
                place=into.place,
                fix="write member and value in the mapping",
            )
        made = _value(new.item, name, word, as_json=as_json)
        made = made if flow else f"- {made}"
    else:
        if into.kind != "object" or new.value is None:
            raise refuse(
                "a new logger is a member here, and this is no object", place=into.place, fix="write item in the mapping"
            )
        key = _filled(new.member, name, word)
        shown = json.dumps(key, ensure_ascii=False) if as_json else yaml_text(key)
        made = f"{shown}: {_value(new.value, name, word, as_json=as_json)}"
    if not into.children:
        if not flow:
            raise refuse(
                "the document has no place for a new logger", "the list is empty", "write the first by hand", where=where
            )
        return (document, into.start + 1, into.start + 1), made
    last = into.children[-1]
    begin = last.key_start if into.kind == "object" else last.start
    indent = _indent(text, begin)
    if flow:
        gap = f"{_newline(text)}{indent}" if indent is not None else " "
        return (document, last.end, last.end), f",{gap}{made}"
    column = begin - (text.rfind("\n", 0, begin) + 1) - (2 if into.kind == "array" else 0)
    end = _end_of_line(text, _deepest_end(last))
    return (document, end, end), f"{_newline(text)}{' ' * max(0, column)}{made}"


def _deepest_end(part: Part) -> int:
    """Return where what stands in a part ends: a block of YAML reaches to what comes next."""
    flow = part.document.source.text[part.start : part.start + 1] in {"{", "["}
    if part.children and not flow:
        return max(_deepest_end(one) for one in part.children)
    return max(part.end, part.key_start)


def _value(node: Node, name: str, word: str, *, as_json: bool) -> str:
    """Return a value of the mapping's with the name and the level in it, on one line."""
    if isinstance(node, Mapping):
        pairs = (f"{_text(key.text, as_json=as_json)}: {_value(one, name, word, as_json=as_json)}" for key, one in node.pairs)
        return "{" + ", ".join(pairs) + "}"
    if isinstance(node, Listing):
        return "[" + ", ".join(_value(one, name, word, as_json=as_json) for one in node.items) + "]"
    text = _filled(node.text, name, word)
    number = node.text == "{level}" and isinstance(typed(text), int | float)
    if (node.plain and not isinstance(typed(node.text), str)) or number:
        return text or "null"
    return _text(text, as_json=as_json)


def _text(text: str, *, as_json: bool) -> str:
    return json.dumps(text, ensure_ascii=False) if as_json else yaml_text(text)


def _section_line(documents: Sequence[Document], new: NewLogger, name: str, word: str) -> tuple[Spot, str]:
    """Put a line at the end of a section, or a section with it at the end of the document."""
    section = _filled(new.section, name, word)
    made = _filled(new.text, name, word)
    for document in documents:
        part = document.root.member(section)
        if part is not None:
            text = document.source.text
            last = max((_line_of(one) for one in part.children), default=part.end)
            end = _end_of_line(text, last)
            return (document, end, end), f"{_newline(text)}{made}"
    document = documents[0]
    text = document.source.text
    newline = _newline(text)
    begin = "" if not text or text.endswith("\n") else newline
    return (document, len(text), len(text)), f"{begin}{newline}[{section}]{newline}{made}{newline}"


def _line(adoption: Adoption, new: NewLogger, name: str, word: str, where: str) -> tuple[Spot, str]:
    """Put a line behind the last one that a logger was read from."""
    parts = [use.part for use in adoption.uses if use.path.startswith("loggers[") and use.part.kind == "value"]
    first = adoption.documents[0]
    own = [one for one in parts if one.document is first] or parts
    if not own:
        raise _no_place(adoption, new, where)
    last = max(own, key=lambda one: one.order)
    text = last.document.source.text
    end = _end_of_line(text, _line_of(last))
    return (last.document, end, end), f"{_newline(text)}{_filled(new.text, name, word)}"


def _line_of(part: Part) -> int:
    return max(part.end, part.key_start)


def _end_of_line(text: str, at: int) -> int:
    end = text.find("\n", at)
    return len(text) if end < 0 else end - (text[end - 1 : end] == "\r")
