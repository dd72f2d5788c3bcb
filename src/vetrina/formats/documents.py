"""YAML 1.2 and JSON documents to nodes with their places.

One pass over the events of PyYAML's C parser builds the nodes: nesting, aliases and sizes are bounded before anything
grows. A text that begins like JSON is read by JSON's own grammar first, for some JSON is no YAML to that parser.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import yaml
from yaml.cyaml import CParser  # type: ignore[attr-defined]

from vetrina.core.base.faults import Fault, Place, Unreadable, nearest, refuse
from vetrina.core.config.placeholders import typed
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, Source
from vetrina.formats.json_documents import Limits, TooMany, read_json
from vetrina.formats.opening import open_file

LARGEST = 64 << 20
DEEPEST = 100
MOST_NODES = 200_000
_HOPELESS_DEPTH = 2000
_BRACKETS = re.compile(r"[\[\]{}]")
_CORE = "tag:yaml.org,2002:"
_STARTS = {yaml.SequenceStartEvent, yaml.MappingStartEvent}
_OUTER = {yaml.StreamStartEvent, yaml.StreamEndEvent, yaml.DocumentEndEvent}
_PLAIN_TAGS = {_CORE + name for name in ("int", "float", "bool", "null")}


def unreadable(name: str, what: str, why: str = "", fix: str = "", line: int = 0, column: int = 1) -> Unreadable:
    """Return the exception for a text that is no document."""
    place = Place(name, line, column) if line else None
    return Unreadable([Fault("unreadable", what, why=why, fix=fix, place=place, where="" if place else name)])


def _too_deep(name: str, line: int, column: int) -> Unreadable:
    return unreadable(name, f"the document is nested more than {DEEPEST} deep", "no plan needs that", "", line, column)


def _too_many(name: str, line: int, column: int, why: str = "") -> Unreadable:
    return unreadable(name, f"the document grows past {MOST_NODES:,} values here", why, "no plan needs that many", line, column)


def read_bytes(path: Path, name: str) -> bytes:
    """Return a small file's bytes; raise Unreadable with what is in the way."""
    try:
        if path.is_dir():
            raise unreadable(name, "this is a directory, not a file", fix="name the file inside it")
        if path.stat().st_size > LARGEST:
            raise unreadable(name, f"the file is larger than {LARGEST >> 20} MiB", "a plan of this size is no plan")
        with open_file(path) as file:
            data = file.read(LARGEST + 1)
    except FileNotFoundError:
        raise unreadable(name, "there is no such file", fix=_near_file(path)) from None
    except PermissionError:
        raise unreadable(name, "the file may not be read", "its permissions are in the way") from None
    except (OSError, ValueError) as error:
        reason = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise unreadable(name, f"the file cannot be read: {reason}") from None
    if len(data) > LARGEST:
        raise unreadable(name, f"the file is larger than {LARGEST >> 20} MiB")
    return data


def _near_file(path: Path) -> str:
    try:
        close = nearest(path.name, [other.name for other in path.absolute().parent.iterdir()])
    except OSError:
        return "check the path"
    return f'did you mean "{path.with_name(close[0])}"?' if close else "check the path"


