"""Expressions of several languages, by their grammars, as far as they matter: texts, names, calls, types."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from vetrina.core.survey.code import Arg, Call, Expr, Filled, Keys, Member, Name, Text, TypeName, Unknown
from vetrina.core.survey.messages import is_text
from vetrina.formats.programs.languages import ARGUMENTS, CALLS, CONTENT, LAMBDAS, MEMBERS, NAMES, TEXTS, WRAPPED

Node = Any
_UNKNOWN = Unknown()
_DEEPEST = 60
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "0": "\0", "b": "\b", "f": "\f", "a": "\a", "v": "\v", "e": "\x1b"}
_CODE = re.compile(r"\\(?:u\{([0-9A-Fa-f]{1,6})\}|[uU]([0-9A-Fa-f]{4,8})|x([0-9A-Fa-f]{2}))\Z")
_TYPE_ENDS = frozenset({"class", "java", "javaClass", "kotlin"})
_FORMATS = frozenset({"format", "sprintf", "Sprintf", "formatted", "Format"})
_OWN = frozenset({"self", "static", "this", "Self"})


class Exprs:
    """Reads expressions of one file."""

    def __init__(self, source: bytes) -> None:
        self._source = source

    def text(self, node: Node) -> str:
        """Return the source of a node."""
        return self._source[node.start_byte : node.end_byte].decode("utf-8", "replace")

    def name_in(self, node: Node) -> str:
        """Return the name that a declaration gives."""
        name = node.child_by_field_name("name") or next((child for child in node.named_children if child.type in NAMES), None)
        return "" if name is None else self.text(name)

    def of(self, node: Node, depth: int = 0) -> Expr:
        """Return an expression."""
        kind = node.type
        if depth > _DEEPEST:
            return _UNKNOWN
        if kind in TEXTS:
            return self._text(node, depth)
        if kind in NAMES:
            return Name((self.text(node),))
        if kind in CALLS:
            return self._call(node, depth)
        if kind in MEMBERS:
            return self._member(node, depth)
        if kind in {"binary_expression", "binary", "additive_expression"}:
            return self._joined(node, depth)
        if kind in {"class_literal", "typeof_expression"}:
            return TypeName(
                tuple(part for part in re.split(r"\.|::", re.sub(r"typeof|class|[()\s]", "", self.text(node))) if part)
            )
        if kind in {"object", "array_creation_expression", "hash", "anonymous_object_creation_expression"}:
            return Keys(tuple(self._keys(node)))
        return self._inner(node, depth)

    def _inner(self, node: Node, depth: int) -> Expr:
        """Return what a wrapping node holds."""
        named = [child for child in node.named_children if child.type not in {"comment", "line_comment", "block_comment"}]
        if node.type in WRAPPED and named:
            return self.of(named[-1], depth + 1)
        if node.type in LAMBDAS and named:
            last = named[-1]
            return (
                self.of(last, depth + 1)
                if last.type in TEXTS | WRAPPED | LAMBDAS | CALLS | NAMES | {"binary", "binary_expression"}
                else _UNKNOWN
            )
        return _UNKNOWN

    def _text(self, node: Node, depth: int) -> Text:
        parts: list[str | Expr] = []
        for child in node.children:
            if child.type in CONTENT:
                inner = [one for one in child.named_children if one.type == "escape_sequence"]
                parts.append(self._unescaped(child, inner) if inner else self.text(child))
            elif child.type == "escape_sequence":
                parts.append(_unescape(self.text(child)))
            elif child.type in {"template_substitution", "interpolation", "interpolated_expression"}:
                named = [
                    one
                    for one in child.named_children
                    if one.type
                    not in {
                        "interpolation_brace",
                        "interpolation_format_clause",
                        "interpolation_start",
                        "interpolation_alignment_clause",
                        "interpolation_quote",
                    }
                ]
                parts.append(self.of(named[0], depth + 1) if named else _UNKNOWN)
            elif child.type in NAMES | MEMBERS | CALLS | {"variable_name", "subscript_expression", "dynamic_variable_name"}:
                parts.append(self.of(child, depth + 1))
        if not parts and node.child_count == 0:
            parts.append(self.text(node)[1:-1] if len(self.text(node)) > 1 else "")
        return Text(tuple(_dollars(parts)), scanned=node.type != "interpolated_string_expression")

    def _unescaped(self, node: Node, escapes: list[Node]) -> str:
        found, at = [], node.start_byte
        for one in escapes:
            found.append(self._source[at : one.start_byte].decode("utf-8", "replace"))
            found.append(_unescape(self.text(one)))
            at = one.end_byte
        return "".join(found) + self._source[at : node.end_byte].decode("utf-8", "replace")

    def _member(self, node: Node, depth: int) -> Expr:
        """Return a member of a name or of something else."""
        named = node.named_children
        if node.type in {"generic_name", "generic_function"} and named:
            return self.of(node.child_by_field_name("function") or named[0], depth + 1)
        if not named:
            return Name((self.text(node),))
        last = named[-1]
        if last.type == "member_binding_expression":
            last = last.named_children[-1]
        elif last.type == "generic_name":
            last = last.named_children[0]
        name = self.text(last)
        if len(named) == 1:
            return Name((name.lstrip("$"),))
        owner = self.of(named[0], depth + 1)
        if name in _TYPE_ENDS:
            if isinstance(owner, TypeName):
                return owner
            if isinstance(owner, Name):
                return TypeName(() if owner.last in _OWN else owner.path)
        name = name.lstrip("$")
        if len(named) > 2 and isinstance(owner, Name):
            return Name((*owner.path, *(self.text(one) for one in named[1:])))
        return Name((*owner.path, name)) if isinstance(owner, Name) else Member(owner, name)

    def _call(self, node: Node, depth: int) -> Expr:
        callee = self._callee(node, depth)
        if callee is None:
            return _UNKNOWN
        args = tuple(self._args(node, depth))
        if callee.last in _FORMATS if isinstance(callee, Name) else callee.name in _FORMATS:
            of = callee.of if isinstance(callee, Member) else None
            if of is not None and is_text(of):
                return Filled(of, args)
            if args and is_text(args[0].value):
                return Filled(args[0].value, args[1:])
        if (callee.last if isinstance(callee, Name) else callee.name) == "nameof" and args and isinstance(args[0].value, Name):
            return Text((args[0].value.last,))
        if isinstance(callee, Name) and callee.last in {"getClass", "javaClass"} and not args:
            return TypeName(())
        return Call(callee, args, self._line(node), tuple(self._type_args(node)))

    def _line(self, node: Node) -> int:
        """Return the line of the name that is called."""
        for field in ("name", "method", "function", "macro"):
            head = node.child_by_field_name(field)
            if head is not None:
                return int(head.end_point[0]) + 1
        return int((node.named_children[0].end_point if node.named_children else node.start_point)[0]) + 1

    def _callee(self, node: Node, depth: int) -> Name | Member | None:
        owner = node.child_by_field_name("object") or node.child_by_field_name("scope") or node.child_by_field_name("receiver")
        name = node.child_by_field_name("name") or node.child_by_field_name("method")
        head = (
            node.child_by_field_name("function")
            or node.child_by_field_name("macro")
            or node.child_by_field_name("constructor")
            or node.child_by_field_name("type")
        )
        if name is not None:
            own = self.text(name)
            if owner is None:
                return Name((own,))
            of = self.of(owner, depth + 1)
            return Name((*of.path, own)) if isinstance(of, Name) else Member(of, own)
        if head is None:
            first = node.named_children[0] if node.named_children else None
            if first is not None and first.type == "call_expression":  # what a lambda follows
                inner = self.of(first, depth + 1)
                return inner.callee if isinstance(inner, Call) else None
            head = first
        found = self.of(head, depth + 1) if head is not None else _UNKNOWN
        return found if isinstance(found, Name | Member) else None

    def _args(self, node: Node, depth: int) -> Iterator[Arg]:
        first = node.named_children[0] if node.named_children else None
        if first is not None and first.type == "call_expression" and node.child_by_field_name("function") is None:
            inner = self.of(first, depth + 1)
            yield from inner.args if isinstance(inner, Call) else ()
        for child in node.named_children:
            if child.type == "token_tree":
                yield from self._tokens(child, depth)
            elif child.type in ARGUMENTS:
                for one in child.named_children:
                    if one.type not in {"comment", "line_comment", "block_comment"}:
                        yield self._arg(one, depth)
            elif child.type in {"annotated_lambda", "block", "do_block"}:
                found = self._inner(child, depth)
                if not isinstance(found, Unknown):
                    yield Arg(None, found)

    def _arg(self, node: Node, depth: int) -> Arg:
        if node.type in {"pair", "keyword_argument", "named_argument"}:
            key, value = node.child_by_field_name("key"), node.child_by_field_name("value")
            if key is not None and value is not None:
                return Arg(self.text(key).strip("'\":"), self.of(value, depth + 1))
        if node.type in {"argument", "value_argument"} and len(node.named_children) > 1:
            name = node.named_children[0]
            if name.type in {"name_colon", "name", "simple_identifier", "identifier"}:
                return Arg(self.text(name).rstrip(": "), self.of(node.named_children[-1], depth + 1))
        return Arg(None, self.of(node, depth + 1))

    def _tokens(self, node: Node, depth: int) -> Iterator[Arg]:
        """Yield the arguments of a macro, which are no more than tokens."""
        groups: list[list[Node]] = [[]]
        for child in node.children[1:-1]:
            if child.type == ",":
                groups.append([])
            elif child.type not in {"line_comment", "block_comment"}:
                groups[-1].append(child)
        for group in groups:
            if not group:
                continue
            words = [self.text(one) for one in group]
            named = len(group) > 2 and words[1] in {"=", ":"} and words[2] != ":"
            value = group[-1]
            path = (
                [word for word in words[2:] if word not in {".", "%", "?", "&"}]
                if named
                else [word for word in words if word not in {".", "%", "?", "&", "*"}]
            )
            simple = all(one.type in NAMES or self.text(one) in {".", "%", "?", "&", "*", "=", ":", "self"} for one in group)
            expr: Expr = (
                Name(tuple(path))
                if simple and path and len(group) > 1
                else self.of(value, depth + 1)
                if len(group) == 1 or (named and len(group) == 3)
                else _UNKNOWN
            )
            yield Arg(words[0] if named else None, expr)

    def _joined(self, node: Node, depth: int) -> Expr:
        operator = next((self.text(child) for child in node.children if not child.is_named), "")
        named = node.named_children
        if operator not in {"+", ".", "%"} or len(named) < 2:
            return _UNKNOWN
        left = self.of(named[0], depth + 1)
        if operator == "%":
            return Filled(left, (Arg(None, self.of(named[-1], depth + 1)),)) if is_text(left) else _UNKNOWN
        right = self.of(named[-1], depth + 1)
        return Text((left, right)) if is_text(left) or is_text(right) else _UNKNOWN

    def _keys(self, node: Node) -> Iterator[str]:
        for child in node.named_children:
            key = child.child_by_field_name("key") or (child.named_children[0] if len(child.named_children) > 1 else None)
            if child.type in {"shorthand_property_identifier", "identifier"}:
                yield self.text(child)
            elif key is not None:
                yield self.text(key).strip("'\":[]")

    def _type_args(self, node: Node) -> Iterator[tuple[str, ...]]:
        head = node.child_by_field_name("function") or node.child_by_field_name("type") or node
        for match in re.findall(
            r"<\s*([\w.:]+)\s*>\s*(?:\(|\Z)", self.text(head) if head is not node else self.text(node).partition("(")[0] + "("
        ):
            yield tuple(part for part in re.split(r"\.|::", match) if part)


def _unescape(text: str) -> str:
    code = _CODE.match(text)
    if code is not None:
        value = int(next(part for part in code.groups() if part), 16)
        return chr(value) if value < 0x110000 and not 0xD800 <= value < 0xE000 else b"\\ufffd".decode("unicode_escape")
    rest = text[1:]
    return "" if rest.startswith("\n") else _ESCAPES.get(rest, rest)


def _dollars(parts: list[str | Expr]) -> Iterator[str | Expr]:
    """Yield parts, where a dollar sign and the name after it stand apart as what is put in."""
    waiting = False
    for part in parts:
        if part == "$":
            waiting = True
            continue
        if waiting and isinstance(part, str) and (match := re.match(r"[A-Za-z_]\w*", part)):
            yield Name((match.group(),))
            yield part[match.end() :]
        elif waiting:
            yield "$"
            yield part
        else:
            yield part
        waiting = False
    if waiting:
        yield "$"
