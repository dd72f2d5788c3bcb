"""Source code of several languages, by their grammars: only what stands around names that may matter is looked at."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any

from vetrina.core.survey.code import Bindings, Call, Expr, Name, Site, Unit
from vetrina.formats.programs.languages import CALLS, CATCHES, MEMBERS, NAMES, SETS, SPACES, TYPES, Language
from vetrina.formats.programs.tree_exprs import Exprs

if TYPE_CHECKING:
    from tree_sitter import Parser

Node = Any
_SET = re.compile(rb"([A-Za-z_$@][\w$]*)\s*(?::[^=\n;(){}]{0,200})?(?:=(?![=>])|:=|by\s)")
_TYPED = re.compile(rb"\b\w*[Ll]ogger<[\w.<>, ]{1,200}>\s+@?(\w+)")
_LIKE_LOG = re.compile(rb"(?i)log")
_GENERIC = frozenset({"generic_name", "generic_function"})
_AROUND_NAMES = MEMBERS | {"variable_declaration", "expression_list", "variable_name", "left_assignment_list"}
_DEEPEST, _MOST_CLIMBED = 2_000, 20_000_000
_NO_CALL = Call(Name(("",)), (), 0)
_LOGGER = Name(("logger",))


def tree_unit(file: str, source: bytes, parser: Parser, language: Language, module: tuple[str, ...], pattern: re.Pattern[bytes],
              wanted: Callable[[str], bool]) -> Unit | None:  # fmt: skip
    """Return what a file says, None where no name in it may be that of a call that writes to a log."""
    places = [match.span() for match in pattern.finditer(source)]
    if not places:
        return None
    root = parser.parse(source).root_node
    reader = _Reader(root, source, language, module)
    return reader.unit(file, places, wanted)


class _Reader:
    def __init__(self, root: Node, source: bytes, language: Language, module: tuple[str, ...]) -> None:
        self._root, self._source, self._language = root, source, language
        self._exprs = Exprs(source)
        self._module = module
        self._climbed = 0

    def unit(self, file: str, places: Sequence[tuple[int, int]], wanted: Callable[[str], bool]) -> Unit:
        """Return what the file says."""
        sites: dict[int, Site] = {}
        for begun, ended in places:
            path = self._call_at(self._path(begun, ended), begun, ended)
            if not path or path[-1].id in sites:
                continue
            call = self._exprs.of(path[-1])
            if isinstance(call, Call) and wanted(call.name):
                sites[path[-1].id] = self._site(call, path)
        found = sorted(sites.values(), key=lambda site: site.call.line)
        module = self._space() or (() if self._language.by_type else self._module)
        return Unit(
            file,
            module,
            tuple(found),
            self._bindings().of,
            self._imported(),
            by_type=self._language.by_type,
            by_package=self._language.name in {"Go", "Rust"},
        )

    def _path(self, begun: int, ended: int) -> list[Node]:
        """Return the nodes from the root down to the smallest around a place. Raise ValueError where they are too many.

        A node's parent is sought from the root anew each time, so the way down is kept instead.
        """
        cursor, found = self._root.walk(), [self._root]
        while cursor.goto_first_child_for_byte(begun) is not None:
            node = cursor.node
            if node.start_byte > begun or node.end_byte < ended:
                break
            found.append(node)
        self._climbed += len(found)
        if len(found) > _DEEPEST or self._climbed > _MOST_CLIMBED:
            raise ValueError("too deeply nested")
        return found

    def _call_at(self, path: list[Node], begun: int, ended: int) -> list[Node]:
        """Return the way to the call whose last name stands at the end of a way, an empty one where something else stands there."""
        node = path[-1]
        if node.type not in NAMES or node.start_byte > begun or node.end_byte < ended:
            return []
        end, at = node.end_byte, len(path) - 2
        while at >= 0 and path[at].type in MEMBERS and (path[at].end_byte == end or path[at].type in _GENERIC):
            end = max(end, path[at].end_byte)
            at -= 1
        if at > 0 and _has_lambda(path[at - 1]) and path[at].type == "call_expression":
            at -= 1
        if at < 0 or path[at].type not in CALLS:
            return []
        arguments = path[at].child_by_field_name("arguments")
        inside = arguments is not None and arguments.start_byte <= begun
        return [] if inside else path[: at + 1]

    def _site(self, call: Call, path: Sequence[Node]) -> Site:
        """Return a call with the types and the caught errors around it."""
        types: list[str] = []
        caught: set[str] = set()
        for up in path[:-1]:
            if up.type in TYPES or (up.type == "module" and self._language.name == "Ruby"):
                types.append(self._exprs.name_in(up))
            elif up.type in CATCHES:
                caught |= self._caught(up)
        whole = tuple(part for one in types for part in one.replace("::", ".").split(".") if part)
        return Site(call, whole, frozenset(caught), macro=path[-1].type == "macro_invocation")

    def _caught(self, node: Node) -> set[str]:
        head = node.child_by_field_name("parameter") or node.child_by_field_name("name") or node.child_by_field_name("variable")
        for child in () if head is not None else node.named_children:
            if child.type in {"catch_formal_parameter", "catch_declaration", "identifier", "simple_identifier"}:
                head = child.child_by_field_name("name") or child
                break
        return set() if head is None else {self._exprs.text(head).lstrip("$").strip()}

    def _space(self) -> tuple[str, ...]:
        """Return the package or namespace that a file declares, empty where it declares none."""
        found: tuple[str, ...] = ()
        for node in self._root.named_children:
            if (
                node.type
                in {
                    "package_declaration",
                    "package_header",
                    "package_clause",
                    "namespace_definition",
                    "file_scoped_namespace_declaration",
                    *SPACES,
                }
                and self._language.name != "Ruby"
            ):
                name = node.child_by_field_name("name") or (node.named_children[-1] if node.named_children else None)
                text = self._exprs.text(name) if name is not None else ""
                found = tuple(part for part in re.split(r"[.\\]|::", text.strip()) if part)
                break
        if self._language.name == "Go" and found:
            return (*self._module[:-2], *found) if len(self._module) > 1 and self._module[-2] == found[0] else found
        return found

    def _bindings(self) -> Bindings:
        """Return what names are set to that may be logs: found by their text, then read where they stand."""
        found = Bindings()
        for match in list(_SET.finditer(self._source))[:200_000]:
            begun, ended = match.span(1)
            line_end = self._source.find(b"\n", ended)
            near = self._source[begun : min(line_end if line_end > 0 else ended + 300, ended + 300)]
            if not _LIKE_LOG.search(near) and not self._source[begun:ended].isupper():
                continue
            path = self._path(begun, ended)
            node, value = path[-1], self._set_value(path)
            if value is not None:
                site = self._site(_NO_CALL, path)
                found.add(self._exprs.text(node).lstrip("$@"), node.start_point[0] + 1, site.types, value)
                found.add(self._exprs.text(node), node.start_point[0] + 1, site.types, value)
        for match in _TYPED.finditer(self._source):
            path = self._path(*match.span(1))
            node = path[-1]
            if node.type in NAMES:
                inner = match.group().split(b"<", 1)[1].rsplit(b">", 1)[0].decode("utf-8", "replace")
                made = Call(_LOGGER, (), node.start_point[0] + 1, (tuple(inner.split(".")),))
                found.add(self._exprs.text(node), node.start_point[0] + 1, self._site(_NO_CALL, path).types, made)
        return found

    def _set_value(self, path: Sequence[Node]) -> Expr | None:
        """Return the value that a name is set to, None where it is not set here."""
        node = path[-1]
        up = next((one for one in reversed(path[:-1]) if one.type not in _AROUND_NAMES), None)
        if up is None or up.type not in SETS:
            return None
        for field in ("value", "right", "default_value"):
            value = up.child_by_field_name(field)
            if value is not None and value.start_byte > node.end_byte:
                return self._exprs.of(value)
        later = [
            child
            for child in up.named_children
            if child.start_byte > node.end_byte and child.type not in {"type_annotation", "user_type", "nullable_type"}
        ]
        return self._exprs.of(later[-1]) if later else None

    def _imported(self) -> dict[str, tuple[str, ...]]:
        """Return where imported names come from."""
        found: dict[str, tuple[str, ...]] = {}
        for node in self._root.named_children:
            if node.type in _IMPORTS:
                found.update(_IMPORTS[node.type](self._exprs, node))
            elif (
                node.type in {"lexical_declaration", "variable_declaration"}
                and b"require(" in self._source[node.start_byte : node.end_byte]
            ):
                found.update(_required(self._exprs, node))
        return found


def _has_lambda(node: Node | None) -> bool:
    return (
        node is not None and node.type == "call_expression" and any(child.type == "annotated_lambda" for child in node.children)
    )


def _parts(text: str) -> tuple[str, ...]:
    return tuple(part for part in re.split(r"[./\\]|::", text.strip().strip("\"'`")) if part)


def _java(exprs: Exprs, node: Node) -> Iterator[tuple[str, tuple[str, ...]]]:
    text = exprs.text(node).removeprefix("import").strip().rstrip(";").strip()
    path, _, alias = text.removeprefix("static ").strip().partition(" as ")
    parts = _parts(path)
    if parts and parts[-1] != "*":
        yield alias.strip() or parts[-1], parts


def _using(exprs: Exprs, node: Node) -> Iterator[tuple[str, tuple[str, ...]]]:
    text = exprs.text(node).removeprefix("using").strip().rstrip(";")
    alias, equals, path = text.partition("=")
    if equals:
        yield alias.strip(), _parts(path)


def _script(exprs: Exprs, node: Node) -> Iterator[tuple[str, tuple[str, ...]]]:
    source = node.child_by_field_name("source")
    path = _parts(exprs.text(source)) if source is not None else ()
    if path and path[-1] in {"js", "ts", "mjs", "cjs"} and len(path) > 1:
        path = path[:-1]
    clause = next((child for child in node.named_children if child.type == "import_clause"), None)
    for name, own in re.findall(r"([\w$]+)(?:\s+as\s+([\w$]+))?", exprs.text(clause)) if clause is not None else ():
        if name not in {"as", "type"}:
            yield own or name, (*path, name) if own or "{" in exprs.text(clause) else path


def _required(exprs: Exprs, node: Node) -> Iterator[tuple[str, tuple[str, ...]]]:
    for names, path in re.findall(r"(\{[^}]*\}|[\w$]+)\s*=\s*require\(\s*['\"]([^'\"]+)['\"]\s*\)", exprs.text(node)):
        for name in re.findall(r"[\w$]+", names):
            yield name, (*_parts(path), name) if names.startswith("{") else _parts(path)


def _go(exprs: Exprs, node: Node) -> Iterator[tuple[str, tuple[str, ...]]]:
    for alias, path in re.findall(r"([\w.]+)?\s*\"([^\"]+)\"", exprs.text(node).removeprefix("import")):
        parts = tuple(path.split("/"))
        yield alias or parts[-1], parts


def _rust(exprs: Exprs, node: Node) -> Iterator[tuple[str, tuple[str, ...]]]:
    text = exprs.text(node).partition("use ")[2].strip().rstrip(";")
    head, brace, inner = text.partition("{")
    for one in inner.rstrip("} ").split(",") if brace else [text]:
        path, _, alias = one.strip().partition(" as ")
        parts = (*_parts(head), *_parts(path)) if brace else _parts(path)
        if parts:
            yield alias.strip() or parts[-1], parts


def _php(exprs: Exprs, node: Node) -> Iterator[tuple[str, tuple[str, ...]]]:
    text = exprs.text(node).removeprefix("use").strip().rstrip(";")
    head, brace, inner = text.partition("{")
    for one in inner.rstrip("} ").split(",") if brace else text.split(","):
        path, _, alias = one.strip().partition(" as ")
        parts = (*_parts(head), *_parts(path)) if brace else _parts(path)
        if parts:
            yield alias.strip() or parts[-1], parts


_IMPORTS: dict[str, Callable[[Exprs, Node], Iterator[tuple[str, tuple[str, ...]]]]] = {
    "import_declaration": lambda exprs, node: _go(exprs, node) if '"' in exprs.text(node) else _java(exprs, node),
    "import": _java,
    "import_header": _java,
    "using_directive": _using,
    "import_statement": _script,
    "use_declaration": _rust,
    "namespace_use_declaration": _php,
}