def decode(data: bytes, name: str) -> str:
    """Return UTF-8 text without its byte-order mark; raise Unreadable at the line that is not UTF-8."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        column = error.start - (data.rfind(b"\n", 0, error.start) + 1) + 1
        raise unreadable(
            name, f"byte 0x{data[error.start]:02x} is not UTF-8", "plans are UTF-8 text",
            "save the file as UTF-8", line, column,
        ) from None  # fmt: skip
    nul = text.find("\0")
    if nul >= 0:
        line = text.count("\n", 0, nul) + 1
        raise unreadable(name, "the text holds a NUL character", "this looks like a binary file", "", line, 1)
    return text


def read_document(text: str, source: Source, report: Callable[[Fault], None]) -> Node | None:
    """Return the one document of ``text``, None for an empty one; raise Unreadable with the place of the trouble.

    What can be told beside others (duplicate keys, unknown tags) goes to ``report``.
    """
    _refuse_depth(text, source.name)
    if text.lstrip(" \t\r\n")[:1] in {"{", "["}:
        try:
            found = read_json(text, source, Limits(DEEPEST, MOST_NODES), lambda key, first: report(duplicate_key(key, first)))
        except TooMany as many:
            raise _too_many(source.name, many.line, many.column) from None
        if found is not None:
            return found
    return _Composer(text, source, report).compose()


_NOT_YAML = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x84\x86-\x9f\ud800-\udfff\ufffe\uffff]")
"""What no YAML text holds (YAML 1.2, 5.1); told by what it is, since the complement takes ten times as long to compile."""


def _refuse_depth(text: str, name: str) -> None:
    """Refuse a text whose brackets alone nest far too deep, before a parser whose time grows with the square of that."""
    if text.count("[") + text.count("{") <= _HOPELESS_DEPTH:
        return
    depth = 0
    for found in _BRACKETS.finditer(text):
        depth += 1 if found.group() in "[{" else -1 if depth else 0
        if depth > _HOPELESS_DEPTH:
            line = text.count("\n", 0, found.start()) + 1
            column = found.start() - text.rfind("\n", 0, found.start())
            raise _too_deep(name, line, column)


def duplicate_key(key: Scalar, first: Scalar) -> Fault:
    """Return the fault of a key that is given a second time."""
    return Fault("duplicate-key", f'"{key.text[:60]}" is given twice', why="the second would win in silence", fix="keep one of the two",
                 place=key.place, related=((first.place, "the first one"),))  # fmt: skip


class _Open:
    """A list or mapping that is being read: its anchor, the nodes before it, the key that waits for its value."""

    __slots__ = ("anchor", "before", "key", "node", "seen")

    def __init__(self, node: Listing | Mapping, anchor: str | None, before: int) -> None:
        self.node, self.anchor, self.before = node, anchor, before
        self.key: Scalar | None = None
        self.seen: dict[str, Scalar] = {}


class _Composer:
    """Builds nodes from parser events."""

    def __init__(self, text: str, source: Source, report: Callable[[Fault], None]) -> None:
        self._text = text
        self._report = report
        self._source = source
        self._anchors: dict[str, Node] = {}
        self._open_anchors: set[str] = set()
        self._sizes: dict[int, int] = {}
        self._size = 0

    def compose(self) -> Node | None:
        """Return the document's node."""
        try:
            return self._compose()
        except yaml.MarkedYAMLError as error:
            raise self._yaml_error(error) from None
        except yaml.reader.ReaderError as error:
            raise self._odd_character(error) from None
        except (ValueError, OverflowError, RecursionError) as error:
            raise unreadable(self._source.name, f"this is not readable as YAML: {error}") from None

    def _odd_character(self, error: yaml.reader.ReaderError) -> Unreadable:
        """Return the fault of a character that YAML does not allow: where it stands in our text, as the parser counts bytes."""
        found = _NOT_YAML.search(self._text)
        code = ord(found.group()) if found else error.character if isinstance(error.character, int) else 0
        at = found.start() if found else min(error.position, len(self._text))
        line, column = self._text.count("\n", 0, at) + 1, at - self._text.rfind("\n", 0, at)
        return unreadable(self._source.name, f"character U+{code:04X} is not allowed in YAML", "",
                          "remove it, or write it as an escape in double quotes", line, column)  # fmt: skip

    def _compose(self) -> Node | None:
        parser = CParser(self._text)
        try:
            root: Node | None = None
            while parser.check_event():
                event: Any = parser.get_event()
                if isinstance(event, yaml.DocumentStartEvent):
                    if root is not None:
                        raise self._stop(event, "a second document begins here", "a plan is one document",
                                         "remove the --- line, or use a stage")  # fmt: skip
                elif type(event) not in _OUTER:
                    root = self._tree(parser, event)
        finally:
            parser.dispose()
        return None if isinstance(root, Scalar) and root.is_null() else root

    def _tree(self, parser: Any, event: Any) -> Node:
        """Build one node with everything in it, without recursion."""
        stack: list[_Open] = []
        while True:
            node: Node | None = None
            kind = type(event)
            if kind is yaml.ScalarEvent:
                node = self._scalar(event)
                if event.anchor:
                    self._remember(event.anchor, node, 1)
                self._grow(1, event)
            elif kind is yaml.AliasEvent:
                node = self._alias(event)
            elif kind in _STARTS:
                stack.append(self._begin(event, len(stack)))
            else:
                node = self._end(stack.pop(), event)
            if node is not None:
                if not stack:
                    return node
                self._place(stack[-1], node)
            event = parser.get_event()

    def _begin(self, event: Any, depth: int) -> _Open:
        if depth >= DEEPEST:
            raise _too_deep(self._source.name, event.start_mark.line + 1, event.start_mark.column + 1)
        opened = _Open(self._open(event), event.anchor, self._size)
        if event.anchor:
            self._open_anchors.add(event.anchor)
        self._grow(1, event)
        return opened

    def _end(self, closed: _Open, event: Any) -> Node:
        closed.node.end = event.end_mark.index
        if closed.anchor:
            self._open_anchors.discard(closed.anchor)
            self._remember(closed.anchor, closed.node, self._size - closed.before)
        return closed.node

    def _stop(self, event: Any, what: str, why: str = "", fix: str = "") -> Unreadable:
        mark = event.start_mark
        return unreadable(self._source.name, what, why, fix, mark.line + 1, mark.column + 1)

    def _scalar(self, event: Any) -> Scalar:
        mark = event.start_mark
        plain = bool(event.implicit[0])
        if event.tag is not None and event.tag != "!":
            plain = event.tag in _PLAIN_TAGS
            if not plain and event.tag != _CORE + "str":
                self._unknown_tag(event)
        return Scalar(self._source, event.value, plain, (mark.line + 1, mark.column + 1, mark.index, event.end_mark.index))

    def _open(self, event: Any) -> Listing | Mapping:
        mark = event.start_mark
        spot = (mark.line + 1, mark.column + 1, mark.index, mark.index)
        sequence = isinstance(event, yaml.SequenceStartEvent)
        if event.tag not in {None, "!", _CORE + ("seq" if sequence else "map")}:
            self._unknown_tag(event)
        if sequence:
            return Listing(self._source, [], spot, flow=bool(event.flow_style))
        return Mapping(self._source, [], spot, flow=bool(event.flow_style))

    def _unknown_tag(self, event: Any) -> None:
        mark = event.start_mark
        self._report(Fault("unreadable", f'tag "{event.tag[:60]}" has no meaning in a plan', fix="remove the tag",
                                  place=Place(self._source.name, mark.line + 1, mark.column + 1)))  # fmt: skip

    def _alias(self, event: Any) -> Node:
        if event.anchor in self._open_anchors:
            raise self._stop(event, f'alias "*{event.anchor}" stands inside what it names', "it would never end")
        node = self._anchors.get(event.anchor)
        if node is None:
            close = nearest(event.anchor, self._anchors)
            raise self._stop(event, f'alias "*{event.anchor}" names no anchor before it',
                             fix=f"did you mean *{close[0]}?" if close else "")  # fmt: skip
        node.aliased = True
        self._grow(self._sizes[id(node)], event)
        return node

    def _remember(self, anchor: str, node: Node, size: int) -> None:
        self._anchors[anchor] = node
        self._sizes[id(node)] = size

    def _grow(self, size: int, event: Any) -> None:
        self._size += size
        if self._size > MOST_NODES:
            why = "aliases that repeat aliases multiply" if self._anchors else ""
            raise _too_many(self._source.name, event.start_mark.line + 1, event.start_mark.column + 1, why)

    def _place(self, holder: _Open, node: Node) -> None:
        if isinstance(holder.node, Listing):
            holder.node.items.append(node)
            return
        key = holder.key
        if key is not None:
            if holder.seen[key.text] is key:
                holder.node.pairs.append((key, node))
            holder.key = None
            return
        if not isinstance(node, Scalar):
            raise unreadable(
                self._source.name, "a key must be a single text", "this one is a list or a mapping", "", node.line, node.column
            )
        first = holder.seen.setdefault(node.text, node)
        if first is not node:
            self._report(duplicate_key(node, first))
        holder.key = node

    def _yaml_error(self, error: yaml.MarkedYAMLError) -> Unreadable:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        problem = error.problem or error.context or "unknown trouble"
        here = self._line(line)
        if problem == "did not find expected key" and error.context_mark and _template_in(here) is None:
            before = next((at for at in range(line - 1, max(0, line - 4), -1) if self._line(at).strip()), 0)
            if _template_in(self._line(before)) is not None:  # the parser notices on the line after it
                line, column, here = before, len(self._line(before).partition(":")[0]) + 3, self._line(before)
        if "nesting depth" in problem:
            return _too_deep(self._source.name, line, column)
        if "quoted scalar" in (error.context or "") and error.context_mark:  # where it begins, not where the text ends
            line, column = error.context_mark.line + 1, error.context_mark.column + 1
        what, fix = _in_our_words(here, problem)
        why = "" if problem not in what else error.context or ""
        return unreadable(self._source.name, what, why, fix, line, column)

    def _line(self, number: int) -> str:
        """Return the beginning of a line, counted from 1; nothing past the end."""
        lines = self._text.split("\n", number)
        return lines[number - 1][:_LOOKED_AT] if 0 < number <= len(lines) else ""


_LOOKED_AT = 2000
_KEY_AND_TEXT = re.compile(r"\s*(?:- )?([^\s\"'#:{}\[\]][^\"'#:{}\[\]]{0,80}):\s+(\S.*)")


def _template_in(line: str) -> str | None:
    """Return the unquoted template in a line `key: {time} …`, None where there is none."""
    found = _KEY_AND_TEXT.match(line)
    text = found.group(2) if found else ""
    return text if re.match(r"\{[A-Za-z-]+[^{}:,\"']*\}.|\{[a-z-]+ *\|", text) else None


def _in_our_words(line: str, problem: str) -> tuple[str, str]:
    """Return what is wrong with a line that is no YAML, and what to do, as far as the line itself shows it."""
    what = f"this is not YAML: {problem}"
    found = _KEY_AND_TEXT.match(line)
    key, text = found.groups() if found else ("", "")
    quoted = "'" + text.rstrip().replace("'", "''") + "'"
    if "${" in line and re.search(r"[{\[,]", line[: line.find("${")]):
        return "a placeholder inside { } or [ ] must be quoted", 'write "${name}" in double quotes'
    if _template_in(line) is not None:
        return "a text that begins with { must be quoted", f"write {key}: {quoted[:_LOOKED_AT]}"
    if line.lstrip(" ").startswith("\t"):
        return what, "indent with spaces, not tabs"
    if problem.startswith("mapping values are not allowed"):
        fix = (
            f"write {key}: {quoted}"
            if key and ":" in text
            else "begin each key on a line of its own, at the same column as its neighbours"
        )
        return ('a text that holds ": " must be quoted' if key and ":" in text else what), fix
    if text[:1] in {"%", "@", "`", "*", "&", "!", "|", ">"} and "token" in problem + " token":
        return f"a text that begins with {text[0]} must be quoted", f"write {key}: {quoted}"
    if "unexpected end of stream" in problem or "unexpected document indicator" in problem:
        return "a quote is opened here and never closed", "close it, and write a quote within as \\\" or ''"
    if problem == "did not find expected key":
        return what, "begin each key of a mapping at the same column; quote a text that begins with a quote, { or ["
    if problem.startswith("did not find expected ',' or"):
        return what, "close the bracket, put a comma between its items, and quote texts with { } [ ] , or : in them"
    return what, ""


def yaml_value(text: str, where: str) -> Any:
    """Return the JSON value that ``text`` means as YAML (a number, true, null, a list, a text …)."""
    try:
        node = read_document(text, Source(where, "option"), lambda _fault: None)
    except Unreadable as unread:
        raise refuse(f"the value is not YAML: {unread.faults[0].what}", where=where) from None
    return plain_value(node) if node is not None else "" if not text.strip() else None


def plain_value(node: Node) -> Any:
    """Return a node as a JSON value."""
    if isinstance(node, Mapping):
        return {key.text: plain_value(value) for key, value in node.pairs}
    if isinstance(node, Listing):
        return [plain_value(item) for item in node.items]
    return typed(node.text) if node.plain else node.text
